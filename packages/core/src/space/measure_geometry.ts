import type { Geometry, Position } from 'geojson';
import library from 'geographiclib-geodesic';
import { singleParts } from './single_parts.ts';

/** Length of all lines in metres and area of all polygons in square metres, on the WGS 84 ellipsoid. */
export interface Measure {
  length: number;
  area: number;
}

/** Length of a line through positions in longitude and latitude, in metres, along geodesics. */
export function geodesicLength(positions: Iterable<Position>): number {
  const path = library.Geodesic.WGS84.Polygon(true);
  for (const [lon, lat] of positions) path.AddPoint(lat, lon);
  return path.Compute(false, true).perimeter;
}

/**
 * Area within a ring in square metres, whichever way it runs; its edges are geodesics. Source: C. F. F. Karney, Algorithms for
 * geodesics, J. Geodesy 87 (2013), section 6.
 * @param positions in longitude and latitude, without the first one again at the end
 */
export function geodesicArea(positions: Iterable<Position>): number {
  const path = library.Geodesic.WGS84.Polygon(false);
  for (const [lon, lat] of positions) path.AddPoint(lat, lon);
  return Math.abs(path.Compute(false, true).area);
}

/** Measures a geometry in longitude and latitude as it is: holes are taken off, what parts cover together counts each time. */
export function measureOfGeometry(geometry: Geometry): Measure {
  return measuredBy(geometry, geodesicLength, (ring) => geodesicArea(ring.slice(0, -1)));
}

/**
 * Length and area of the lines and polygons of a geometry.
 * @param areaOf area within a closed ring, whichever way it runs
 */
export function measuredBy(geometry: Geometry, lengthOf: (line: Position[]) => number, areaOf: (ring: Position[]) => number): Measure {
  const measure: Measure = { length: 0, area: 0 };
  for (const part of singleParts(geometry)) {
    if (part.type === 'LineString') measure.length += lengthOf(part.coordinates);
    if (part.type === 'Polygon') measure.area += part.coordinates.reduce((sum, ring, i) => sum + (i === 0 ? 1 : -1) * areaOf(ring), 0);
  }
  return measure;
}
