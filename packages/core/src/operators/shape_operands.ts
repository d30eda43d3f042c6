import type { Geometry, Position } from 'geojson';
import { systemSaid } from '../crs/located.ts';
import { isAreaRef, isBuffer, isSeveral } from '../filters/areas.ts';
import { isBox, isCall, isGeometry, isProperty, type BoxLiteral, type Expr } from '../filters/ast.ts';
import { FilterError, type Span } from '../filters/filter_error.ts';
import { unitReplacement } from '../filters/replacement.ts';
import { lengthUnit, LENGTH_UNITS } from '../space/units.ts';
import type { Checking } from './operator.ts';

/** What a relation is about: the column geometry, or the centroid of it. */
export function isSubject(expr: Expr): boolean {
  return isProperty(expr) || isCall(expr, 'CENTROID');
}

/** What a relation in space takes besides the column geometry. */
export interface Takes {
  /** Everything within a distance, which has no corners. */
  round?: true;
  /** Several places at once. */
  several?: true;
}

/** Checks the first two arguments of a relation: the column geometry on one side, something written out on the other. */
export function checkShapes(call: Checking, takes: Takes): void {
  const { name, at, example } = call;
  const sides = call.args.slice(0, 2);
  for (const [i, side] of sides.entries()) call.expect(side, ['geometry'], at(i), `Argument ${i + 1} of ${name}`);
  if (sides.filter(isSubject).length !== 1)
    throw new FilterError(`${name} compares the column geometry with a geometry that is written out`, at(0), example);
  for (const [i, side] of sides.entries()) checkLiteral(call, side, at(i));
  const round = sides.findIndex((side) => isRound(call, side));
  if (round >= 0 && !takes.round)
    throw new FilterError(
      `${name} needs a shape with corners; this is everything within a distance`,
      at(round),
      'What is within a distance can be met (S_INTERSECTS) or lie apart (S_DISJOINT)',
    );
  const several = sides.findIndex(isSeveral);
  if (several >= 0 && !takes.several) throw new FilterError(`${name} takes one shape, area, source or sieve`, at(several), example);
  for (const [i, side] of sides.entries()) if (isBox(side)) checkBox(side, call.projected, at(i));
}

function isRound(call: Checking, expr: Expr): boolean {
  if (isSeveral(expr)) return (expr.args as Expr[]).some((one) => isRound(call, one));
  return isBuffer(expr) || (isAreaRef(expr) && isBuffer(call.areas.get(expr.args[0]) as Expr));
}

/** Whether a written geometry can be longitude and latitude. */
export function checkLiteral({ projected }: Checking, expr: Expr, span: Span | null): void {
  if (projected || (!isGeometry(expr) && !isBox(expr))) return;
  // One that names its system has coordinates of that.
  if (isGeometry(expr) && systemSaid(expr) !== null) return;
  const box = isBox(expr) ? [expr.bbox.slice(0, 2), expr.bbox.slice(-2 - (expr.bbox.length === 6 ? 1 : 0)).slice(0, 2)] : [];
  for (const [x, y] of isGeometry(expr) ? positionsIn(expr) : box) {
    if (Math.abs(x) <= 180 && Math.abs(y) <= 90) continue;
    throw new FilterError(
      `${x} ${y} is outside longitude −180…180 and latitude −90…90`,
      span,
      'Longitude comes first. Coordinates of another system need that system named as the filter CRS',
    );
  }
}

/**
 * Refuses a distance that is no number of 0 or more in a known unit.
 * @throws FilterError
 */
export function checkDistance(
  { example }: Checking,
  distance: Expr,
  unit: Expr | undefined,
  [at, unitAt]: [Span | null, Span | null],
): void {
  if (typeof distance !== 'number' || distance < 0) throw new FilterError('The distance must be a number, 0 or more', at, example);
  if (unit === undefined || (typeof unit === 'string' && lengthUnit(unit))) return;
  const units = Object.keys(LENGTH_UNITS);
  throw new FilterError(
    'This is not a known unit of length',
    unitAt,
    `Use one of ${units.map((u) => `'${u}'`).join(', ')}`,
    unitReplacement(unit, units),
  );
}

/** West lies east of east only across the 180° meridian, which a box in a plane does not know (RFC 7946, 5.2). */
export function checkBox({ bbox }: BoxLiteral, projected: boolean, span: Span | null): void {
  const half = bbox.length / 2;
  const [[west, south], [east, north]] = [bbox, bbox.slice(half)];
  if (south > north) throw new FilterError('The south of the BBOX is north of its north', span, 'BBOX(west, south, east, north)');
  if (projected && west > east) throw new FilterError('The west of the BBOX is east of its east', span, 'BBOX(west, south, east, north)');
  if (half === 3 && bbox[2] > bbox[5])
    throw new FilterError('The lowest height of the BBOX is above its highest', span, 'BBOX(west, south, low, east, north, high)');
}

/** Every position of a geometry. */
export function positionsIn(geometry: Geometry): Position[] {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.flatMap(positionsIn);
  const deep = (value: unknown[]): Position[] =>
    typeof value[0] === 'number' ? [value as Position] : (value as unknown[][]).flatMap(deep);
  return deep(geometry.coordinates);
}
