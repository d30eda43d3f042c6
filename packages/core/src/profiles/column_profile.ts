import type { Column, Value } from '../features/column.ts';
import { count, has, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { DAY_MILLIS, formatDay, formatInstant } from '../time/calendar.ts';
import { valueOrder } from './value_order.ts';
import { distinctValues, histogram, summarise, type ColumnSummary, type Histogram, type ValueCount } from './profile.ts';

/** A column in numbers. Statistics are of the values present; times as ISO text. */
export interface ColumnProfile extends ColumnSummary {
  rows: number;
  /** Arithmetic mean and sum; null for what is not a number. */
  mean: number | null;
  sum: number | null;
  /** The middle value; of an even number of them the mean of the two in the middle, for times the earlier of them. */
  median: Value;
  histogram: Histogram | null;
  values: Pick<ValueCount, 'value' | 'count'>[];
  /** Longest stretch of days without a value; null for what is not a time. */
  gap: { from: string; to: string; days: number } | null;
}

const BINS = 60;

/** A column of all features in numbers. */
export function profileOf(table: FeatureTable, column: Column): ColumnProfile {
  const summary = summarise(column, table.rows);
  const keys = column.type === 'text' || column.type === 'boolean' ? new Float64Array(0) : sortedKeys(table.rows, column);
  const numeric = column.type === 'number' && keys.length > 0;
  const sum = numeric ? exactSum(keys) : null;
  return {
    ...summary,
    rows: table.rows,
    sum,
    mean: sum === null ? null : sum / keys.length,
    median: medianOf(column, keys),
    histogram: histogram(column, BINS, null),
    values: distinctValues(column, table.rows, null).map(({ value, count }) => ({ value, count })),
    gap: column.type === 'date' || column.type === 'datetime' ? gapIn(column, keys) : null,
  };
}

/** The answer to a small question about some features: one column in a few numbers. Times as ISO text. */
export interface Figures {
  rows: number;
  /** Features without a value, or with an empty text. */
  blank: number;
  min: Value;
  max: Value;
  mean: number | null;
  sum: number | null;
  median: Value;
}

/** @param mask the features asked about; null for all */
export function figuresOf(table: FeatureTable, column: Column, mask: Mask | null): Figures {
  return figuresOfKeys(column, mask ? count(mask) : table.rows, sortedKeys(table.rows, column, mask));
}

/**
 * @param rows how many features, with a value or without
 * @param keys sort keys of the values that there are, ascending
 */
export function figuresOfKeys(column: Column, rows: number, keys: Float64Array): Figures {
  if (column.dictionary) {
    const full = keys.filter((code) => column.dictionary!.at(code) !== '');
    const textAt = (i: number) => (full.length === 0 ? null : column.dictionary!.at(full[i]));
    const none = { mean: null, sum: null, median: null };
    return { rows, blank: rows - full.length, min: textAt(0), max: textAt(full.length - 1), ...none };
  }
  const shown = (key: number): Value =>
    column.type === 'date'
      ? formatDay(key)
      : column.type === 'datetime'
        ? formatInstant(key, 0)
        : column.type === 'boolean'
          ? key === 1
          : key;
  const sum = column.type === 'number' && keys.length > 0 ? exactSum(keys) : null;
  return {
    ...{ rows, blank: rows - keys.length, sum, mean: sum === null ? null : sum / keys.length },
    min: keys.length === 0 ? null : shown(keys[0]),
    max: keys.length === 0 ? null : shown(keys[keys.length - 1]),
    median: column.type === 'boolean' ? null : medianOf(column, keys),
  };
}

/** Sort keys of the values, ascending. @param mask only of these rows; null: of all, which are not to be changed */
function sortedKeys(rows: number, column: Column, mask: Mask | null = null): Float64Array {
  const order = valueOrder(column, rows);
  if (!mask) return order.keys;
  const keys = new Float64Array(order.keys.length);
  let size = 0;
  for (let i = 0; i < keys.length; i++) if (has(mask, order.rows[i])) keys[size++] = order.keys[i];
  return keys.subarray(0, size);
}

/** Neumaier's compensated summation (Z. angew. Math. Mech. 54, 1974): the error does not grow with the number of values. */
export function exactSum(values: Float64Array): number {
  let [sum, lost] = [0, 0];
  for (const value of values) {
    const next = sum + value;
    lost += Math.abs(sum) >= Math.abs(value) ? sum - next + value : value - next + sum;
    sum = next;
  }
  return sum + lost;
}

function medianOf(column: Column, keys: Float64Array): Value {
  if (keys.length === 0) return null;
  const [low, high] = [keys[(keys.length - 1) >> 1], keys[keys.length >> 1]];
  if (column.type === 'number') return low + (high - low) / 2;
  return column.type === 'date' ? formatDay(low) : formatInstant(low, 0);
}

function gapIn(column: Column, keys: Float64Array): ColumnProfile['gap'] {
  const unit = column.type === 'date' ? 1 : DAY_MILLIS;
  let best: ColumnProfile['gap'] = null;
  for (let i = 1; i < keys.length; i++) {
    const [from, to] = [Math.floor(keys[i - 1] / unit), Math.floor(keys[i] / unit)];
    if (to - from - 1 > (best?.days ?? 0)) best = { from: formatDay(from), to: formatDay(to), days: to - from - 1 };
  }
  return best;
}
