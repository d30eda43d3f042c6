import { isCall, isInterval, isObject, type Expr } from './ast.ts';

/** A copy in which every node that `change` gives another for is exchanged; the same object where nothing is. */
export function exchanged(expr: Expr, change: (node: Expr) => Expr | null): Expr {
  const other = change(expr);
  if (other !== null) return other;
  if (Array.isArray(expr)) {
    const items = expr.map((item) => exchanged(item, change));
    return items.every((item, i) => item === expr[i]) ? expr : items;
  }
  if (!isObject(expr) || isInterval(expr) || !isCall(expr)) return expr;
  const args = expr.args.map((arg) => exchanged(arg, change));
  return args.every((arg, i) => arg === expr.args[i]) ? expr : { ...expr, args };
}
