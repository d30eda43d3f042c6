import type { Position } from 'geojson';
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

  static ofRings(rings: Position[][]): PolygonLocator {
    const edges: number[] = [];
    for (const ring of rings) {
      for (let i = 1; i < ring.length; i++) edges.push(ring[i - 1][0], ring[i - 1][1], ring[i][0], ring[i][1]);
    }
    return new PolygonLocator(Float64Array.from(edges));
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
      const y1 = edges[e + 1];
      const y2 = edges[e + 3];
      if (y < y1 === y < y2 && y !== y1 && y !== y2) continue;
      const x1 = edges[e];
      const x2 = edges[e + 2];
      if ((x === x1 && y === y1) || (x === x2 && y === y2)) return ON_BOUNDARY;
      if (y1 === y2) {
        if (x > Math.min(x1, x2) && x < Math.max(x1, x2)) return ON_BOUNDARY;
        continue;
      }
      // Half-open in y, so that a ray through a vertex counts its two edges once between them.
      if (y < y1 === y < y2) continue;
      if (x > x1 && x > x2) continue;
      if (x < x1 && x < x2) {
        inside = !inside;
        continue;
      }
      const turn = orientation(x1, y1, x2, y2, x, y);
      if (turn === 0) return ON_BOUNDARY;
      if (turn > 0 === y1 > y2) inside = !inside;
    }
    return inside ? INSIDE : OUTSIDE;
  }
}
