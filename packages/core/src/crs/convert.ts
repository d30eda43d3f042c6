import type { Geometry, Position } from 'geojson';
import { isBox, isCall, isGeometry, type Expr } from '../filters/ast.ts';
import { shapeOfBox } from '../space/box.ts';
import { fromLonLat, isGeographic, metresPerUnit, sameCrs, toLonLat, type Crs, type Transform } from './crs.ts';

/** A literal that lies, in part, where the other system has no coordinates. */
export class OutsideCrsError extends Error {}

/** Straight edges are cut until they are this near (metres or degrees × 10⁻⁵) to where they were. */
const DEVIATION = 1e-3;
const DEEPEST = 16;

/** Conversion between two systems by way of longitude and latitude. */
export function transformBetween(from: Crs, to: Crs): Transform {
  if (sameCrs(from, to)) return (x, y) => [x, y];
  const [out, back] = [toLonLat(from), fromLonLat(to)];
  return (x, y) => back(...out(x, y));
}

/**
 * The expression with its geometry literals in another system. Edges stay where they were: an edge that is straight in
 * its own system and not in the other becomes as many as it takes to keep it within a millimetre.
 * Throws OutsideCrsError for what the other system cannot express.
 */
export function convertLiterals(expr: Expr, from: Crs, to: Crs): Expr {
  if (sameCrs(from, to)) return expr;
  const transform = transformBetween(from, to);
  const tolerance = isGeographic(to) ? DEVIATION * 1e-5 : DEVIATION / metresPerUnit(to);
  const convert = (node: Expr): Expr => {
    if (typeof node !== 'object') return node;
    if (Array.isArray(node)) return node.map(convert);
    if (isGeometry(node)) return convertGeometry(node, transform, tolerance);
    if (isBox(node)) return convertGeometry(shapeOfBox(node), transform, tolerance);
    if (isCall(node)) return { op: node.op, args: node.args.map(convert) };
    return node;
  };
  return convert(expr);
}

/**
 * A geometry in another system, with corners put into edges that would bend there by more than the tolerance.
 * @param tolerance in units of the target system
 * @throws OutsideCrsError for a position that the target system does not reach
 */
export function convertGeometry(geometry: Geometry, transform: Transform, tolerance: number): Geometry {
  const at = ([x, y, ...rest]: Position): Position => {
    const [u, v] = transform(x, y);
    if (!Number.isFinite(u) || !Number.isFinite(v)) throw new OutsideCrsError(`${x} ${y} lies outside the area of the coordinate system`);
    return [u, v, ...rest];
  };
  const between = (a: Position, b: Position, left: Position, right: Position, out: Position[], depth: number): void => {
    const along = (t: number) => a.map((value, i) => value + t * (b[i] - value));
    const middle = along(0.5);
    const mapped = at(middle);
    // In the middle alone, an edge that bends both ways would seem straight.
    const off = [at(along(0.25)), mapped, at(along(0.75))].map(([x, y], i) => {
      const t = (i + 1) / 4;
      return Math.hypot(x - left[0] - t * (right[0] - left[0]), y - left[1] - t * (right[1] - left[1]));
    });
    if (Math.max(...off) <= tolerance || depth >= DEEPEST) return;
    between(a, middle, left, mapped, out, depth + 1);
    out.push(mapped);
    between(middle, b, mapped, right, out, depth + 1);
  };
  const line = (positions: Position[]): Position[] => {
    const out: Position[] = [];
    let previous: Position | null = null;
    for (const [i, position] of positions.entries()) {
      const mapped = at(position);
      if (previous && tolerance < Infinity) between(positions[i - 1], position, previous, mapped, out, 0);
      out.push(mapped);
      previous = mapped;
    }
    return out;
  };
  switch (geometry.type) {
    case 'Point':
      return { ...geometry, coordinates: geometry.coordinates.length > 0 ? at(geometry.coordinates) : [] };
    case 'MultiPoint':
      return { ...geometry, coordinates: geometry.coordinates.map(at) };
    case 'LineString':
      return { ...geometry, coordinates: line(geometry.coordinates) };
    case 'MultiLineString':
    case 'Polygon':
      return { ...geometry, coordinates: geometry.coordinates.map(line) };
    case 'MultiPolygon':
      return { ...geometry, coordinates: geometry.coordinates.map((rings) => rings.map(line)) };
    case 'GeometryCollection':
      return { ...geometry, geometries: geometry.geometries.map((g) => convertGeometry(g, transform, tolerance)) };
  }
}
