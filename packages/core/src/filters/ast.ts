import type { Geometry } from 'geojson';

/**
 * A filter expression. The tree has the shape of CQL2 JSON (OGC 21-065r2, clause "CQL2 JSON"), so that the JSON
 * encoding is the tree itself.
 */
export type Expr =
  number | string | boolean | PropertyRef | Call | DateLiteral | TimestampLiteral | IntervalLiteral | BoxLiteral | Geometry | Expr[];

export interface PropertyRef {
  property: string;
}
/** An operator or function: `and`, `=`, `like`, `s_intersects`, `casei`, or a function by its own name. */
export interface Call {
  op: string;
  args: Expr[];
}
export interface DateLiteral {
  date: string;
}
export interface TimestampLiteral {
  timestamp: string;
}
/** Both ends inclusive; `..` is an open end. */
export interface IntervalLiteral {
  interval: [Expr, Expr];
}
export interface BoxLiteral {
  bbox: number[];
}

export const COMPARISONS = ['=', '<>', '<', '<=', '>', '>='] as const;
export type Comparison = (typeof COMPARISONS)[number];

/** The name by which every filter speaks of a feature's geometry. */
export const GEOMETRY_NAME = 'geometry';

export const isObject = (expr: Expr): expr is Exclude<Expr, number | string | boolean | Expr[]> =>
  typeof expr === 'object' && !Array.isArray(expr);
export const isCall = (expr: Expr, ...ops: string[]): expr is Call =>
  isObject(expr) && 'op' in expr && (ops.length === 0 || ops.includes(expr.op));
export const isProperty = (expr: Expr): expr is PropertyRef => isObject(expr) && 'property' in expr;
export const isDate = (expr: Expr): expr is DateLiteral => isObject(expr) && 'date' in expr;
export const isTimestamp = (expr: Expr): expr is TimestampLiteral => isObject(expr) && 'timestamp' in expr;
export const isInterval = (expr: Expr): expr is IntervalLiteral => isObject(expr) && 'interval' in expr;
export const isBox = (expr: Expr): expr is BoxLiteral => isObject(expr) && 'bbox' in expr && !('type' in expr);
export const isGeometry = (expr: Expr): expr is Geometry => isObject(expr) && 'type' in expr;

export const call = (op: string, ...args: Expr[]): Call => ({ op, args });
export const property = (name: string): PropertyRef => ({ property: name });

/** Whether two expressions are written the same, operators and operands in the same order. */
export function sameExpr(a: Expr, b: Expr): boolean {
  return a === b || JSON.stringify(a) === JSON.stringify(b);
}

/** Every property named in an expression, each once, in order of appearance; the geometry is not among them. */
export function propertiesIn(expr: Expr): string[] {
  const names = new Set<string>();
  const visit = (node: Expr) => {
    if (Array.isArray(node)) node.forEach(visit);
    else if (!isObject(node)) return;
    else if (isProperty(node)) names.add(node.property);
    else if (isCall(node)) node.args.forEach(visit);
    else if (isInterval(node)) node.interval.forEach(visit);
  };
  visit(expr);
  names.delete(GEOMETRY_NAME);
  return [...names];
}
