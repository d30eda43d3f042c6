import { POLYGON, type GeometryChunk } from '../features/geometry.ts';
import { put, type Mask } from '../features/mask.ts';
import { PolygonLocator } from './polygon_locator.ts';
import type { Shape } from './shape.ts';

/**
 * Marks the rows of a chunk that share at least one point with the shape: `intersects` of ISO 19125 / OGC 06-103r4,
 * boundaries included.
 * @param offset mask row of the chunk's first row
 */
export function markIntersecting(chunk: GeometryChunk, shape: Shape, out: Mask, offset: number): void {
  const candidates = chunk.rowsInBox(shape.box);
  if (chunk.onlyPoints) {
    for (const row of candidates) {
      const [x, y] = [chunk.xy[2 * row], chunk.xy[2 * row + 1]];
      if (shape.covers(x, y) || shape.meetsSegment(x, y, x, y)) put(out, offset + row);
    }
    return;
  }
  for (const row of candidates) if (rowIntersects(chunk, row, shape)) put(out, offset + row);
}

export function rowIntersects(chunk: GeometryChunk, row: number, shape: Shape): boolean {
  const { rowParts, partRings, ringVertices, partKinds, xy } = chunk;
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
    const first = ringVertices[partRings[p]];
    if (first === ringVertices[partRings[p + 1]]) continue;
    if (shape.polygons.length > 0 && shape.covers(xy[2 * first], xy[2 * first + 1])) return true;
    for (let g = partRings[p]; g < partRings[p + 1]; g++) if (ringMeets(chunk, g, shape)) return true;
    if (partKinds[p] === POLYGON) {
      const locator = partLocator(chunk, p);
      if (shape.firsts.some(([x, y]) => locator.locate(x, y) >= 0)) return true;
    }
  }
  return false;
}

function ringMeets({ ringVertices, xy }: GeometryChunk, ring: number, shape: Shape): boolean {
  const [from, to] = [ringVertices[ring], ringVertices[ring + 1]];
  const [west, south, east, north] = shape.box;
  if (to - from === 1) return shape.meetsSegment(xy[2 * from], xy[2 * from + 1], xy[2 * from], xy[2 * from + 1]);
  for (let v = from + 1; v < to; v++) {
    const [x1, y1, x2, y2] = [xy[2 * v - 2], xy[2 * v - 1], xy[2 * v], xy[2 * v + 1]];
    if (
      (x1 < west && x2 < west) ||
      (x1 > east && x2 > east) ||
      (y1 < south && y2 < south) ||
      (y1 > north && y2 > north)
    )
      continue;
    if (shape.meetsSegment(x1, y1, x2, y2)) return true;
  }
  return false;
}

/** Locator of one polygon part of a chunk. */
export function partLocator({ partRings, ringVertices, xy }: GeometryChunk, part: number): PolygonLocator {
  const edges: number[] = [];
  for (let g = partRings[part]; g < partRings[part + 1]; g++) {
    for (let v = ringVertices[g] + 1; v < ringVertices[g + 1]; v++)
      edges.push(xy[2 * v - 2], xy[2 * v - 1], xy[2 * v], xy[2 * v + 1]);
  }
  return new PolygonLocator(Float64Array.from(edges));
}
