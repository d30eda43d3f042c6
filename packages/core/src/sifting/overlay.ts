import type { Geometry } from 'geojson';
import { checkpoint } from '../checkpoint.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import type { GeometryChunk } from '../features/geometry.ts';
import { has } from '../features/mask.ts';
import { geometryOfWkb } from '../formats/geometry/wkb.ts';
import { engineBytes } from '../geos/engine_bytes.ts';
import type { Geos } from '../geos/geos.ts';
import { intersectionTest } from '../space/intersects.ts';
import { Shape } from '../space/shape.ts';
import { alongLines } from './along_lines.ts';
import type { Side } from './pairs.ts';

/** What a row is laid over. */
export interface OverlaySide extends Side {
  /** The same once more, as it lies at the other end of a seam of the coordinates. */
  beside: Side[];
}

/**
 * What a row has in common with theirs together; `whole` when one of them covers it, null when they have nothing of its
 * dimension in common. What has no area takes up none of one, and points none of a line.
 * @param at row of the table, whose chunk this is
 */
export function commonWith(chunk: GeometryChunk, at: number, theirs: OverlaySide, geos: Geos): Geometry | 'whole' | null {
  checkpoint();
  const row = at % CHUNK_ROWS;
  const wkb = engineBytes(chunk, row, geos);
  if (!wkb) return null;
  const own = Shape.ofRow(chunk, row);
  const dimension = dimensionOf(chunk, row);
  const pieces: Geometry[] = [];
  for (const [chunkNumber, other] of [theirs, ...theirs.beside].flatMap(({ chunks }) => [...chunks.entries()])) {
    const meets = intersectionTest(other, own);
    for (const candidate of other.rowsInBox(own.box)) {
      const otherAt = chunkNumber * CHUNK_ROWS + candidate;
      if ((theirs.rows && !has(theirs.rows, otherAt)) || (theirs.same && otherAt === at)) continue;
      if (dimensionOf(other, candidate) < dimension || !meets(candidate)) continue;
      const otherWkb = engineBytes(other, candidate, geos)!;
      if (geos.covering(otherWkb, (covers) => covers(wkb))) return 'whole';
      pieces.push(geos.intersection(wkb, otherWkb));
    }
  }
  if (pieces.length === 0) return null;
  if (dimension === 1) return alongLines(chunk, row, pieces);
  return pieces.length === 1 ? pieces[0] : geos.union(pieces);
}

/** A row by what it covers, which is what it has in common with a place that holds it; null without a position. */
export function coveredBy(chunk: GeometryChunk, row: number, geos: Geos): Geometry | null {
  const wkb = engineBytes(chunk, row, geos);
  return wkb && geometryOfWkb(wkb);
}

/** 0 for points, 1 for lines, 2 for polygons: the highest among the parts of a row. */
export function dimensionOf({ rowParts, partKinds }: GeometryChunk, row: number): number {
  let most = 0;
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) most = Math.max(most, partKinds[p]);
  return most;
}
