import { exprOfForm, type Expr } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

/** The condition that a column begins with: one that keeps everything that has a value, ready to be narrowed. */
export function firstExpr(column: ColumnInfo): Expr {
  const base = { column: column.name, blanks: false };
  const { min, max } = column;
  switch (column.type) {
    case 'number':
      return typeof min === 'number' && typeof max === 'number'
        ? exprOfForm({ ...base, kind: 'between', low: min, high: max, outside: false })
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
