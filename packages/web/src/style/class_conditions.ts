import { BLANK, call, exprOfForm, formatDay, formatInstant, property, REST, type Classing, type Expr, type Value } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { exprOfExactly } from '../stack/exact_value.ts';

/** The conditions that keep exactly the features of one class, to stand one after another. */
export function conditionsOfClass(classing: Classing, { name, type }: Pick<ColumnInfo, 'name' | 'type'>, number: number): Expr[] {
  const exactly = (value: Value) => {
    const expr = exprOfExactly({ name, type }, value);
    return expr === null ? [] : [expr];
  };
  if (number === BLANK) return exactly(null);
  if (classing.kind === 'values') {
    const values = classing.classes.map(({ value }) => value);
    if (number !== REST) return exactly(values[number]);
    const listed = values.filter((value) => typeof value !== 'boolean');
    if (listed.length === values.length) return [exprOfForm({ kind: 'values', column: name, values: listed, none: true, blanks: false })];
    // Of yes and no, what is not listed is the other one.
    return values.length === 1 ? exactly(values[0] === false) : [];
  }
  const literal = (bound: number): Expr => {
    if (type === 'date') return { date: formatDay(bound) };
    return type === 'datetime' ? { timestamp: formatInstant(bound, 0) } : bound;
  };
  const { bounds } = classing;
  return [
    ...(number > 0 ? [call('>=', property(name), literal(bounds[number - 1]))] : []),
    ...(number < bounds.length ? [call('<', property(name), literal(bounds[number]))] : []),
    // Of a column in one piece: all that has a value.
    ...(bounds.length === 0 ? [exprOfForm({ kind: 'blank', column: name, not: true, empty: false, blanks: false })] : []),
  ];
}
