import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { POINT, POLYGON, type GeometryChunk } from '../features/geometry.ts';
import { has, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { planeNamed, type PlaneName } from './plane.ts';

/** A feature at a place of the map. */
export interface FeatureThere {
  row: number;
  /** Metres of the plane of the map from the place to the feature; 0 inside of a polygon. */
  distance: number;
  /** Of its parts the greatest. */
  dimension: Dimension;
}

/** Of a point, a line, an area. */
export type Dimension = 0 | 1 | 2;

/**
 * The features that lie within reach of a place on the map as it is drawn: the nearest first, and of those as near the one that is drawn last.
 * @param x,y metres of the plane that the map is drawn on
 * @param reach how far off a feature may be, in the same
 * @param wanted which rows are looked at; null all
 */
export function featuresAt(
  table: FeatureTable,
  x: number,
  y: number,
  reach: number,
  wanted: Mask | null,
  name: PlaneName = 'mercator',
): FeatureThere[] {
  const found = new Map<number, FeatureThere>();
  const plane = planeNamed(name);
  const [west, south, east, north] = plane.around([x - reach, y - reach, x + reach, y + reach]);
  for (const [chunkNumber, chunk] of lonLatChunks(table).entries())
    // Longitudes that go on beyond 180° come round again.
    for (const turn of [0, 360, -360])
      for (const candidate of chunk.rowsInBox([west + turn, south, east + turn, north])) {
        const row = chunkNumber * CHUNK_ROWS + candidate;
        if (wanted && !has(wanted, row)) continue;
        const distance = distanceTo(chunk, candidate, x, y, (lon, lat) => plane.forward(lon - turn, lat));
        const before = found.get(row);
        if (distance <= reach && !(before && before.distance <= distance))
          found.set(row, { row, distance, dimension: dimensionOf(chunk, candidate) });
      }
  return [...found.values()].sort((a, b) => a.distance - b.distance || b.row - a.row);
}

function dimensionOf({ rowParts, partKinds }: GeometryChunk, row: number): Dimension {
  let greatest: Dimension = 0;
  for (let part = rowParts[row]; part < rowParts[row + 1]; part++)
    if (partKinds[part] === POLYGON) return 2;
    else if (partKinds[part] !== POINT) greatest = 1;
  return greatest;
}

function distanceTo(
  chunk: GeometryChunk,
  row: number,
  px: number,
  py: number,
  forward: (lon: number, lat: number) => [number, number],
): number {
  const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const at = (v: number) => forward(xy[2 * v], xy[2 * v + 1]);
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
