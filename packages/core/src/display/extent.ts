import { checkpoint } from '../checkpoint.ts';
import { lonLatBoxOf, lonLatChunks, lonLatExtentOf } from '../crs/lon_lat_view.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { emptyBox, growBox, type Box } from '../features/geometry.ts';
import { has, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';

/**
 * West, south, east, north in degrees of the features in a mask, null: of all; null where none has a place on the map. What lies
 * closer together across the 180° meridian than the other way round ends beyond it: then east is more than 180.
 */
export function extentOfRows(table: FeatureTable, wanted: Mask | null): Box | null {
  const box = plainExtent(table, wanted);
  if (box[0] > box[2]) return null;
  return box[2] - box[0] > 180 ? (extentAcross(table, wanted, box) ?? box) : box;
}

function plainExtent(table: FeatureTable, wanted: Mask | null): Box {
  if (!wanted) return lonLatExtentOf(table);
  const box = emptyBox();
  for (let row = 0; row < table.rows; row++) {
    if ((row & 8191) === 0) checkpoint();
    if (!has(wanted, row)) continue;
    const [west, south, east, north] = lonLatBoxOf(table, row);
    if (west > east) continue;
    growBox(box, west, south);
    growBox(box, east, north);
  }
  return box;
}

/** The extent from the east end of the widest gap to its west end; null where that is half of the world and more. */
function extentAcross(table: FeatureTable, wanted: Mask | null, [, south, , north]: Box): Box | null {
  const [starts, ends] = partSpans(table, wanted);
  starts.sort();
  ends.sort();
  let best: Box | null = null;
  for (let i = 1; i < starts.length; i++) {
    // As many parts have ended as have begun: nothing lies between.
    if (ends[i - 1] >= starts[i]) continue;
    const span = ends[i - 1] + 360 - starts[i];
    if (span <= 180 && span < (best ? best[2] - best[0] : Infinity)) best = [starts[i], south, ends[i - 1] + 360, north];
  }
  return best;
}

/** West and east end of each part of the features. */
function partSpans(table: FeatureTable, wanted: Mask | null): [Float64Array, Float64Array] {
  const chunks = lonLatChunks(table);
  const parts = chunks.reduce((sum, chunk) => sum + chunk.partKinds.length, 0);
  const [starts, ends] = [new Float64Array(parts), new Float64Array(parts)];
  let at = 0;
  for (const [number, { rowParts, partRings, ringVertices, xy }] of chunks.entries()) {
    for (let row = 0; row < rowParts.length - 1; row++) {
      if ((row & 8191) === 0) checkpoint();
      if (wanted && !has(wanted, number * CHUNK_ROWS + row)) continue;
      for (let part = rowParts[row]; part < rowParts[row + 1]; part++) {
        const [from, to] = [ringVertices[partRings[part]], ringVertices[partRings[part + 1]]];
        if (from === to) continue;
        let [west, east] = [Infinity, -Infinity];
        for (let v = from; v < to; v++) [west, east] = [Math.min(west, xy[2 * v]), Math.max(east, xy[2 * v])];
        [starts[at], ends[at]] = [west, east];
        at++;
      }
    }
  }
  return [starts.subarray(0, at), ends.subarray(0, at)];
}
