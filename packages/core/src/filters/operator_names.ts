import { isCall, isInterval, type Expr } from './ast.ts';

const COMBINING = ['and', 'or', 'not', 'isNull', 'like', 'between', 'in', 'div', 'casei', 'accenti'];
const RELATIONS = ['equals', 'intersects', 'disjoint', 'touches', 'within', 'overlaps', 'crosses', 'contains'];
const TIME_RELATIONS = [
  ...['after', 'before', 'contains', 'disjoint', 'during', 'equals', 'finishedBy', 'finishes', 'intersects', 'meets'],
  ...['metBy', 'overlappedBy', 'overlaps', 'startedBy', 'starts'],
];
const ARRAY_RELATIONS = ['containedBy', 'contains', 'equals', 'overlaps'];
/** Functions beside the standard, under its rule for functions. */
const OWN = [
  ...['S_DWITHIN', 'S_NEAREST', 'S_SHARE_IN', 'CENTROID', 'SOURCE', 'SIEVE', 'ANY_OF', 'ALL_OF', 'AREA', 'BUFFER'],
  ...['AS_OF', 'LAST', 'NEXT', 'COULD_BE', 'KEPT_BY', 'YEAR', 'QUARTER', 'MONTH', 'WEEKDAY', 'HOUR', 'CODEPOINTS'],
];

const CANONICAL = new Map(
  [
    ...COMBINING,
    ...RELATIONS.map((name) => `s_${name}`),
    ...TIME_RELATIONS.map((name) => `t_${name}`),
    ...ARRAY_RELATIONS.map((name) => `a_${name}`),
    ...OWN,
  ].map((op) => [op.toUpperCase(), op]),
);

/**
 * An operator or function as everything behind the border spells it: those of the standard as its JSON encoding does,
 * those beside it in capitals. A name that is not known stays as it is, for the checker to refuse.
 */
export function canonicalOp(name: string): string {
  return CANONICAL.get(name.toUpperCase()) ?? name;
}

/** The expression with every operator spelled that way. */
export function canonicalExpr(expr: Expr): Expr {
  if (Array.isArray(expr)) return expr.map(canonicalExpr);
  if (typeof expr !== 'object') return expr;
  if (isInterval(expr)) return { interval: [canonicalExpr(expr.interval[0]), canonicalExpr(expr.interval[1])] };
  return isCall(expr) ? { op: canonicalOp(expr.op), args: expr.args.map(canonicalExpr) } : expr;
}
