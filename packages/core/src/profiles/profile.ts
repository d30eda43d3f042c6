import { GROUP_ROWS, valueAt, type Column, type Value } from '../features/column.ts';
import { has, type Mask } from '../features/mask.ts';
import { formatDay, formatInstant } from '../time/calendar.ts';

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

function countCodes(column: Column, size: number, kept: Mask | null): { count: Uint32Array; kept: Uint32Array } {
  const out = { count: new Uint32Array(size), kept: new Uint32Array(size) };
  column.chunks.forEach((chunk, group) => {
    if (chunk.type !== 'text') return;
    for (let i = 0; i < chunk.rows; i++) {
      if (chunk.validity && !has(chunk.validity, i)) continue;
      out.count[chunk.codes[i]]++;
      if (!kept || has(kept, group * GROUP_ROWS + i)) out.kept[chunk.codes[i]]++;
    }
  });
  return out;
}

export interface Histogram {
  /** Lower end of the first bin and upper end of the last. Days or milliseconds since 1970-01-01 for times. */
  low: number;
  high: number;
  /** Features a bin; a value on a border counts in the upper bin, the largest in the last. */
  all: number[];
  kept: number[];
}

/** Numbers of a column, dates as days, date-times as milliseconds; null for other types or when every value is missing. */
export function histogram(column: Column, bins: number, kept: Mask | null): Histogram | null {
  let [low, high] = [Infinity, -Infinity];
  for (const chunk of column.chunks) {
    if (!('min' in chunk)) return null;
    low = Math.min(low, chunk.min);
    high = Math.max(high, chunk.max);
  }
  if (low > high) return null;
  const all = new Array<number>(bins).fill(0);
  const keptBins = new Array<number>(bins).fill(0);
  const scale = high > low ? bins / (high - low) : 0;
  column.chunks.forEach((chunk, group) => {
    const values =
      chunk.type === 'number' ? chunk.values : chunk.type === 'date' ? chunk.days : chunk.type === 'datetime' ? chunk.millis : [];
    for (let i = 0; i < values.length; i++) {
      if (chunk.validity && !has(chunk.validity, i)) continue;
      const bin = Math.min(bins - 1, Math.floor((values[i] - low) * scale));
      all[bin]++;
      if (!kept || has(kept, group * GROUP_ROWS + i)) keptBins[bin]++;
    }
  });
  return { low, high, all, kept: keptBins };
}

export interface ColumnSummary {
  nulls: number;
  /** Empty texts, which are blank too but not missing. */
  empty: number;
  distinct: number;
  /** Smallest and largest value: numbers, ISO texts for times, first and last text by code point. */
  min: Value;
  max: Value;
}

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
