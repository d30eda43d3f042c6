import { CHUNK_ROWS, valueAt, type Column, type ColumnType, type Value } from '../features/column.ts';
import { has } from '../features/mask.ts';
import { FilterError } from '../filters/filter_error.ts';
import { DAY_MILLIS, PRECISIONS, splitDay } from '../time/calendar.ts';

/** What features are told apart by: a value of a column, or the year, the month or the month of any year of a time. */
export const SPREADS = ['value', 'year', 'month', 'monthOfYear'] as const;
export type SpreadBy = (typeof SPREADS)[number];

/** Features of some values of a column, or of all others. */
export interface ZonePart {
  column: string;
  by: SpreadBy;
  /** A value; of years the number, of months as in "2026-03", of months of any year 1 to 12. Null: blank, or not known so closely. */
  values: Value[];
  /** All features that have another value. */
  others: boolean;
}

/** The different values that features are told apart by, ascending, null last, and which of them each row has. */
export interface SpreadValues {
  values: Value[];
  of: Int32Array;
}

/** Throws a FilterError where a column cannot be spread so. */
export function checkSpread({ name, type }: { name: string; type: ColumnType }, by: SpreadBy): void {
  if (by !== 'value' && type !== 'date' && type !== 'datetime') throw new FilterError(`${name} holds no times to be parted by`);
}

const known = new WeakMap<Column, Map<SpreadBy, SpreadValues>>();

/** The values of a column that features are told apart by; times in UTC, as YEAR and MONTH of the filter language have them. */
export function spreadValues(column: Column, rows: number, by: SpreadBy): SpreadValues {
  let all = known.get(column);
  if (!all) known.set(column, (all = new Map<SpreadBy, SpreadValues>()));
  let found = all.get(by);
  if (!found) all.set(by, (found = told(column, rows, by)));
  return found;
}

function told(column: Column, rows: number, by: SpreadBy): SpreadValues {
  const valueOf = by === 'value' ? (row: number) => valueAt(column, row) : (row: number) => partOfTime(column, row, by);
  const numbers = new Map<Value, number>();
  const first = new Int32Array(rows);
  for (let row = 0; row < rows; row++) {
    const value = valueOf(row);
    let number = numbers.get(value);
    if (number === undefined) numbers.set(value, (number = numbers.size));
    first[row] = number;
  }
  const values = [...numbers.keys()].sort(ascending);
  const rank = new Int32Array(values.length);
  values.forEach((value, i) => (rank[numbers.get(value)!] = i));
  return { values, of: first.map((number) => rank[number]) };
}

/** Numbers by size, texts by code points; null last. */
function ascending(a: Value, b: Value): number {
  if (a === null || b === null) return a === b ? 0 : a === null ? 1 : -1;
  return a < b ? -1 : a > b ? 1 : 0;
}

function partOfTime(column: Column, row: number, by: Exclude<SpreadBy, 'value'>): Value {
  const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
  const i = row % CHUNK_ROWS;
  if ((chunk.validity && !has(chunk.validity, i)) || (chunk.type !== 'date' && chunk.type !== 'datetime')) return null;
  const day = chunk.type === 'date' ? chunk.days[i] : Math.floor(chunk.millis[i] / DAY_MILLIS);
  const { year, month } = splitDay(day);
  if (by === 'year') return year;
  // Of what is known to the year the month is not.
  if (chunk.type === 'date' && chunk.precision && PRECISIONS[chunk.precision[i]] === 'year') return null;
  return by === 'month' ? `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}` : month;
}

/** Which rows are of a part. @throws FilterError where the column cannot be parted so */
export function isOfPart(column: Column, rows: number, part: ZonePart): (row: number) => boolean {
  checkSpread(column, part.by);
  const { values, of } = spreadValues(column, rows, part.by);
  const named = new Set(part.values);
  const counts = Uint8Array.from(values, (value) => (named.has(value) === part.others ? 0 : 1));
  return (row) => counts[of[row]] === 1;
}

const MONTHS = Array.from({ length: 12 }, (_, i) =>
  new Date(Date.UTC(2000, i, 1)).toLocaleString('en-GB', { month: 'long', timeZone: 'UTC' }),
);

/** A value that features are told apart by, as it is read. */
export function spreadValueInWords(value: Value, by: SpreadBy): string {
  if (value === null) return by === 'value' ? 'blank' : 'not known';
  if (value === '') return 'empty text';
  if (by === 'month') return `${MONTHS[Number(String(value).slice(-2)) - 1]} ${String(value).slice(0, -3)}`;
  if (by === 'monthOfYear') return MONTHS[Number(value) - 1];
  return typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value);
}

/** A part as a sentence tells it, as in "whose species is 0101". */
export function partInWords({ column, by, values, others }: ZonePart): string {
  const what = by === 'value' ? column : by === 'year' ? `year of ${column}` : `month of ${column}`;
  const named = values.map((value) => spreadValueInWords(value, by)).join(', ');
  return others ? `whose ${what} is none of ${named}` : `whose ${what} is ${named}`;
}
