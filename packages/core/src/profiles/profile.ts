import { CHUNK_ROWS, valueAt, type Column, type Value } from '../features/column.ts';
import { and, fullMask, has, type Mask } from '../features/mask.ts';
import { formatDay, formatInstant } from '../time/calendar.ts';
import { addBins, binCounts } from './bin_counts.ts';

/** A distinct value with the number of features that have it, and how many of those are kept. */
export interface ValueCount {
  value: Exclude<Value, null>;
  count: number;
  kept: number;
}

/**
 * Every distinct value of a column with its counts, most frequent first, then in ascending order. Never a sample.
 * @param kept features to count apart
 */
export function distinctValues(column: Column, rows: number, kept: Mask | null): ValueCount[] {
  const codes = column.dictionary ? countCodes(column, column.dictionary.size, kept) : null;
  let counts: ValueCount[] = [];
  if (codes) {
    codes.count.forEach((count, code) => count > 0 && counts.push({ value: column.dictionary!.at(code), count, kept: codes.kept[code] }));
  } else {
    const byValue = new Map<Exclude<Value, null>, ValueCount>();
    for (let row = 0; row < rows; row++) {
      const value = valueAt(column, row);
      if (value === null) continue;
      let entry = byValue.get(value);
      if (!entry) byValue.set(value, (entry = { value, count: 0, kept: 0 }));
      entry.count++;
      if (!kept || has(kept, row)) entry.kept++;
    }
    counts = [...byValue.values()].sort((a, b) => (a.value < b.value ? -1 : 1));
  }
  return counts.sort((a, b) => b.count - a.count);
}

/** Rows that have each text, which does not change with what is kept. */
const knownCodes = new WeakMap<Column, Uint32Array>();

function countCodes(column: Column, size: number, kept: Mask | null): { count: Uint32Array; kept: Uint32Array } {
  let all = knownCodes.get(column);
  if (!all) knownCodes.set(column, (all = codesWithin(column, size, null)));
  return { count: all, kept: kept ? codesWithin(column, size, kept) : all };
}

/** Of so many texts at most, counts are remembered for each chunk. */
const FEW_TEXTS = 1000;

function codesWithin({ chunks }: Column, size: number, kept: Mask | null): Uint32Array {
  const counts = new Uint32Array(size);
  chunks.forEach((chunk, c) => {
    if (chunk.type !== 'text') return;
    const word = (c * CHUNK_ROWS) >>> 5;
    const own = kept ? kept.subarray(word, word + ((chunk.rows + 31) >>> 5)) : fullMask(chunk.rows);
    const known = chunk.validity ? and(own, chunk.validity) : own;
    const codes = chunk.codes.length === chunk.rows ? chunk.codes : chunk.codes.subarray(0, chunk.rows);
    if (size > FEW_TEXTS) return addBins(codes, known, counts);
    const some = binCounts(codes, known, size);
    for (let code = 0; code < size; code++) counts[code] += some[code];
  });
  return counts;
}

/** Counts of values in bins of one width. */
export interface Histogram {
  /** Lower end of the first bin and upper end of the last. Days or milliseconds since 1970-01-01 for times. */
  low: number;
  high: number;
  /** Every bin holds so many whole numbers, or days, up to but not including its upper end. */
  whole: boolean;
  /** Features a bin; a value on a border counts in the upper bin, the largest in the last. */
  all: number[];
  kept: number[];
}

/** Bins of one width over the values of a column. */
export interface Bins {
  low: number;
  high: number;
  whole: boolean;
  bins: number;
  binOf: (value: number) => number;
}

/**
 * Bins over numbers of a column, dates as days, date-times as milliseconds; null for other types or when every value is missing.
 * Bins of whole numbers and of days are whole too: a width that is none would show a comb that is not in the data.
 * @param most bins at most
 */
export function binsOf(column: Column, most: number): Bins | null {
  let [least, largest] = [Infinity, -Infinity];
  for (const chunk of column.chunks) {
    if (!('min' in chunk)) return null;
    least = Math.min(least, chunk.min);
    largest = Math.max(largest, chunk.max);
  }
  if (least > largest) return null;
  const whole = column.type === 'date' || (column.type === 'number' && isWhole(column));
  const width = Math.ceil((largest - least + 1) / most);
  const bins = whole ? Math.ceil((largest - least + 1) / width) : most;
  const [low, high] = [least, whole ? least + bins * width : largest];
  // Multiplied before it is divided: a value on a border is not rounded off it.
  const span = high - low;
  const place = Number.isFinite(span * bins)
    ? (value: number) => ((value - low) * bins) / span
    : (value: number) => ((value / 2 - low / 2) / (high / 2 - low / 2)) * bins;
  return { low, high, whole, bins, binOf: (value) => (span > 0 ? Math.min(bins - 1, Math.floor(place(value))) : 0) };
}

/** The bins of a column with the one that each row lies in, and how many rows do. */
export interface Binned extends Bins {
  /** `bins` for a row in none of them. */
  of: Uint16Array;
  all: Uint32Array;
}

/** Rows of which the bins are kept, in all: a brush asks for those of the same columns again and again. */
const MOST_ROWS = 8_000_000;
const knownBins: { column: Column; most: number; binned: Binned }[] = [];

/**
 * The rows of a column in bins (`binsOf`); null where there are none.
 * @param most bins at most, 65,534 or fewer
 */
export function binnedRows(column: Column, most: number): Binned | null {
  const known = knownBins.find((one) => one.column === column && one.most === most);
  if (known) return known.binned;
  const bins = binsOf(column, most);
  if (!bins) return null;
  const of = new Uint16Array(column.chunks.reduce((sum, { rows }) => sum + rows, 0)).fill(bins.bins);
  const all = new Uint32Array(bins.bins);
  eachValue(column, (value, row) => all[(of[row] = bins.binOf(value))]++);
  const binned = { ...bins, of, all };
  knownBins.unshift({ column, most, binned });
  let held = 0;
  const end = knownBins.findIndex((one) => (held += one.binned.of.length) > MOST_ROWS);
  if (end >= 0) knownBins.length = end;
  return binned;
}

/**
 * Counts of a column in bins (`binsOf`); null where there are none.
 * @param most bins at most
 */
export function histogram(column: Column, most: number, kept: Mask | null): Histogram | null {
  const binned = binnedRows(column, most);
  if (!binned) return null;
  const { low, high, whole, of, all } = binned;
  return { low, high, whole, all: [...all], kept: [...(kept ? binCounts(of, kept, all.length).subarray(0, all.length) : all)] };
}

/** Calls with every value of a column of numbers or times. */
function eachValue(column: Column, visit: (value: number, row: number) => void): void {
  column.chunks.forEach((chunk, chunkNumber) => {
    const values =
      chunk.type === 'number' ? chunk.values : chunk.type === 'date' ? chunk.days : chunk.type === 'datetime' ? chunk.millis : [];
    for (let i = 0; i < values.length; i++) if (!chunk.validity || has(chunk.validity, i)) visit(values[i], chunkNumber * CHUNK_ROWS + i);
  });
}

const knownWhole = new WeakMap<Column, boolean>();
/** Whether all values are whole numbers, which a double tells apart one by one. */
function isWhole(column: Column): boolean {
  let whole = knownWhole.get(column);
  if (whole === undefined) {
    whole = true;
    eachValue(column, (value) => (whole &&= Number.isSafeInteger(value)));
    knownWhole.set(column, whole);
  }
  return whole;
}

/** What is known of a column without a look at its rows. */
export interface ColumnSummary {
  nulls: number;
  /** Empty texts, which are blank too but not missing. */
  empty: number;
  distinct: number;
  /** Smallest and largest value: numbers, ISO texts for times, first and last text by code point. */
  min: Value;
  max: Value;
}

/**
 * Summary of a column.
 * @param rows of the table
 */
export function summarise(column: Column, rows: number): ColumnSummary {
  const nulls = column.chunks.reduce((sum, chunk) => sum + chunk.nulls, 0);
  const values = distinctValues(column, rows, null);
  const empty = values.find((entry) => entry.value === '')?.count ?? 0;
  const [min, max] = column.dictionary
    ? [
        column.dictionary.size > 0 ? column.dictionary.at(0) : null,
        column.dictionary.size > 0 ? column.dictionary.at(column.dictionary.size - 1) : null,
      ]
    : rangeOf(column);
  return { nulls, empty, distinct: values.length, min, max };
}

function rangeOf(column: Column): [Value, Value] {
  let [low, high] = [Infinity, -Infinity];
  for (const chunk of column.chunks) {
    if (!('min' in chunk)) return [null, null];
    low = Math.min(low, chunk.min);
    high = Math.max(high, chunk.max);
  }
  if (low > high) return [null, null];
  if (column.type === 'date') return [formatDay(low), formatDay(high)];
  if (column.type === 'datetime') return [formatInstant(low, 0), formatInstant(high, 0)];
  return [low, high];
}
