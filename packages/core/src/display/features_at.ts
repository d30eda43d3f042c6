import { checkpoint } from '../checkpoint.ts';
import { lonLatBoxOf, lonLatChunks, lonLatExtentOf } from '../crs/lon_lat_view.ts';
import { GROUP_ROWS } from '../features/column.ts';
import { emptyBox, growBox, POLYGON, type Box, type GeometryChunk } from '../features/geometry.ts';
import { has, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { fromMercator, toMercator } from './mercator.ts';

/** A feature at a place of the map. */
export interface FeatureThere {
  row: number;
  /** Metres of the web Mercator plane from the place to the feature; 0 inside of a polygon. */
  distance: number;
}

/**
 * The features that lie within reach of a place on the map as it is drawn: the nearest first, and of those as near the one that is drawn last.
 * @param x,y web Mercator metres
 * @param reach how far off a feature may be, in the same
 * @param wanted which rows are looked at; null all
 */
export function featuresAt(table: FeatureTable, x: number, y: number, reach: number, wanted: Mask | null): FeatureThere[] {
  const found: FeatureThere[] = [];
  const [west, south] = fromMercator(x - reach, y - reach);
  const [east, north] = fromMercator(x + reach, y + reach);
  for (const [group, chunk] of lonLatChunks(table).entries())
    // Longitudes that go on beyond 180° come round again.
    for (const turn of [0, 360, -360])
      for (const candidate of chunk.rowsInBox([west + turn, south, east + turn, north])) {
        const row = group * GROUP_ROWS + candidate;
        if (wanted && !has(wanted, row)) continue;
        const distance = distanceTo(chunk, candidate, x, y, turn);
        if (distance <= reach) found.push({ row, distance });
      }
  return found.sort((a, b) => a.distance - b.distance || b.row - a.row);
}

function distanceTo(chunk: GeometryChunk, row: number, px: number, py: number, turn: number): number {
  const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const at = (v: number) => toMercator(xy[2 * v] - turn, xy[2 * v + 1]);
  let best = Infinity;
  for (let part = rowParts[row]; part < rowParts[row + 1]; part++) {
    let inside = false;
    for (let ring = partRings[part]; ring < partRings[part + 1]; ring++) {
      const [from, to] = [ringVertices[ring], ringVertices[ring + 1]];
      if (from === to) continue;
      let [x1, y1] = at(from);
      best = Math.min(best, Math.hypot(x1 - px, y1 - py));
      for (let v = from + 1; v < to; v++) {
        const [x2, y2] = at(v);
        best = Math.min(best, toSegment(px, py, x1, y1, x2, y2));
        if (partKinds[part] === POLYGON && y1 > py !== y2 > py && px < x1 + ((py - y1) / (y2 - y1)) * (x2 - x1)) inside = !inside;
        [x1, y1] = [x2, y2];
      }
    }
    if (inside) return 0;
  }
  return best;
}

function toSegment(px: number, py: number, x1: number, y1: number, x2: number, y2: number): number {
  const [dx, dy] = [x2 - x1, y2 - y1];
  const length = dx * dx + dy * dy;
  const t = length === 0 ? 0 : Math.max(0, Math.min(1, ((px - x1) * dx + (py - y1) * dy) / length));
  return Math.hypot(x1 + t * dx - px, y1 + t * dy - py);
}

/** West, south, east, north in degrees of the features in a mask, null: of all; null where none has a place on the map. */
export function extentOfRows(table: FeatureTable, wanted: Mask | null): Box | null {
  let box = emptyBox();
  if (!wanted) box = lonLatExtentOf(table);
  else
    for (let row = 0; row < table.rows; row++) {
      if ((row & 8191) === 0) checkpoint();
      if (!has(wanted, row)) continue;
      const [west, south, east, north] = lonLatBoxOf(table, row);
      if (west > east) continue;
      growBox(box, west, south);
      growBox(box, east, north);
    }
  return box[0] <= box[2] ? box : null;
}
