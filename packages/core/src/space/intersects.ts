import { POLYGON, type GeometryChunk } from '../features/geometry.ts';
import { has, put, type Mask } from '../features/mask.ts';
import { segmentsMeet } from './orientation.ts';
import { locateInRings } from './polygon_locator.ts';
import type { Shape } from './shape.ts';

/** A question about a row of a chunk. */
export type RowTest = (row: number) => boolean;

/**
 * Marks the rows of a chunk that share at least one point with the shape: `intersects` of ISO 19125 / OGC 06-103r4,
 * boundaries included.
 * @param offset mask row of the chunk's first row
 */
export function markIntersecting(chunk: GeometryChunk, shape: Shape, out: Mask, offset: number): void {
  const meets = intersectionTest(chunk, shape);
  for (const row of chunk.rowsInBox(shape.box)) if (!has(out, offset + row) && meets(row)) put(out, offset + row);
}

/** The test behind it, for rows whose box meets the shape's. */
export function intersectionTest(chunk: GeometryChunk, shape: Shape): RowTest {
  const { xy } = chunk;
  if (chunk.onlyPoints) return (row) => shape.meetsPoint(xy[2 * row], xy[2 * row + 1]);
  return (row) => rowIntersects(chunk, row, shape);
}

/** Whether a row of a chunk and a shape have a position in common (DE-9IM: not disjoint), decided by exact predicates. */
export function rowIntersects(chunk: GeometryChunk, row: number, shape: Shape): boolean {
  const { rowParts, partRings, ringVertices, partKinds, xy } = chunk;
  const [from, to] = [rowParts[row], rowParts[row + 1]];
  for (let p = from; p < to; p++) {
    const first = ringVertices[partRings[p]];
    if (first < ringVertices[partRings[p + 1]] && shape.covers(xy[2 * first], xy[2 * first + 1])) return true;
  }
  if (edgesMeet(chunk, row, shape)) return true;
  for (let p = from; p < to; p++) {
    if (partKinds[p] !== POLYGON) continue;
    for (const [x, y] of shape.firsts) if (locateInRings(xy, ringVertices, partRings[p], partRings[p + 1], x, y) >= 0) return true;
  }
  return false;
}

/** Up to so many edges of a shape near a row are tried one by one against the row's own. */
const FEW_NEAR = 32;

/** Whether an edge of the row shares a point with an edge of the shape. */
export function edgesMeet(chunk: GeometryChunk, row: number, shape: Shape): boolean {
  const near: number[] = [];
  shape.eachEdgeIn(chunk.boxOf(row), (e) => near.push(e) <= FEW_NEAR);
  if (near.length === 0) return false;
  const { edges } = shape;
  const meets =
    near.length > FEW_NEAR
      ? (x1: number, y1: number, x2: number, y2: number) => shape.meetsSegment(x1, y1, x2, y2)
      : (x1: number, y1: number, x2: number, y2: number) =>
          near.some((e) => segmentsMeet(edges[e], edges[e + 1], edges[e + 2], edges[e + 3], x1, y1, x2, y2));
  const { rowParts, partRings, ringVertices, xy } = chunk;
  const [west, south, east, north] = shape.box;
  for (let g = partRings[rowParts[row]]; g < partRings[rowParts[row + 1]]; g++) {
    const [from, to] = [ringVertices[g], ringVertices[g + 1]];
    if (to - from === 1 && meets(xy[2 * from], xy[2 * from + 1], xy[2 * from], xy[2 * from + 1])) return true;
    for (let v = from + 1; v < to; v++) {
      const [x1, y1, x2, y2] = [xy[2 * v - 2], xy[2 * v - 1], xy[2 * v], xy[2 * v + 1]];
      if ((x1 < west && x2 < west) || (x1 > east && x2 > east)) continue;
      if ((y1 < south && y2 < south) || (y1 > north && y2 > north)) continue;
      if (meets(x1, y1, x2, y2)) return true;
    }
  }
  return false;
}
