import type { Mask } from '../features/mask.ts';

export type BinOfRow = Uint8Array | Uint16Array | Uint32Array;

/** What was counted last of the bins of some rows. */
interface Counted {
  kept: Mask;
  counts: Uint32Array;
}
const last = new WeakMap<BinOfRow, Counted>();

/** More rows than this part of all that have changed are counted anew as fast. */
const CHANGED = 1 / 8;

/**
 * How many rows of a mask are in each bin. Where few rows have changed since the same bins were counted last, as when a bound moves,
 * only those are looked at.
 * @param of the bin of each row, 0 to `bins` (one more than there are: for rows in none); it never changes
 * @param kept never changes either
 * @returns `bins + 1` numbers
 */
export function binCounts(of: BinOfRow, kept: Mask, bins: number): Uint32Array {
  const before = last.get(of);
  const counts = (before?.counts.length === bins + 1 ? changed(of, before, kept) : null) ?? counted(of, kept, bins);
  last.set(of, { kept, counts });
  return counts.slice();
}

function counted(of: BinOfRow, kept: Mask, bins: number): Uint32Array {
  const counts = new Uint32Array(bins + 1);
  addBins(of, kept, counts);
  return counts;
}

/** The same, added to what was counted before. Nothing is decided for a single row: each adds its bit of the mask. */
export function addBins(of: BinOfRow, kept: Mask, counts: Uint32Array): void {
  const rows = of.length;
  let row = 0;
  for (let w = 0; row < rows; w++) {
    let word = kept[w];
    const end = Math.min(row + 32, rows);
    if (word === 0) row = end;
    else for (; row < end; row++, word >>>= 1) counts[of[row]] += word & 1;
  }
}

/** The counts of another mask, by the rows in which the two differ; null where those are many. */
function changed(of: BinOfRow, before: Counted, kept: Mask): Uint32Array | null {
  const rows = of.length;
  const words = (rows + 31) >>> 5;
  let left = rows * CHANGED;
  const counts = before.counts.slice();
  for (let w = 0; w < words; w++) {
    let differs = kept[w] ^ before.kept[w];
    if (differs === 0) continue;
    // What stands behind the last row is of no row.
    if (w === words - 1 && (rows & 31) !== 0) differs &= (1 << (rows & 31)) - 1;
    for (; differs !== 0; differs &= differs - 1) {
      const bit = 31 - Math.clz32(differs & -differs);
      if (left-- < 0) return null;
      const bin = of[(w << 5) + bit];
      if ((kept[w] >>> bit) & 1) counts[bin]++;
      else counts[bin]--;
    }
  }
  return counts;
}
