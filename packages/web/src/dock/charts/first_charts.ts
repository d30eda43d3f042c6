import type { Chart } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

/** Columns of more values than this are not looked at by their values. */
export const MOST_VALUES = 20_000;

const seen = (columns: readonly ColumnInfo[]) => columns.filter(({ hidden }) => !hidden);
export const timesOf = (columns: readonly ColumnInfo[]) => seen(columns).filter(({ type }) => type === 'date' || type === 'datetime');
export const numbersOf = (columns: readonly ColumnInfo[]) => seen(columns).filter(({ type }) => type === 'number');
/** What has a place along an axis. */
export const measuresOf = (columns: readonly ColumnInfo[]) => seen(columns).filter(({ type }) => type !== 'text' && type !== 'boolean');
/** What can be told apart by its values. */
export const valuedOf = (columns: readonly ColumnInfo[], most = MOST_VALUES) =>
  seen(columns).filter(
    ({ type, distinct }) => (type === 'text' || type === 'boolean' || type === 'number') && distinct > 0 && distinct <= most,
  );
/** At first a text of few values, which is what bars show best. */
export const firstValued = (columns: readonly ColumnInfo[]): ColumnInfo | null =>
  columns.find(({ type, distinct }) => type === 'text' && distinct > 1 && distinct <= 40) ?? columns[0] ?? null;
/** At first a number that measures something, rather than one that names. */
export const firstNumber = (columns: readonly ColumnInfo[]): ColumnInfo | null => {
  const numbers = numbersOf(columns).filter(({ role }) => role === undefined);
  return numbers.find(({ distinct }) => distinct > 12) ?? numbers[0] ?? null;
};

/** The charts of what nobody has chosen charts for: what the source has, in one look. */
export function firstCharts(columns: readonly ColumnInfo[]): Chart[] {
  const charts: Chart[] = [];
  if (timesOf(columns).length > 0) charts.push({ id: 'times', kind: 'times', column: null });
  if (valuedOf(columns).length > 0) charts.push({ id: 'bars', kind: 'bars', column: null });
  if (firstNumber(columns)) charts.push({ id: 'histogram', kind: 'histogram', column: null });
  return charts;
}
