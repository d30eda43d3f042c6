import type { DisplayTile } from '@clean-sieve/core';
import type { Placing } from './pixel_set.ts';

/** A tile with where it lies. */
interface Placed {
  at: Placing;
  tile: Pick<DisplayTile, 'pointRows' | 'pointXy'>;
}

/**
 * Very many points of a picture, and how many of those that a mask lets through lie on each pixel. Of another mask only what differs is
 * counted, so that a bound that moves costs what it moves.
 */
export class PointCrowd {
  /** Positions sorted by the word of a mask that their rows are in: where those of each word begin, the bit of each, and its pixel. */
  readonly #starts: Uint32Array;
  readonly #bits: Uint8Array;
  /** −1 beyond the picture. */
  readonly #pixels: Int32Array;
  readonly #depths: Uint32Array;
  #passed = 0;
  /** What is counted; undefined for nothing yet, null for all rows. */
  #counted: Uint32Array | null | undefined = undefined;

  constructor(width: number, height: number, tiles: readonly Placed[]) {
    this.#depths = new Uint32Array(width * height);
    let [positions, last] = [0, -1];
    for (const { tile } of tiles) {
      positions += tile.pointRows.length;
      for (const row of tile.pointRows) if (row > last) last = row;
    }
    const words = (last >>> 5) + 1;
    const starts = (this.#starts = new Uint32Array(last < 0 ? 1 : words + 1));
    for (const { tile } of tiles) for (const row of tile.pointRows) starts[(row >>> 5) + 1]++;
    for (let w = 1; w < starts.length; w++) starts[w] += starts[w - 1];
    const next = starts.slice();
    this.#bits = new Uint8Array(positions);
    this.#pixels = new Int32Array(positions);
    for (const { at, tile } of tiles) {
      const { pointRows: rows, pointXy: xy } = tile;
      for (let i = 0; i < rows.length; i++) {
        const slot = next[rows[i] >>> 5]++;
        const column = Math.floor(at.left + xy[2 * i] * at.scale + 0.5);
        const down = Math.floor(at.top + xy[2 * i + 1] * at.scale + 0.5);
        this.#bits[slot] = rows[i] & 31;
        this.#pixels[slot] = column < 0 || down < 0 || column >= width || down >= height ? -1 : down * width + column;
      }
    }
  }

  /**
   * Counts what a mask lets through.
   * @param mask bit a row; null lets all through
   * @returns how many positions that are, in the picture or not, and how many lie on each pixel, as long as nothing else is counted
   */
  count(mask: Uint32Array | null): { passed: number; depths: Uint32Array } {
    const [starts, bits, pixels, depths] = [this.#starts, this.#bits, this.#pixels, this.#depths];
    const before = this.#counted;
    for (let w = 0; w < starts.length - 1; w++) {
      const now = mask === null ? -1 : mask[w];
      const differs = now ^ (before === undefined ? 0 : before === null ? -1 : before[w]);
      if (differs === 0) continue;
      for (let slot = starts[w]; slot < starts[w + 1]; slot++) {
        if (((differs >>> bits[slot]) & 1) === 0) continue;
        const step = ((now >>> bits[slot]) & 1) === 1 ? 1 : -1;
        this.#passed += step;
        if (pixels[slot] >= 0) depths[pixels[slot]] += step;
      }
    }
    this.#counted = mask;
    return { passed: this.#passed, depths };
  }
}
