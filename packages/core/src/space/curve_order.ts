import { CHUNK_ROWS } from '../features/column.ts';
import type { Box } from '../features/geometry.ts';
import type { FeatureTable } from '../features/table.ts';

const MOST = 0xffff;

/** Boxes of rows, four numbers each: least x and y, greatest x and y; an empty shape's are not a range. */
export function boxesOf(table: FeatureTable, rows: Uint32Array): Float64Array {
  const boxes = new Float64Array(4 * rows.length);
  rows.forEach((row, i) => boxes.set(table.geometry[Math.floor(row / CHUNK_ROWS)].boxOf(row % CHUNK_ROWS), 4 * i));
  return boxes;
}

/**
 * Positions of boxes sorted by the place of their middle on a Hilbert curve over the extent, so that neighbours in the
 * order are neighbours on the ground; those that are not a range come last.
 */
export function curveOrder(boxes: Float64Array, [west, south, east, north]: Box): Uint32Array {
  const count = boxes.length / 4;
  const [width, height] = [east - west || 1, north - south || 1];
  // The place and, below it, the position in one number each: equal places keep their order, and no function compares.
  const positions = 2 ** Math.ceil(Math.log2(Math.max(2, count)));
  const coarser = Math.max(1, (2 ** PLACE_BITS * positions) / 2 ** 53);
  const keys = new Float64Array(count);
  for (let i = 0; i < count; i++) {
    const [x1, y1, x2, y2] = [boxes[4 * i], boxes[4 * i + 1], boxes[4 * i + 2], boxes[4 * i + 3]];
    const x = (MOST * ((x1 + x2) / 2 - west)) / width;
    const y = (MOST * ((y1 + y2) / 2 - south)) / height;
    keys[i] = (x1 <= x2 ? Math.floor(hilbert(x, y) / coarser) : 2 ** (PLACE_BITS - 1)) * positions + i;
  }
  keys.sort();
  return Uint32Array.from(keys, (key) => key % positions);
}

/** Places of two times 16 bits, and one beyond them all. */
const PLACE_BITS = 33;

/** Distance along the curve of the cell that a position is in, of a grid of 2¹⁶ by 2¹⁶ (common practice). */
function hilbert(x: number, y: number): number {
  let [column, row, place] = [x & MOST, y & MOST, 0];
  for (let bit = 15; bit >= 0; bit--) {
    const right = (column >>> bit) & 1;
    const up = (row >>> bit) & 1;
    place = (place << 2) | ((3 * right) ^ up);
    if (up === 0) {
      if (right === 1) [column, row] = [MOST - column, MOST - row];
      [column, row] = [row, column];
    }
  }
  return place >>> 0;
}
