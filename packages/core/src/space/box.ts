import type { MultiPolygon, Polygon, Position } from 'geojson';
import type { BoxLiteral } from '../filters/ast.ts';

/**
 * A box literal as a shape: two polygons when its west is east of its east, which is across the 180° meridian
 * (RFC 7946, 5.2). Heights of a box of six numbers play no part.
 */
export function shapeOfBox({ bbox }: BoxLiteral): Polygon | MultiPolygon {
  const [west, south, east, north] = bbox.length === 6 ? [0, 1, 3, 4].map((i) => bbox[i]) : bbox;
  const ring = (w: number, e: number): Position[] => [
    [w, south],
    [e, south],
    [e, north],
    [w, north],
    [w, south],
  ];
  if (west <= east) return { type: 'Polygon', coordinates: [ring(west, east)] };
  return { type: 'MultiPolygon', coordinates: [[ring(west, 180)], [ring(-180, east)]] };
}
