import type { PixelSet } from './pixel_set.ts';

/** Positions of rings in device pixels, x and y in turn; each ring begins and ends where `starts` says. */
export interface PixelRings {
  xy: number[];
  starts: number[];
}

/** Adds the pixels that the edges of rings or lines go through. */
export function addEdges({ xy, starts }: PixelRings, closed: boolean, pixels: PixelSet): void {
  for (let ring = 0; ring + 1 < starts.length; ring++) {
    const [from, to] = [starts[ring], starts[ring + 1]];
    for (let i = from; i < to; i += 2) {
      if (!closed && i + 2 >= to) break;
      const next = i + 2 < to ? i + 2 : from;
      const [x, y, dx, dy] = [xy[i], xy[i + 1], xy[next] - xy[i], xy[next + 1] - xy[i + 1]];
      const steps = Math.max(1, Math.ceil(Math.max(Math.abs(dx), Math.abs(dy))));
      for (let step = 0; step <= steps; step++) pixels.add(x + (dx * step) / steps, y + (dy * step) / steps);
    }
  }
}

/** Adds the pixels whose middle lies in an odd number of rings. */
export function addInside({ xy, starts }: PixelRings, pixels: PixelSet): void {
  let [low, high] = [Infinity, -Infinity];
  for (let i = 1; i < xy.length; i += 2) [low, high] = [Math.min(low, xy[i]), Math.max(high, xy[i])];
  for (let y = Math.ceil(low); y <= high; y++) {
    const crossings: number[] = [];
    for (let ring = 0; ring + 1 < starts.length; ring++) {
      const [from, to] = [starts[ring], starts[ring + 1]];
      for (let i = from, before = to - 2; i < to; before = i, i += 2) {
        const [y1, y2] = [xy[before + 1], xy[i + 1]];
        if (y1 > y !== y2 > y) crossings.push(xy[before] + ((y - y1) / (y2 - y1)) * (xy[i] - xy[before]));
      }
    }
    crossings.sort((a, b) => a - b);
    for (let c = 0; c + 1 < crossings.length; c += 2) for (let x = Math.ceil(crossings[c]); x <= crossings[c + 1]; x++) pixels.add(x, y);
  }
}
