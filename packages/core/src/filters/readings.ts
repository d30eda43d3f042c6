import { call, isCall, isInterval, isObject, type Call, type Expr } from './ast.ts';
import type { Span } from './filter_error.ts';
import type { Parsed } from './parser.ts';

/** Two ways to read a place where AND and OR stand side by side without brackets. */
export interface TwoReadings {
  span: Span;
  /** The whole filter as the standard reads it: AND first (OGC 21-065r2, Annex B). */
  andFirst: Expr;
  /** The whole filter as read when OR is taken first. */
  orFirst: Expr;
}

/** The places of a filter text that readers take either way. */
export function twoReadings(parsed: Parsed): TwoReadings[] {
  return parsed.mixed.map(({ or, loose }) => ({
    span: parsed.spans.get(or) ?? parsed.span,
    andFirst: parsed.expr,
    orFirst: exchanged(parsed.expr, or, orTakenFirst(or, loose)),
  }));
}

/** `a OR b AND c OR d` as `(a OR b) AND (c OR d)`. */
function orTakenFirst(or: Call, loose: Set<Expr>): Expr {
  const factors: Expr[][] = [[]];
  for (const arg of or.args) {
    const terms = loose.has(arg) && isCall(arg, 'and') ? arg.args : [arg];
    factors[factors.length - 1].push(terms[0]);
    for (const term of terms.slice(1)) factors.push([term]);
  }
  return call('and', ...factors.map((terms) => (terms.length === 1 ? terms[0] : call('or', ...terms))));
}

function exchanged(expr: Expr, target: Expr, by: Expr): Expr {
  if (expr === target) return by;
  if (Array.isArray(expr)) return expr.map((item) => exchanged(item, target, by));
  if (!isObject(expr) || isInterval(expr) || !isCall(expr)) return expr;
  return { ...expr, args: expr.args.map((arg) => exchanged(arg, target, by)) };
}
