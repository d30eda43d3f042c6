import type { Mask } from '../features/mask.ts';

/**
 * How many rows of a mask are in each bin. Nothing is decided for a single row: each adds its bit of the mask.
 * @param of the bin of each row, 0 to `bins` (one more than there are: for rows in none)
 * @param from row of the mask that `of` begins with, a multiple of 32
 * @param counts added to; of `bins + 1` numbers
 */
export function countBins(of: Uint8Array | Uint16Array | Uint32Array, kept: Mask, from: number, counts: Uint32Array): void {
  const rows = of.length;
  let row = 0;
  for (let w = from >>> 5; row < rows; w++) {
    let word = kept[w];
    const end = Math.min(row + 32, rows);
    if (word === 0) row = end;
    else for (; row < end; row++, word >>>= 1) counts[of[row]] += word & 1;
  }
}
