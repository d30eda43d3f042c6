import type { Geometry } from 'geojson';
import { ReadError } from '../read_error.ts';

const DEPTH: Record<string, number> = {
  Point: 0,
  MultiPoint: 1,
  LineString: 1,
  MultiLineString: 2,
  Polygon: 2,
  MultiPolygon: 3,
};

/**
 * Checks a geometry member of a GeoJSON feature (RFC 7946, section 3.1): type, nesting, numbers.
 * @param where how a message names the feature
 */
export function checkedGeometry(value: unknown, where: string): Geometry | null {
  if (value === null || value === undefined) return null;
  if (typeof value !== 'object' || Array.isArray(value)) throw new ReadError(`${where}: the geometry is not an object`);
  const { type, coordinates, geometries } = value as { type?: unknown; coordinates?: unknown; geometries?: unknown };
  if (type === 'GeometryCollection') {
    if (!Array.isArray(geometries)) throw new ReadError(`${where}: the GeometryCollection has no “geometries” array`);
    const members = geometries.map((member) => checkedGeometry(member, where));
    return { type, geometries: members.filter((member) => member !== null) };
  }
  if (typeof type !== 'string' || !Object.hasOwn(DEPTH, type)) {
    throw new ReadError(
      `${where}: ${JSON.stringify(type) ?? 'nothing'} is not a geometry type`,
      'Known are Point, LineString, Polygon, their Multi forms and GeometryCollection',
    );
  }
  if (!Array.isArray(coordinates)) throw new ReadError(`${where}: the ${type} has no “coordinates” array`);
  if (type === 'Point' && coordinates.length === 0) return { type, coordinates: [] };
  checkNested(coordinates, DEPTH[type], where);
  return { type, coordinates } as Geometry;
}

function checkNested(value: unknown, depth: number, where: string): void {
  if (!Array.isArray(value)) throw new ReadError(`${where}: found ${JSON.stringify(value)?.slice(0, 40)} where coordinates should be`);
  if (depth > 0) {
    for (const item of value) checkNested(item, depth - 1, where);
    return;
  }
  const [x, y, z] = value as unknown[];
  if (value.length < 2 || typeof x !== 'number' || typeof y !== 'number' || (z !== undefined && z !== null && typeof z !== 'number')) {
    throw new ReadError(
      `${where}: ${JSON.stringify(value).slice(0, 60)} is not a position`,
      'A position is [longitude, latitude], in numbers',
    );
  }
  if (z === null) value.length = 2;
}
