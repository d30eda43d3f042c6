import { orientation } from './orientation.ts';

export const OUTSIDE = -1;
export const ON_BOUNDARY = 0;
export const INSIDE = 1;
export type Location = typeof OUTSIDE | typeof ON_BOUNDARY | typeof INSIDE;

/**
 * Answers where a position lies relative to one polygon (shell and holes), by the even-odd rule with exact
 * orientation tests. Edges are binned by y, so a test looks only at the edges of one bin.
 */
export class PolygonLocator {
  /** x1, y1, x2, y2 an edge. */
  #edges: Float64Array;
  #binStart: Uint32Array;
  #binEdges: Uint32Array;
  #minX = Infinity;
  #maxX = -Infinity;
  #minY = Infinity;
  #maxY = -Infinity;
  #bins: number;
  #scale: number;

  /** @param edges x1, y1, x2, y2 an edge of closed rings */
  constructor(edges: Float64Array) {
    this.#edges = edges;
    for (let e = 0; e < edges.length; e += 4) {
      this.#minX = Math.min(this.#minX, edges[e]);
      this.#maxX = Math.max(this.#maxX, edges[e]);
      this.#minY = Math.min(this.#minY, edges[e + 1]);
      this.#maxY = Math.max(this.#maxY, edges[e + 1]);
    }
    const count = edges.length / 4;
    this.#bins = Math.max(1, Math.min(65_536, count >> 2));
    this.#scale = this.#maxY > this.#minY ? this.#bins / (this.#maxY - this.#minY) : 0;
    const sizes = new Uint32Array(this.#bins + 1);
    for (let e = 0; e < edges.length; e += 4) {
      const [low, high] = this.#binRange(e);
      for (let bin = low; bin <= high; bin++) sizes[bin + 1]++;
    }
    for (let bin = 0; bin < this.#bins; bin++) sizes[bin + 1] += sizes[bin];
    this.#binStart = sizes;
    this.#binEdges = new Uint32Array(sizes[this.#bins]);
    const fill = sizes.slice();
    for (let e = 0; e < edges.length; e += 4) {
      const [low, high] = this.#binRange(e);
      for (let bin = low; bin <= high; bin++) this.#binEdges[fill[bin]++] = e;
    }
  }

  /** @param rings closed rings, x, y a vertex */
  static ofRings(rings: Float64Array[]): PolygonLocator {
    const edges = new Float64Array(rings.reduce((sum, ring) => sum + 2 * Math.max(0, ring.length - 2), 0));
    let at = 0;
    for (const ring of rings) {
      for (let i = 2; i < ring.length; i += 2, at += 4) {
        edges[at] = ring[i - 2];
        edges[at + 1] = ring[i - 1];
        edges[at + 2] = ring[i];
        edges[at + 3] = ring[i + 1];
      }
    }
    return new PolygonLocator(edges);
  }

  /** Smallest and greatest y of the edges. */
  get rangeY(): [number, number] {
    return [this.#minY, this.#maxY];
  }

  #binOf(y: number): number {
    return Math.max(0, Math.min(this.#bins - 1, Math.floor((y - this.#minY) * this.#scale)));
  }

  #binRange(e: number): [number, number] {
    const [y1, y2] = [this.#edges[e + 1], this.#edges[e + 3]];
    return [this.#binOf(Math.min(y1, y2)), this.#binOf(Math.max(y1, y2))];
  }

  locate(x: number, y: number): Location {
    if (!(x >= this.#minX && x <= this.#maxX && y >= this.#minY && y <= this.#maxY)) return OUTSIDE;
    const edges = this.#edges;
    const bin = this.#binOf(y);
    let inside = false;
    for (let i = this.#binStart[bin]; i < this.#binStart[bin + 1]; i++) {
      const e = this.#binEdges[i];
      const crossing = rayCrossing(edges[e], edges[e + 1], edges[e + 2], edges[e + 3], x, y);
      if (crossing === ON_EDGE) return ON_BOUNDARY;
      if (crossing === CROSSED) inside = !inside;
    }
    return inside ? INSIDE : OUTSIDE;
  }
}

const CROSSED = 1;
const ON_EDGE = 2;

/** Whether the ray from x, y towards greater x crosses the edge, or the position is on it. */
function rayCrossing(x1: number, y1: number, x2: number, y2: number, x: number, y: number): number {
  if (y < y1 === y < y2 && y !== y1 && y !== y2) return 0;
  if ((x === x1 && y === y1) || (x === x2 && y === y2)) return ON_EDGE;
  if (y1 === y2) return x > Math.min(x1, x2) && x < Math.max(x1, x2) ? ON_EDGE : 0;
  // Half-open in y, so that a ray through a vertex counts its two edges once between them.
  if (y < y1 === y < y2) return 0;
  if (x > x1 && x > x2) return 0;
  if (x < x1 && x < x2) return CROSSED;
  const turn = orientation(x1, y1, x2, y2, x, y);
  if (turn === 0) return ON_EDGE;
  return turn > 0 === y1 > y2 ? CROSSED : 0;
}

/** The same for a single position, without making the polygon ready: where it lies relative to the rings `from` to `to` of flat coordinates. */
export function locateInRings(xy: Float64Array, ringVertices: Uint32Array, from: number, to: number, x: number, y: number): Location {
  let inside = false;
  for (let g = from; g < to; g++) {
    for (let v = ringVertices[g] + 1; v < ringVertices[g + 1]; v++) {
      const crossing = rayCrossing(xy[2 * v - 2], xy[2 * v - 1], xy[2 * v], xy[2 * v + 1], x, y);
      if (crossing === ON_EDGE) return ON_BOUNDARY;
      if (crossing === CROSSED) inside = !inside;
    }
  }
  return inside ? INSIDE : OUTSIDE;
}
