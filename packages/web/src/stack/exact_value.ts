import { call, exprOfForm, property, type Expr } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

/**
 * The condition that keeps exactly what has this value, as a legend or a table counts it: blanks and empty texts apart. Null
 * where no condition does: a date that is known to the month or year only, a moment that can be written in several ways.
 */
export function exprOfExactly({ name, type }: Pick<ColumnInfo, 'name' | 'type'>, value: string | number | boolean | null): Expr | null {
  const base = { column: name, blanks: false };
  if (value === null) return exprOfForm({ ...base, kind: 'blank', not: false, empty: false });
  if (typeof value === 'boolean') return exprOfForm({ ...base, kind: 'yesno', value });
  if (type === 'datetime') return null;
  if (type !== 'date') return exprOfForm({ ...base, kind: 'values', values: [value], none: false });
  return typeof value === 'string' && value.length === 10 ? call('=', property(name), { date: value }) : null;
}
