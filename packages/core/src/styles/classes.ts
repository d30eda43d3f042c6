import { checkpoint } from '../checkpoint.ts';
import { sortKeyAt, valueAt, type Column, type Value } from '../features/column.ts';
import { fullMask, type Mask } from '../features/mask.ts';
import { binCounts } from '../profiles/bin_counts.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { FilterError } from '../filters/filter_error.ts';
import { breaksOf, calendarBreaks, roundBreaks, type BreakMethod } from './breaks.ts';
import { BLANK, LARGEST_LEVEL, REST, type BySize, type BySteps, type ByValues, type Classing } from './style.ts';
import { DAY_MILLIS } from '../time/calendar.ts';

/**
 * The class of each row: its number in the classing, `REST` or `BLANK`; by sizes the level of its radius.
 * @throws FilterError where the column is not there, or has no order for steps, or no numbers for sizes
 */
export function classesOf(table: FeatureTable, classing: Classing | BySize): Uint8Array<ArrayBuffer> {
  const column = columnNamed(table, classing.column);
  if (!column) throw new FilterError(`There is no column ${classing.column}`);
  if (classing.kind === 'sizes') return bySize(column, table.rows);
  return classing.kind === 'values' ? byValues(column, table.rows, classing) : bySteps(column, table.rows, classing);
}

function byValues(column: Column, rows: number, { classes }: ByValues): Uint8Array<ArrayBuffer> {
  const numbers = new Map<Value, number>(classes.map(({ value }, i) => [value, i]));
  const { dictionary } = column;
  // Of texts each distinct one is looked up once.
  const ofCode = dictionary && Uint8Array.from({ length: dictionary.size }, (_, code) => numbers.get(dictionary.at(code)) ?? REST);
  const out = new Uint8Array(rows);
  for (let row = 0; row < rows; row++) {
    if ((row & 8191) === 0) checkpoint();
    if (ofCode) {
      const code = sortKeyAt(column, row);
      out[row] = Number.isNaN(code) ? BLANK : ofCode[code];
      continue;
    }
    const value = valueAt(column, row);
    out[row] = value === null ? BLANK : (numbers.get(value) ?? REST);
  }
  return out;
}

function bySteps(column: Column, rows: number, { bounds }: BySteps): Uint8Array<ArrayBuffer> {
  refuseWithoutOrder(column);
  const out = new Uint8Array(rows);
  for (let row = 0; row < rows; row++) {
    if ((row & 8191) === 0) checkpoint();
    const key = sortKeyAt(column, row);
    let number = 0;
    while (number < bounds.length && key >= bounds[number]) number++;
    out[row] = Number.isNaN(key) ? BLANK : number;
  }
  return out;
}

/** Levels of radii: the square roots of the numbers. Blanks, 0 and what is below it have none. */
function bySize(column: Column, rows: number): Uint8Array<ArrayBuffer> {
  if (column.type !== 'number')
    throw new FilterError(`${column.name} has no sizes: it holds no numbers`, null, 'Choose a column of numbers');
  const numbers = new Float64Array(rows);
  let largest = 0;
  for (let row = 0; row < rows; row++) {
    if ((row & 8191) === 0) checkpoint();
    const number = sortKeyAt(column, row);
    numbers[row] = number > 0 ? number : 0;
    if (number > largest) largest = number;
  }
  // What has something to show is never without a mark.
  return Uint8Array.from(numbers, (number) => (number === 0 ? 0 : Math.max(1, Math.round(LARGEST_LEVEL * Math.sqrt(number / largest)))));
}

function refuseWithoutOrder(column: Column): void {
  if (column.type === 'text' || column.type === 'boolean')
    throw new FilterError(
      `${column.name} has no steps: it holds ${column.type === 'text' ? 'texts' : 'yes and no'}`,
      null,
      'Use its values',
    );
}

/**
 * Bounds for classes of a column, of all features.
 * @param count of classes, 2 to 9
 */
export function columnBreaks(table: FeatureTable, column: Column, method: BreakMethod, count: number): number[] {
  refuseWithoutOrder(column);
  const keys = new Float64Array(table.rows);
  let size = 0;
  for (let row = 0; row < table.rows; row++) {
    const key = sortKeyAt(column, row);
    if (!Number.isNaN(key)) keys[size++] = key;
  }
  const values = keys.subarray(0, size).sort();
  if (size === 0) return [];
  if (method !== 'round') return breaksOf(values, method, count);
  const [low, high] = [values[0], values[size - 1]];
  if (column.type === 'number') return roundBreaks(low, high, count);
  if (column.type === 'date') return calendarBreaks(low, high, count);
  return calendarBreaks(low / DAY_MILLIS, high / DAY_MILLIS, count).map((day) => day * DAY_MILLIS);
}

/** Features of each class by its number, all and kept. */
export interface ClassCounts {
  all: Uint32Array;
  kept: Uint32Array;
}

/** One more than the classes that a byte tells. */
const CODES = 256;
/** Rows of each class, which do not change with what is kept. */
const knownCodes = new WeakMap<Uint8Array, Uint32Array>();

/** @param kept what is counted as kept; null all */
export function classCounts(codes: Uint8Array, kept: Mask | null): ClassCounts {
  let all = knownCodes.get(codes);
  if (!all) knownCodes.set(codes, (all = binCounts(codes, fullMask(codes.length), CODES - 1)));
  return { all, kept: kept ? binCounts(codes, kept, CODES - 1) : all };
}
