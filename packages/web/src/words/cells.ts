import { columnInWords, dayInWords, headingInWords, unitOfDerivation, type FeatureKey, type Value } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

// Made once: to make one for each number takes longer than all else.
const [grouped, plain] = [true, false].map((useGrouping) => new Intl.NumberFormat('en-GB', { maximumFractionDigits: 12, useGrouping }));

/** A value as it stands in card and lists. */
export function cellText(value: number | string | boolean): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return typeof value === 'number' ? (Math.abs(value) >= 10_000 ? grouped : plain).format(value) : value;
}

/** A value as it stands in the table, by its column's type. */
export function columnText(column: ColumnInfo, value: number | string | boolean): string {
  if (column.type === 'date' && typeof value === 'string') return dayInWords(value);
  if (column.type === 'datetime' && typeof value === 'string') return `${dayInWords(value.slice(0, 10))} ${value.slice(11)}`;
  return cellText(value);
}

/** Digits that a computed number is read with. */
const READ_DIGITS = 6;

/**
 * A number of a column that is computed, short enough to stand in a row of others: to six digits, two of them behind the point at
 * least. Null where the number is as short as that, or was brought in as it is.
 */
export function shortened({ derivation }: Pick<ColumnInfo, 'derivation'>, value: Value): string | null {
  if (typeof value !== 'number' || derivation === null || derivation.kind === 'typed' || Number.isInteger(value)) return null;
  const before = Math.max(0, Math.floor(Math.log10(Math.abs(value))) + 1);
  const short = Number(value.toPrecision(Math.min(21, Math.max(READ_DIGITS, before + 2))));
  return short === value ? null : cellText(short);
}

/** What a reader calls a column. */
export function labelOf(column: ColumnInfo): string {
  return column.title ?? columnInWords(column.name);
}

/** The same with the unit, for headings. */
export function headingOf(column: ColumnInfo): string {
  const { title, name, derivation } = column;
  const unit = unitOfDerivation(derivation);
  if (unit !== null) return `${title ?? columnInWords(name)} ${unit}`;
  return title ?? headingInWords(name);
}

/** The column whose values tell the features of a source apart: the first that is shown. */
export const namingColumn = ({ columns }: { columns: readonly ColumnInfo[] }): ColumnInfo | null =>
  columns.find(({ hidden }) => !hidden) ?? null;

/** What a feature is called: its value of the naming column, or its number. */
export const titleOf = (column: ColumnInfo | null, value: Value, key: FeatureKey): string =>
  column === null || value === null || value === '' ? `Feature ${typeof key === 'number' ? key + 1 : key}` : columnText(column, value);
