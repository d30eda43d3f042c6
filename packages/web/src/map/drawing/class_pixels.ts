import type { DisplayTile } from '@clean-sieve/core';
import type { OfClass } from './paint.ts';
import type { Placing } from './pixel_set.ts';

/** A tile with where it lies. */
interface Placed {
  at: Placing;
  tile: Pick<DisplayTile, 'dotRows' | 'dotXy' | 'pointRows' | 'pointXy'>;
}

/**
 * The pixels of dots and points by class: each pixel is of the topmost class that has something there. All rows are gone through
 * once, however many classes there are.
 */
export class ClassPixels {
  readonly #size: [width: number, height: number];
  /** 0 for what is not drawn, else how far on top a class is. */
  readonly #ranks = new Uint8Array(256);
  #dots: ByRank = byRank(new Uint8Array(0));
  #points: ByRank = byRank(new Uint8Array(0));
  #filled = false;
  /** Points of all classes, in the picture or not. */
  passed = 0;

  constructor(width: number, height: number, { drawn }: Pick<OfClass, 'drawn'>) {
    this.#size = [width, height];
    for (const [i, wanted] of drawn.entries()) this.#ranks[wanted] = i + 1;
  }

  /** In steps; what is filled already is not filled again. */
  *fill(tiles: readonly Placed[], mask: Uint32Array | null, codes: Uint8Array): Generator<void, void> {
    if (this.#filled) return;
    const [width, height] = this.#size;
    const [dots, points] = [new Uint8Array(width * height), new Uint8Array(width * height)];
    for (const { at, tile } of tiles) {
      this.#put(dots, tile.dotRows, tile.dotXy, at, mask, codes);
      this.passed += this.#put(points, tile.pointRows, tile.pointXy, at, mask, codes);
      yield;
    }
    [this.#dots, this.#points] = [byRank(dots), byRank(points)];
    this.#filled = true;
  }

  /** The pixels of a class, by their numbers row by row from the top left. */
  dotsOf({ wanted }: Pick<OfClass, 'wanted'>): Int32Array {
    return this.#dots(this.#ranks[wanted]);
  }
  pointsOf({ wanted }: Pick<OfClass, 'wanted'>): Int32Array {
    return this.#points(this.#ranks[wanted]);
  }

  /** @returns how many rows pass */
  #put(
    top: Uint8Array,
    rows: Uint32Array,
    xy: Int16Array,
    { left, top: above, scale }: Placing,
    mask: Uint32Array | null,
    codes: Uint8Array,
  ): number {
    const [width, height] = this.#size;
    const ranks = this.#ranks;
    let passed = 0;
    for (let i = 0; i < rows.length; i++) {
      const row = rows[i];
      if (mask !== null && ((mask[row >>> 5] >>> (row & 31)) & 1) === 0) continue;
      const rank = ranks[codes[row]];
      if (rank === 0) continue;
      passed++;
      const column = Math.floor(left + xy[2 * i] * scale + 0.5);
      const down = Math.floor(above + xy[2 * i + 1] * scale + 0.5);
      if (column < 0 || down < 0 || column >= width || down >= height) continue;
      const at = down * width + column;
      if (rank > top[at]) top[at] = rank;
    }
    return passed;
  }
}

type ByRank = (rank: number) => Int32Array;

/** The pixels of each rank, in one array, however many ranks there are. */
function byRank(top: Uint8Array): ByRank {
  const ends = new Uint32Array(256);
  for (let at = 0; at < top.length; at++) if (top[at] > 0) ends[top[at]]++;
  for (let rank = 1; rank < 256; rank++) ends[rank] += ends[rank - 1];
  const sorted = new Int32Array(ends[255]);
  const next = ends.slice();
  for (let at = top.length - 1; at >= 0; at--) if (top[at] > 0) sorted[--next[top[at]]] = at;
  return (rank) => sorted.subarray(rank === 0 ? 0 : ends[rank - 1], ends[rank]);
}
