const patterns = new Map<string, CanvasPattern>();

/** Polygons are filled with lines at the sieve's own angle, so that two sieves can be told apart without colour. */
export function hatchOf(colour: string, angle: number): CanvasPattern {
  const key = `${colour} ${angle}`;
  let pattern = patterns.get(key);
  if (pattern) return pattern;
  const size = 14;
  const canvas = new OffscreenCanvas(size, size);
  const context = canvas.getContext('2d')!;
  context.fillStyle = `${colour}2e`;
  context.fillRect(0, 0, size, size);
  context.fillStyle = `${colour}80`;
  context.fillRect(0, 0, size, 2);
  context.fillRect(0, size / 2, size, 2);
  pattern = context.createPattern(canvas, 'repeat')!;
  pattern.setTransform(new DOMMatrix().rotate(angle));
  patterns.set(key, pattern);
  return pattern;
}
