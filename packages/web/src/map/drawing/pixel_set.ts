/** Pixels of a picture, each once. */
export class PixelSet {
  readonly #width: number;
  readonly #height: number;
  readonly #has: Uint8Array;
  readonly #all: number[] = [];

  constructor(width: number, height: number) {
    [this.#width, this.#height] = [width, height];
    this.#has = new Uint8Array(width * height);
  }

  /** Positions beyond the picture are left out. */
  add(x: number, y: number): void {
    const [column, row] = [Math.round(x), Math.round(y)];
    if (!(column >= 0 && row >= 0 && column < this.#width && row < this.#height)) return;
    const at = row * this.#width + column;
    if (this.#has[at] === 1) return;
    this.#has[at] = 1;
    this.#all.push(at);
  }

  get size(): number {
    return this.#all.length;
  }

  /** Calls with every pixel, in the order in which they came. */
  each(visit: (x: number, y: number) => void): void {
    for (const at of this.#all) visit(at % this.#width, Math.floor(at / this.#width));
  }
}
