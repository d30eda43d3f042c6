import type { Geometry } from 'geojson';
import { LENGTH_UNITS, lengthUnit } from '../space/units.ts';
import { isCall, isGeometry, isInterval, isObject, type Call, type Expr } from './ast.ts';
import type { OperandRef } from './operands.ts';

/** Names an area of the workspace: `AREA('Harbour front')`. */
export interface AreaRef {
  op: 'AREA';
  args: [string];
}
/** Every place within a distance of a geometry: `BUFFER(POINT(8.5 47.4), 500, 'm')`. The rim is where the distance is, not a polygon's edge. */
export interface Buffer {
  op: 'BUFFER';
  args: [Geometry, number, unit?: string];
}
/** What an area is made of, in longitude and latitude. */
export type AreaShape = Geometry | Buffer;
/** A shape that a condition is about: written out, or by the name of an area, a source or a sieve. */
export type OnePlace = AreaShape | AreaRef | OperandRef;
/** Several at once: what holds of one of them at least, or of each. */
export interface Several {
  op: 'ANY_OF' | 'ALL_OF';
  args: OnePlace[];
}
export type Place = OnePlace | Several;
export type AreaShapes = ReadonlyMap<string, AreaShape>;

/** Whether an expression names an area. */
export const isAreaRef = (expr: Expr): expr is Call & AreaRef => isCall(expr, 'AREA') && typeof expr.args[0] === 'string';
/** Whether an expression is everything within a distance of a geometry. */
export const isBuffer = (expr: Expr): expr is Call & Buffer => isCall(expr, 'BUFFER') && isGeometry(expr.args[0]);
/** Whether an expression is several places at once. */
export const isSeveral = (expr: Expr): expr is Call & Several => isCall(expr, 'ANY_OF', 'ALL_OF');
/** An area by its name. */
export const areaRef = (name: string): AreaRef => ({ op: 'AREA', args: [name] });
/**
 * Every place within a distance of a geometry.
 * @param unit a name of `LENGTH_UNITS`
 */
export const buffer = (geometry: Geometry, distance: number, unit: string): Buffer => ({ op: 'BUFFER', args: [geometry, distance, unit] });

/** Reach of a buffer in metres. */
export function reachOf({ args: [, distance, unit = 'm'] }: Buffer): number {
  return distance * LENGTH_UNITS[lengthUnit(unit)!];
}

/** The geometry behind a place, and how far round it the place reaches, in metres; null for a layer, for several places, and for an area that is not among the shapes. */
export function solidOf(place: Place, shapes: AreaShapes): { geometry: Geometry; reach: number } | null {
  const shape = 'op' in place && place.op === 'AREA' ? shapes.get(place.args[0]) : place;
  if (!shape || ('op' in shape && shape.op !== 'BUFFER')) return null;
  return 'op' in shape ? { geometry: shape.args[0], reach: reachOf(shape) } : { geometry: shape, reach: 0 };
}

/** Names of the areas that an expression is about, each once. */
export function areasIn(expr: Expr): string[] {
  const names = new Set<string>();
  const visit = (node: Expr): void => {
    if (Array.isArray(node)) node.forEach(visit);
    else if (!isObject(node)) return;
    else if (isInterval(node)) node.interval.forEach(visit);
    else if (isAreaRef(node)) names.add(node.args[0]);
    else if (isCall(node)) node.args.forEach(visit);
  };
  visit(expr);
  return [...names];
}
