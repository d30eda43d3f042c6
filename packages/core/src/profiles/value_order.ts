import { checkpoint } from '../checkpoint.ts';
import { sortKeyAt, type Column } from '../features/column.ts';

/** Rows that have a value in a column, by ascending value and as they stand where it is the same, with the sort keys of those. */
export interface ValueOrder {
  rows: Uint32Array;
  keys: Float64Array;
}

/** Rows of which orders are kept, in all: a brush asks for those of the same columns again and again. */
const MOST_ROWS = 6_000_000;
const kept = new Map<Column, ValueOrder>();

/** @param rows of the table */
export function valueOrder(column: Column, rows: number): ValueOrder {
  const order = kept.get(column) ?? orderOf(column, rows);
  kept.delete(column);
  kept.set(column, order);
  let held = [...kept.values()].reduce((sum, one) => sum + one.rows.length, 0);
  for (const [oldest, one] of kept) {
    if (held <= MOST_ROWS) break;
    held -= one.rows.length;
    kept.delete(oldest);
  }
  return order;
}

/** Counted into place by their rank: numbers are sorted natively, rows with a comparison would take several times as long. */
function orderOf(column: Column, rows: number): ValueOrder {
  const keys = Float64Array.from({ length: rows }, (_, row) => sortKeyAt(column, row));
  const sorted = keys.filter((key) => !Number.isNaN(key)).sort();
  const values = new Float64Array(sorted.length);
  let distinct = 0;
  for (let i = 0; i < sorted.length; i++) if (i === 0 || sorted[i] !== sorted[i - 1]) values[distinct++] = sorted[i];
  const ranks = new Uint32Array(rows);
  const starts = new Uint32Array(distinct + 1);
  for (let row = 0; row < rows; row++) {
    if ((row & 8191) === 0) checkpoint();
    if (Number.isNaN(keys[row])) continue;
    ranks[row] = placeOf(values.subarray(0, distinct), keys[row]);
    starts[ranks[row] + 1]++;
  }
  for (let rank = 0; rank < distinct; rank++) starts[rank + 1] += starts[rank];
  const order = new Uint32Array(sorted.length);
  for (let row = 0; row < rows; row++) if (!Number.isNaN(keys[row])) order[starts[ranks[row]]++] = row;
  return { rows: order, keys: sorted };
}

function placeOf(values: Float64Array, key: number): number {
  let [low, high] = [0, values.length - 1];
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (values[middle] < key) low = middle + 1;
    else high = middle;
  }
  return low;
}
