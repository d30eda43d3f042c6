import { call, isCall, isProperty, property, type Expr } from './ast.ts';

/** A column as another one is compared with it: times a number, plus a number. */
export interface Linear {
  other: string;
  times: number;
  plus: number;
}

/** What an expression is of a single column, where it is written as `exprOfLinear` writes it; else null. */
export function linearOf(expr: Expr): Linear | null {
  if (isCall(expr, '+', '-')) {
    const [first, plus] = expr.args;
    const inner = timesOf(first);
    if (!inner || typeof plus !== 'number' || !(plus > 0)) return null;
    return { ...inner, plus: expr.op === '-' ? -plus : plus };
  }
  const plain = timesOf(expr);
  return plain && { ...plain, plus: 0 };
}

function timesOf(expr: Expr): Omit<Linear, 'plus'> | null {
  if (isProperty(expr)) return { other: expr.property, times: 1 };
  if (!isCall(expr, '*')) return null;
  const [column, times] = expr.args;
  return isProperty(column) && typeof times === 'number' && times !== 1 ? { other: column.property, times } : null;
}

/** `other * times + plus`, without what changes nothing. */
export function exprOfLinear({ other, times, plus }: Linear): Expr {
  const column = property(other);
  const product = times === 1 ? column : call('*', column, times);
  return plus === 0 ? product : call(plus < 0 ? '-' : '+', product, Math.abs(plus));
}
