/** How positions in units of a tile become pixels. */
export interface Placing {
  left: number;
  top: number;
  scale: number;
}

/** Pixels of a picture, each once. */
export class PixelSet {
  readonly #width: number;
  readonly #height: number;
  #has: Uint8Array | null = null;
  #all = new Int32Array(0);
  #size = 0;

  constructor(width: number, height: number) {
    [this.#width, this.#height] = [width, height];
  }

  get size(): number {
    return this.#size;
  }

  /** Positions beyond the picture are left out. */
  add(x: number, y: number): void {
    const [column, row] = [Math.round(x), Math.round(y)];
    if (!(column >= 0 && row >= 0 && column < this.#width && row < this.#height)) return;
    this.#make();
    this.#put(row * this.#width + column);
  }

  /** Adds a pixel by its number, row by row from the top left. */
  addAt(at: number): void {
    this.#make();
    this.#put(at);
  }

  /**
   * Adds the positions of the rows that a mask lets through.
   * @param mask bit a row; null lets all through
   * @returns how many positions those are, in the picture or not
   */
  addRows(rows: Uint32Array, xy: Int16Array, { left, top, scale }: Placing, mask: Uint32Array | null): number {
    if (rows.length === 0) return 0;
    this.#make();
    const [width, height, has] = [this.#width, this.#height, this.#has!];
    let passed = 0;
    for (let i = 0; i < rows.length; i++) {
      const row = rows[i];
      if (mask !== null && ((mask[row >>> 5] >>> (row & 31)) & 1) === 0) continue;
      passed++;
      const column = Math.floor(left + xy[2 * i] * scale + 0.5);
      const down = Math.floor(top + xy[2 * i + 1] * scale + 0.5);
      if (column < 0 || down < 0 || column >= width || down >= height) continue;
      const at = down * width + column;
      // Most of very many lie where another does: only the first goes on.
      if (has[at] === 0) this.#put(at);
    }
    return passed;
  }

  #make(): void {
    if (this.#has) return;
    this.#has = new Uint8Array(this.#width * this.#height);
    this.#all = new Int32Array(1024);
  }

  #put(at: number): void {
    const has = this.#has!;
    if (has[at] > 0) return;
    has[at] = 1;
    if (this.#size === this.#all.length) {
      const larger = new Int32Array(2 * this.#size);
      larger.set(this.#all);
      this.#all = larger;
    }
    this.#all[this.#size++] = at;
  }

  /** Calls with every pixel, in the order in which they came. */
  each(visit: (x: number, y: number, at: number) => void): void {
    const width = this.#width;
    for (let i = 0; i < this.#size; i++) {
      const at = this.#all[i];
      const y = Math.floor(at / width);
      visit(at - y * width, y, at);
    }
  }
}
