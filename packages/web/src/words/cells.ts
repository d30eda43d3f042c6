import { columnInWords, dayInWords, headingInWords } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

/** A value as it stands in card and lists. */
export function cellText(value: number | string | boolean): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return typeof value === 'number'
    ? value.toLocaleString('en-GB', { maximumFractionDigits: 12, useGrouping: Math.abs(value) >= 10_000 })
    : value;
}

/** A value as it stands in the table, by its column's type. */
export function columnText(column: ColumnInfo, value: number | string | boolean): string {
  if (column.type === 'date' && typeof value === 'string') return dayInWords(value);
  if (column.type === 'datetime' && typeof value === 'string') return `${dayInWords(value.slice(0, 10))} ${value.slice(11)}`;
  return cellText(value);
}

/** What a reader calls a column. */
export function labelOf(column: ColumnInfo): string {
  return column.title ?? columnInWords(column.name);
}

/** The same with the unit, for headings. */
export function headingOf(column: ColumnInfo): string {
  return column.title ?? headingInWords(column.name);
}
