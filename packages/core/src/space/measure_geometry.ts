import type { Geometry, Position } from 'geojson';
import library from 'geographiclib-geodesic';

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
  return Math.abs(path.Compute(false, true).area ?? 0);
}

/** Measures a geometry in longitude and latitude as it is: holes are taken off, what parts cover together counts each time. */
export function measureOfGeometry(geometry: Geometry): Measure {
  const sum = (numbers: number[]) => numbers.reduce((total, one) => total + one, 0);
  const area = ([shell, ...holes]: Position[][]) =>
    shell ? geodesicArea(shell.slice(0, -1)) - sum(holes.map((hole) => geodesicArea(hole.slice(0, -1)))) : 0;
  switch (geometry.type) {
    case 'LineString':
      return { length: geodesicLength(geometry.coordinates), area: 0 };
    case 'MultiLineString':
      return { length: sum(geometry.coordinates.map(geodesicLength)), area: 0 };
    case 'Polygon':
      return { length: 0, area: area(geometry.coordinates) };
    case 'MultiPolygon':
      return { length: 0, area: sum(geometry.coordinates.map(area)) };
    case 'GeometryCollection': {
      const measures = geometry.geometries.map(measureOfGeometry);
      return { length: sum(measures.map(({ length }) => length)), area: sum(measures.map((one) => one.area)) };
    }
    default:
      return { length: 0, area: 0 };
  }
}
