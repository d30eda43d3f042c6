import { checkpoint } from '../checkpoint.ts';
import { sortKeyAt, valueAt, type Column, type Value } from '../features/column.ts';
import { has, type Mask } from '../features/mask.ts';
import { FilterError } from '../filters/filter_error.ts';
import { valueOrder } from './value_order.ts';

/** The rows of a table, parted by the values of some columns. */
export interface Grouping {
  /** How many groups there are; they stand in ascending order of their values, blanks last. */
  groups: number;
  /** The number of the group of each row. */
  groupOf: Uint32Array;
  /** A row of each group, which has its values. */
  sample: Uint32Array;
}

/** More groups than these are no summary. */
const MOST_GROUPS = 100_000;
const MOST_KEPT = 4;
const kept: { by: readonly Column[]; grouping: Grouping }[] = [];

/**
 * The groups of one combination of values each.
 * @param by one column or more; of none there is one group of all rows
 * @throws FilterError for more than 100,000 combinations
 */
export function groupingOf(rows: number, by: readonly Column[]): Grouping {
  if (by.length === 0) return { groups: rows > 0 ? 1 : 0, groupOf: new Uint32Array(rows), sample: new Uint32Array(rows > 0 ? 1 : 0) };
  const known = kept.find((one) => one.by.length === by.length && one.by.every((column, i) => column === by[i]));
  if (known) return known.grouping;
  const grouping = grouped(rows, by);
  kept.unshift({ by, grouping });
  kept.length = Math.min(kept.length, MOST_KEPT);
  return grouping;
}

function grouped(rows: number, by: readonly Column[]): Grouping {
  const codings = by.map((column) => codingOf(column, rows));
  const found = new Map<number, { number: number; row: number }>();
  const groupOf = new Uint32Array(rows);
  for (let row = 0; row < rows; row++) {
    if ((row & 8191) === 0) checkpoint();
    let code = 0;
    for (const { codes, size } of codings) code = code * size + codes[row];
    let group = found.get(code);
    if (!group) {
      if (found.size === MOST_GROUPS)
        throw new FilterError(
          `${by.map(({ name }) => name).join(' and ')} have more than ${MOST_GROUPS.toLocaleString('en-GB')} different values together`,
          null,
          'Group by a column with fewer',
        );
      found.set(code, (group = { number: found.size, row }));
    }
    groupOf[row] = group.number;
  }
  const ascending = [...found].sort(([a], [b]) => a - b).map(([, group]) => group);
  const places = new Uint32Array(ascending.length);
  ascending.forEach(({ number }, place) => (places[number] = place));
  return {
    groups: ascending.length,
    groupOf: groupOf.map((number) => places[number]),
    sample: Uint32Array.from(ascending, ({ row }) => row),
  };
}

/** A whole number for each value, ascending as the values do; the last is for blanks. */
function codingOf(column: Column, rows: number): { codes: Float64Array; size: number } {
  const { dictionary } = column;
  const codes = new Float64Array(rows);
  if (dictionary) {
    for (let row = 0; row < rows; row++) {
      const code = sortKeyAt(column, row);
      codes[row] = Number.isNaN(code) ? dictionary.size : code;
    }
    return { codes, size: dictionary.size + 1 };
  }
  const numbers = new Map<Value, number>();
  for (let row = 0; row < rows; row++) {
    const value = valueAt(column, row);
    if (value !== null && !numbers.has(value)) numbers.set(value, row);
  }
  // By when they are, and of times at once by how they are written: a year comes before its first day.
  const ascending = [...numbers].sort(
    ([a, first], [b, second]) => sortKeyAt(column, first) - sortKeyAt(column, second) || (a! < b! ? -1 : 1),
  );
  const places = new Map<Value, number>(ascending.map(([value], place) => [value, place]));
  for (let row = 0; row < rows; row++) codes[row] = places.get(valueAt(column, row)) ?? places.size;
  return { codes, size: places.size + 1 };
}

/**
 * The sort keys of a column's values in each group, ascending, without blanks.
 * @param kept the rows that count; null: all
 */
export function keysByGroup({ groups, groupOf }: Grouping, column: Column, rows: number, kept: Mask | null): Float64Array[] {
  const order = valueOrder(column, rows);
  const counted = new Uint32Array(order.rows.length);
  const sizes = new Uint32Array(groups);
  let size = 0;
  for (let i = 0; i < order.rows.length; i++) {
    if ((i & 8191) === 0) checkpoint();
    if (kept && !has(kept, order.rows[i])) continue;
    counted[size++] = i;
    sizes[groupOf[order.rows[i]]]++;
  }
  const keys = Array.from(sizes, (many) => new Float64Array(many));
  const filled = new Uint32Array(groups);
  for (let at = 0; at < size; at++) {
    const group = groupOf[order.rows[counted[at]]];
    keys[group][filled[group]++] = order.keys[counted[at]];
  }
  return keys;
}

/** How many rows are in each group. @param kept only these; null: all */
export function sizesOf({ groups, groupOf }: Grouping, kept: Mask | null): Uint32Array {
  const sizes = new Uint32Array(groups);
  for (let row = 0; row < groupOf.length; row++) if (!kept || has(kept, row)) sizes[groupOf[row]]++;
  return sizes;
}

/** What was told of all rows last, by the columns that it is about: it does not change with what is kept. */
export class OfAll<T> {
  readonly #most = 8;
  readonly #known: { by: readonly (Column | null)[]; told: T }[] = [];

  get(by: readonly (Column | null)[], tell: () => T): T {
    const known = this.#known.find((one) => one.by.length === by.length && one.by.every((column, i) => column === by[i]));
    if (known) return known.told;
    const told = tell();
    this.#known.unshift({ by, told });
    this.#known.length = Math.min(this.#known.length, this.#most);
    return told;
  }
}
