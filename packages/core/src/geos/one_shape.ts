import type { Geometry } from 'geojson';
import type { Geos } from './geos.ts';

/**
 * Several geometries as one that covers what any of them covers, valid in the sense of OGC 06-103r4: overlapping and
 * adjoining polygons are joined, crossing rings taken apart.
 * @returns the shape and what was wrong with those given, null when nothing was
 */
export function oneShape(geometries: readonly Geometry[], geos: Geos): { shape: Geometry; repaired: string | null } {
  const flat = geometries.flatMap(membersOf);
  const wrong = flat.map((geometry) => geos.invalidity(geometry)?.reason ?? null).find((reason) => reason !== null);
  if (flat.length === 1 && wrong === undefined) return { shape: flat[0], repaired: null };
  const valid = flat.map((geometry) => (geos.invalidity(geometry) ? geos.madeValid(geometry) : geometry));
  return { shape: geos.union(valid), repaired: wrong ?? null };
}

function membersOf(geometry: Geometry): Geometry[] {
  return geometry.type === 'GeometryCollection' ? geometry.geometries.flatMap(membersOf) : [geometry];
}
