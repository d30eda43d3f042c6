import type { Geometry, Position } from 'geojson';
import { ReadError } from '../read_error.ts';

/** What was odd but could be taken, counted over a file. */
export interface Oddities {
  closedRings: number;
  shortLines: number;
}

const DEPTH: Record<string, number> = {
  Point: 0,
  MultiPoint: 1,
  LineString: 1,
  MultiLineString: 2,
  Polygon: 2,
  MultiPolygon: 3,
};

/**
 * Checks a geometry member of a GeoJSON feature (RFC 7946, section 3.1): type, nesting, finite numbers, longitude
 * and latitude in range. Rings that are not closed are closed and counted.
 * @param where how a message names the feature
 */
export function checkedGeometry(value: unknown, where: string, odd: Oddities): Geometry | null {
  if (value === null || value === undefined) return null;
  if (typeof value !== 'object' || Array.isArray(value)) throw new ReadError(`${where}: the geometry is not an object`);
  const { type, coordinates, geometries } = value as { type?: unknown; coordinates?: unknown; geometries?: unknown };
  if (type === 'GeometryCollection') {
    if (!Array.isArray(geometries)) throw new ReadError(`${where}: the GeometryCollection has no “geometries” array`);
    const members = geometries.map((member) => checkedGeometry(member, where, odd));
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
  if (type === 'Polygon') (coordinates as Position[][]).forEach((ring) => closeRing(ring, odd));
  if (type === 'MultiPolygon')
    (coordinates as Position[][][]).forEach((part) => part.forEach((ring) => closeRing(ring, odd)));
  if (type === 'LineString' && coordinates.length === 1) odd.shortLines++;
  return { type, coordinates } as Geometry;
}

function checkNested(value: unknown, depth: number, where: string): void {
  if (!Array.isArray(value))
    throw new ReadError(`${where}: found ${JSON.stringify(value)?.slice(0, 40)} where coordinates should be`);
  if (depth > 0) {
    for (const item of value) checkNested(item, depth - 1, where);
    return;
  }
  const [x, y, z] = value as unknown[];
  if (
    value.length < 2 ||
    typeof x !== 'number' ||
    typeof y !== 'number' ||
    (z !== undefined && z !== null && typeof z !== 'number')
  ) {
    throw new ReadError(
      `${where}: ${JSON.stringify(value).slice(0, 60)} is not a position`,
      'A position is [longitude, latitude], in numbers',
    );
  }
  checkLonLat(x, y, where);
  if (z === null) value.length = 2;
}

/** Refuses what cannot be longitude and latitude in degrees. */
export function checkLonLat(lon: number, lat: number, where: string): void {
  if (Math.abs(lon) <= 180 && Math.abs(lat) <= 90) return;
  const swapped = Math.abs(lat) <= 180 && Math.abs(lon) <= 90;
  throw new ReadError(
    `${where}: ${lon}, ${lat} is outside longitude −180…180 and latitude −90…90`,
    swapped
      ? 'The two seem to be swapped: longitude comes first'
      : 'Projected coordinates have to be converted to longitude and latitude (WGS 84)',
  );
}

function closeRing(ring: Position[], odd: Oddities): void {
  if (ring.length === 0) return;
  const [first, last] = [ring[0], ring[ring.length - 1]];
  if (first[0] === last[0] && first[1] === last[1]) return;
  ring.push(first.slice());
  odd.closedRings++;
}
