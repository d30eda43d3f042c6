import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { and, count, emptyMask, rowsOf, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import type { Shape } from '../space/shape.ts';
import { distanceToShape, markWithinDistance } from '../space/within_distance.ts';

/** Farther than any two places on the earth, in metres. */
const FARTHEST = 2.1e7;
/** Rows of which the distance itself is computed; until there are so few, radii are tried, which is far cheaper. */
const FEW = 256;
const GROWTH = 1.25;

/**
 * Distance in metres from a shape to the nearest of some rows, on the ellipsoid; null when none of them has a place.
 * @param from a radius, above 0, from which on farther ones are tried
 */
export function nearestDistance(table: FeatureTable, shape: Shape, rows: Mask, from: number): number | null {
  const chunks = lonLatChunks(table);
  const within = (metres: number): Mask => {
    const hit = emptyMask(table.rows);
    chunks.forEach((chunk, chunkNumber) => markWithinDistance(chunk, shape, metres, hit, chunkNumber * CHUNK_ROWS));
    return and(hit, rows, hit);
  };
  let [near, far] = [0, from];
  let found = within(far);
  while (count(found) === 0) {
    if (far > FARTHEST) return null;
    [near, far] = [far, far * GROWTH];
    found = within(far);
  }
  // Only to a point from points is a radius tried so cheaply that halving is worth it.
  const halving = shape.point !== null && chunks.every((chunk) => chunk.onlyPoints);
  while (halving && count(found) > FEW && far - near > 1e-3) {
    const middle = (near + far) / 2;
    const nearer = within(middle);
    if (count(nearer) === 0) near = middle;
    else [far, found] = [middle, nearer];
  }
  let least = Infinity;
  for (const row of rowsOf(found)) least = Math.min(least, distanceToShape(chunks[Math.floor(row / CHUNK_ROWS)], row % CHUNK_ROWS, shape));
  return least;
}
