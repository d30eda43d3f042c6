/** Units along a side of a tile, and how far beyond it shapes go on, in the same. */
export const EXTENT = 4096;
export const MARGIN = 64;

/** Positions in units of a tile, x and y in turn. */
export type Path = number[];

export const LOW = -MARGIN;
export const HIGH = EXTENT + MARGIN;
/** Whether a position is in the tile or its margin. */
export const isInside = (x: number, y: number) => x >= LOW && x <= HIGH && y >= LOW && y <= HIGH;

/** Parts of a path inside the tile with its margin (Liang and Barsky 1984). */
export function clippedLine(path: Path): Path[] {
  const pieces: Path[] = [];
  let piece: Path = [];
  for (let i = 2; i < path.length; i += 2) {
    const [x1, y1, x2, y2] = [path[i - 2], path[i - 1], path[i], path[i + 1]];
    const [dx, dy] = [x2 - x1, y2 - y1];
    let [enter, leave] = [0, 1];
    let outside = false;
    for (const [p, q] of [
      [-dx, x1 - LOW],
      [dx, HIGH - x1],
      [-dy, y1 - LOW],
      [dy, HIGH - y1],
    ]) {
      if (p === 0) outside ||= q < 0;
      else if (p < 0) enter = Math.max(enter, q / p);
      else leave = Math.min(leave, q / p);
    }
    if (outside || enter > leave) continue;
    if (piece.length === 0 || enter > 0) {
      if (piece.length > 0) pieces.push(piece);
      piece = [x1 + enter * dx, y1 + enter * dy];
    }
    piece.push(x1 + leave * dx, y1 + leave * dy);
    if (leave < 1) {
      pieces.push(piece);
      piece = [];
    }
  }
  if (piece.length > 0) pieces.push(piece);
  return pieces;
}

/** A ring cut to the tile with its margin, side by side (Sutherland and Hodgman 1974); open, without its last position. */
export function clippedRing(path: Path): Path {
  let ring = path.slice(0, -2);
  for (const [axis, limit, sign] of [
    [0, LOW, 1],
    [0, HIGH, -1],
    [1, LOW, 1],
    [1, HIGH, -1],
  ] as const) {
    const out: Path = [];
    for (let i = 0; i < ring.length; i += 2) {
      const before = (i === 0 ? ring.length : i) - 2;
      const [a, b] = [sign * (ring[before + axis] - limit), sign * (ring[i + axis] - limit)];
      if (a >= 0 !== b >= 0) {
        const t = a / (a - b);
        out.push(ring[before] + t * (ring[i] - ring[before]), ring[before + 1] + t * (ring[i + 1] - ring[before + 1]));
      }
      if (b >= 0) out.push(ring[i], ring[i + 1]);
    }
    ring = out;
  }
  return ring;
}
