import { exprOfForm, formatDay, type Expr } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

/**
 * The condition that a column begins with: one that keeps everything that has a value, ready to be narrowed. Of numbers it has
 * no upper end, which would leave out what a newer version of the source has beyond it.
 */
export function firstExpr(column: ColumnInfo): Expr {
  const base = { column: column.name, blanks: false };
  const { min } = column;
  switch (column.type) {
    case 'number':
      return typeof min === 'number'
        ? exprOfForm({ ...base, kind: 'compare', op: '>=', value: min })
        : exprOfForm({ ...base, kind: 'blank', not: true, empty: false });
    case 'boolean':
      return exprOfForm({ ...base, kind: 'yesno', value: true });
    case 'date':
    case 'datetime':
      return exprOfForm({
        ...base,
        kind: 'days',
        from: typeof min === 'string' ? min.slice(0, 10) : null,
        to: null,
        outside: false,
      });
    case 'text':
      return exprOfForm({ ...base, kind: 'blank', not: true, empty: column.empty > 0 });
  }
}

/** The condition that keeps what has this value. */
export function exprOfValue(column: ColumnInfo, value: string | number | boolean | null): Expr {
  const base = { column: column.name, blanks: false };
  if (value === null || value === '') return exprOfForm({ ...base, kind: 'blank', not: false, empty: column.empty > 0 });
  if (typeof value === 'boolean') return exprOfForm({ ...base, kind: 'yesno', value });
  if (typeof value === 'number') return exprOfForm({ ...base, kind: 'compare', op: '=', value });
  if (column.type === 'text') return exprOfForm({ ...base, kind: 'values', values: [value], none: false });
  const day = value.slice(0, 10);
  if (day.length === 10) return exprOfForm({ ...base, kind: 'day', test: 'on', day: { date: day } });
  // Known to the month or year only: every day that it can mean.
  const [year, month] = day.split('-');
  const last = month === undefined ? `${year}-12-31` : new Date(Date.UTC(Number(year), Number(month), 0)).toISOString().slice(0, 10);
  return exprOfForm({ ...base, kind: 'days', from: `${year}-${month ?? '01'}-01`, to: last, outside: false });
}

/** The condition that keeps a stretch of a histogram. @param low, high as the histogram has them: numbers, days or milliseconds */
export function exprOfStretch(column: ColumnInfo, low: number, high: number): Expr {
  const base = { column: column.name, blanks: false, outside: false };
  if (column.type === 'number') return exprOfForm({ ...base, kind: 'between', low, high });
  const day = (value: number) => formatDay(Math.floor(column.type === 'date' ? value : value / 86_400_000));
  return exprOfForm({ ...base, kind: 'days', from: day(low), to: day(high) });
}
