import { checkpoint } from '../checkpoint.ts';
import { columnOfNumbers } from '../derive/column_of_values.ts';
import { sortKeyAt, type Column, type ColumnType } from '../features/column.ts';
import { takeColumns } from '../features/subset.ts';
import { FilterError } from '../filters/filter_error.ts';
import { exactSum } from '../profiles/column_profile.ts';
import { keyAsWritten } from './keys.ts';
import type { Match } from './match.ts';

/**
 * What becomes of several rows of the table that have one key: nothing is joined, the first of them is taken, they are counted, or
 * their numbers are brought together.
 */
export const SEVERAL_ROWS = ['refuse', 'first', 'count', 'sum', 'mean', 'min', 'max'] as const;
export type SeveralRows = (typeof SEVERAL_ROWS)[number];

/** The type of a joined column. @param of the table's column; null where rows are only counted */
export function joinedType(of: { name: string; type: ColumnType } | null, several: SeveralRows): ColumnType {
  if (several === 'count') return 'number';
  if (of === null) throw new FilterError('Which column is to be joined is not said');
  const isTime = of.type === 'date' || of.type === 'datetime';
  const needsNumber = several === 'sum' || several === 'mean';
  const needsOrder = several === 'min' || several === 'max';
  if ((needsNumber && of.type !== 'number') || (needsOrder && of.type !== 'number' && !isTime))
    throw new FilterError(
      `${of.name} holds no ${needsNumber ? 'numbers' : 'numbers or times'}`,
      null,
      'Take the first of several rows, or count them',
    );
  return of.type;
}

/**
 * The values of a table's column beside the rows of the source. Blank where a row has no key or its key is not in the table; where
 * rows are counted a key that is not there counts 0.
 * @param of the table's column; null where rows are only counted
 * @throws FilterError where several rows have one key and that is refused, or the column is of another type
 */
export function joinedColumn(match: Match, of: Column | null, several: SeveralRows, name: string): Column {
  joinedType(of, several);
  const { own, partnerOf, starts, rowsOf } = match;
  if (several === 'count' || of === null) {
    const byKey = Float64Array.from(partnerOf, (partner) => (partner < 0 ? 0 : starts[partner + 1] - starts[partner]));
    return columnOfNumbers(name, perRow(own.keyOf, byKey, new Float64Array(own.keyOf.length).fill(NaN)));
  }
  if (several === 'refuse') refuseSeveral(match);
  if (several === 'sum' || several === 'mean') {
    const byKey = Float64Array.from(partnerOf, (partner) => (partner < 0 ? NaN : broughtTogether(match, of, partner, several)));
    return columnOfNumbers(name, perRow(own.keyOf, byKey, new Float64Array(own.keyOf.length).fill(NaN)));
  }
  const rowOf = new Int32Array(partnerOf.length).fill(-1);
  for (let key = 0; key < partnerOf.length; key++) {
    const partner = partnerOf[key];
    if (partner < 0) continue;
    const isExtreme = several === 'min' || several === 'max';
    rowOf[key] = isExtreme ? extremeRow(of, rowsOf.subarray(starts[partner], starts[partner + 1]), several) : rowsOf[starts[partner]];
  }
  const rows = perRow(own.keyOf, rowOf, new Int32Array(own.keyOf.length).fill(-1));
  checkpoint();
  const [{ type, chunks, dictionary }] = takeColumns([of], rows);
  return { name, type, chunks, dictionary };
}

/** What a key has, for each row that has the key. */
function perRow<T extends Float64Array<ArrayBuffer> | Int32Array<ArrayBuffer>>(keyOf: Int32Array, byKey: ArrayLike<number>, out: T): T {
  for (let row = 0; row < keyOf.length; row++) if (keyOf[row] >= 0) out[row] = byKey[keyOf[row]];
  return out;
}

function refuseSeveral({ own, partnerOf, starts }: Match): void {
  const key = partnerOf.findIndex((partner) => partner >= 0 && starts[partner + 1] - starts[partner] > 1);
  if (key < 0) return;
  const partner = partnerOf[key];
  throw new FilterError(
    `${starts[partner + 1] - starts[partner]} rows of the table have the key ${keyAsWritten(own, key).join(', ')}`,
    null,
    'Say what becomes of several: the first, their count, or their sum, mean, smallest or largest',
  );
}

/** Sum or mean of the values that there are; NaN where all are blank. */
function broughtTogether({ starts, rowsOf }: Match, of: Column, partner: number, how: 'sum' | 'mean'): number {
  const values: number[] = [];
  for (let i = starts[partner]; i < starts[partner + 1]; i++) {
    const value = sortKeyAt(of, rowsOf[i]);
    if (!Number.isNaN(value)) values.push(value);
  }
  if (values.length === 0) return NaN;
  if (values.length === 1) return values[0];
  // Ascending, as figures are told of elsewhere: the same numbers give the same sum.
  const sum = exactSum(Float64Array.from(values).sort());
  return how === 'sum' ? sum : sum / values.length;
}

/** The first row that has the smallest or largest value; -1 where all are blank. */
function extremeRow(of: Column, rows: Uint32Array, which: 'min' | 'max'): number {
  const sign = which === 'min' ? 1 : -1;
  let [best, value] = [-1, Infinity];
  for (const row of rows) {
    const key = sign * sortKeyAt(of, row);
    if (Number.isNaN(key) || (best >= 0 && key >= value)) continue;
    [best, value] = [row, key];
  }
  return best;
}
