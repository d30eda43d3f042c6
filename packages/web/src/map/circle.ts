import { fromMercator, geodesicDistance, geodesicPoint, toMercator } from '@clean-sieve/core';
import type { Coordinate } from 'ol/coordinate.js';

const CORNERS = 128;

/** Outline, for drawing only, of everything within so many metres of a place: Web Mercator ring. */
export function circleRing(lon: number, lat: number, metres: number): Coordinate[] {
  const ring: Coordinate[] = [];
  for (let i = 0; i <= CORNERS; i++) {
    const [x, y] = geodesicPoint(lon, lat, (360 * i) / CORNERS, metres);
    // Keep the ring in one piece where it crosses the 180° meridian.
    const turn = Math.round((x - lon) / 360) * 360;
    ring.push(toMercator(x - turn, y));
  }
  return ring;
}

/** Geodesic distance in metres between two places on the map. */
export function mapDistance(a: Coordinate, b: Coordinate): number {
  const [lon1, lat1] = fromMercator(a[0], a[1]);
  const [lon2, lat2] = fromMercator(b[0], b[1]);
  return geodesicDistance(lon1, lat1, lon2, lat2);
}
