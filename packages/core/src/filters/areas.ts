import type { Geometry } from 'geojson';
import { LENGTH_UNITS, lengthUnit } from '../space/units.ts';
import { call, isCall, isGeometry, isInterval, isObject, type Call, type Expr } from './ast.ts';

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
/** A shape that a condition is about: written out, or by the name of an area. */
export type Place = AreaShape | AreaRef;
export type AreaShapes = ReadonlyMap<string, AreaShape>;

export const isAreaRef = (expr: Expr): expr is Call & AreaRef => isCall(expr, 'AREA') && typeof expr.args[0] === 'string'; // prettier-ignore
export const isBuffer = (expr: Expr): expr is Call & Buffer => isCall(expr, 'BUFFER') && isGeometry(expr.args[0]);
export const areaRef = (name: string): AreaRef => ({ op: 'AREA', args: [name] });
export const buffer = (geometry: Geometry, distance: number, unit: string): Buffer => ({ op: 'BUFFER', args: [geometry, distance, unit] }); // prettier-ignore

/** Reach of a buffer in metres. */
export function reachOf({ args: [, distance, unit = 'm'] }: Buffer): number {
  return distance * LENGTH_UNITS[lengthUnit(unit)!];
}

/** The geometry behind a place, and how far round it the place reaches, in metres; null for an area that is not among the shapes. */
export function solidOf(place: Place, shapes: AreaShapes): { geometry: Geometry; reach: number } | null {
  const shape = 'op' in place && place.op === 'AREA' ? shapes.get(place.args[0]) : place;
  if (!shape) return null;
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

/** The same expression about an area that has a new name. */
export function renamedArea(expr: Expr, from: string, to: string): Expr {
  return exchanged(expr, (node) => (isAreaRef(node) && node.args[0] === from ? areaRef(to) : null));
}

/**
 * The expression with the shapes of the areas in the place of their names, and buffers as the distances that they are:
 * to meet a buffer is to come within its distance.
 * Throws an error for an area that is not among the shapes, which the checker finds first.
 */
export function withShapes(expr: Expr, shapes: AreaShapes): Expr {
  const named = exchanged(expr, (node) => {
    if (!isAreaRef(node)) return null;
    const shape = shapes.get(node.args[0]);
    if (!shape) throw new Error(`There is no area ${node.args[0]}`);
    return shape as Expr;
  });
  return exchanged(named, (node) => {
    if (!isCall(node) || !/^s_/i.test(node.op)) return null;
    const at = node.args.findIndex(isBuffer);
    if (at < 0) return null;
    const [geometry, distance, unit = 'm'] = (node.args[at] as unknown as Buffer).args;
    const within = (more: number) => call('S_DWITHIN', node.args[1 - at], geometry, ...reach(distance, unit, more));
    if (node.op === 's_disjoint') return call('not', within(0));
    if (node.op.toUpperCase() === 'S_DWITHIN')
      return within((node.args[2] as number) * LENGTH_UNITS[lengthUnit((node.args[3] as string | undefined) ?? 'm')!]);
    return within(0);
  });
}

function reach(distance: number, unit: string, more: number): [number, string] {
  return more === 0 ? [distance, unit] : [distance * LENGTH_UNITS[lengthUnit(unit)!] + more, 'm'];
}

/** A copy in which every node that `change` gives another for is exchanged; the same object where nothing is. */
function exchanged(expr: Expr, change: (node: Expr) => Expr | null): Expr {
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
