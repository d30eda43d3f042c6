import type { DisplayGeometry } from '@clean-sieve/core';

/**
 * The feature nearest to a place on the map, among those that `mask` lets through.
 * @param x,y Web Mercator metres
 * @param reach how far off, in metres, a feature may be; a polygon is hit anywhere inside
 * @returns row and distance, or null
 */
export function featureAt(
  display: DisplayGeometry,
  x: number,
  y: number,
  reach: number,
  mask: Uint32Array | null,
): { row: number; distance: number } | null {
  const [px, py] = [x - display.origin[0], y - display.origin[1]];
  let best: { row: number; distance: number } | null = null;
  for (let row = 0; row < display.rows; row++) {
    if (mask && ((mask[row >>> 5] >>> (row & 31)) & 1) === 0) continue;
    const distance = distanceTo(display, row, px, py);
    // Later features are drawn on top, so the last of equally near ones is the one that is seen.
    if (distance <= reach && (!best || distance <= best.distance)) best = { row, distance };
  }
  return best;
}

function distanceTo(
  { rowParts, partKinds, partRings, ringVertices, xy }: DisplayGeometry,
  row: number,
  px: number,
  py: number,
): number {
  let best = Infinity;
  for (let part = rowParts[row]; part < rowParts[row + 1]; part++) {
    let inside = false;
    for (let ring = partRings[part]; ring < partRings[part + 1]; ring++) {
      const [from, to] = [ringVertices[ring], ringVertices[ring + 1]];
      if (to - from === 1) best = Math.min(best, Math.hypot(xy[2 * from] - px, xy[2 * from + 1] - py));
      for (let v = from + 1; v < to; v++) {
        const [x1, y1, x2, y2] = [xy[2 * v - 2], xy[2 * v - 1], xy[2 * v], xy[2 * v + 1]];
        best = Math.min(best, toSegment(px, py, x1, y1, x2, y2));
        if (partKinds[part] === 2 && y1 > py !== y2 > py && px < x1 + ((py - y1) / (y2 - y1)) * (x2 - x1))
          inside = !inside;
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

/** Box of a row in Web Mercator metres; null without a geometry that has a place on the map. */
export function displayBox(
  { origin, rowParts, partRings, ringVertices, xy }: DisplayGeometry,
  row: number,
): [number, number, number, number] | null {
  const [from, to] = [ringVertices[partRings[rowParts[row]]], ringVertices[partRings[rowParts[row + 1]]]];
  if (from === to) return null;
  const box: [number, number, number, number] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let v = from; v < to; v++) {
    // Positions that a coordinate system cannot express have no place on the map.
    if (!Number.isFinite(xy[2 * v] + xy[2 * v + 1])) continue;
    box[0] = Math.min(box[0], xy[2 * v] + origin[0]);
    box[1] = Math.min(box[1], xy[2 * v + 1] + origin[1]);
    box[2] = Math.max(box[2], xy[2 * v] + origin[0]);
    box[3] = Math.max(box[3], xy[2 * v + 1] + origin[1]);
  }
  return box[0] <= box[2] ? box : null;
}

/** Box of all rows in a mask. */
export function maskBox(display: DisplayGeometry, mask: Uint32Array | null): [number, number, number, number] | null {
  let box: [number, number, number, number] | null = null;
  for (let row = 0; row < display.rows; row++) {
    if (mask && ((mask[row >>> 5] >>> (row & 31)) & 1) === 0) continue;
    const own = displayBox(display, row);
    if (!own) continue;
    box = box
      ? [Math.min(box[0], own[0]), Math.min(box[1], own[1]), Math.max(box[2], own[2]), Math.max(box[3], own[3])]
      : own;
  }
  return box;
}
