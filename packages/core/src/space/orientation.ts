import { orient2d } from 'robust-predicates';

/**
 * Positive when a, b, c turn clockwise, negative when counter-clockwise, 0 when exactly in line. Exact for all doubles.
 * Source: J. R. Shewchuk, Adaptive Precision Floating-Point Arithmetic and Fast Robust Geometric Predicates, 1997.
 */
export function orientation(ax: number, ay: number, bx: number, by: number, cx: number, cy: number): number {
  return orient2d(ax, ay, bx, by, cx, cy);
}

/** Whether two closed segments share at least one point; a segment may be a single point. Exact. */
export function segmentsMeet(ax: number, ay: number, bx: number, by: number, cx: number, cy: number, dx: number, dy: number): boolean {
  if (Math.max(ax, bx) < Math.min(cx, dx) || Math.max(cx, dx) < Math.min(ax, bx)) return false;
  if (Math.max(ay, by) < Math.min(cy, dy) || Math.max(cy, dy) < Math.min(ay, by)) return false;
  const c = orient2d(ax, ay, bx, by, cx, cy);
  const d = orient2d(ax, ay, bx, by, dx, dy);
  if ((c > 0 && d > 0) || (c < 0 && d < 0)) return false;
  const a = orient2d(cx, cy, dx, dy, ax, ay);
  const b = orient2d(cx, cy, dx, dy, bx, by);
  // In line and with meeting boxes (tested above) they overlap; a single point has orientation 0 with itself.
  return !((a > 0 && b > 0) || (a < 0 && b < 0));
}
