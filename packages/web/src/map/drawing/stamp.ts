import { SHAPE_PATHS, type Shape } from '../../words/palette.ts';

/** A small picture of a point symbol, drawn once and copied to every place: premultiplied-free RGBA, `size` squared. */
export interface Stamp {
  size: number;
  pixels: Uint8ClampedArray;
}

const drawn = new Map<string, Stamp>();

/**
 * @param radius in device pixels
 * @param rim colour of the line around the shape, or null for none
 */
export function stampOf(shape: Shape, colour: string, radius: number, rim: string | null, alpha = 1): Stamp {
  const key = [shape, colour, radius, rim, alpha].join();
  let stamp = drawn.get(key);
  if (!stamp) drawn.set(key, (stamp = draw(shape, colour, radius, rim, alpha)));
  return stamp;
}

/** A single pixel. */
export function pixelOf(colour: string, alpha: number): Stamp {
  const key = [colour, alpha].join();
  let stamp = drawn.get(key);
  if (!stamp) {
    const context = new OffscreenCanvas(1, 1).getContext('2d')!;
    context.globalAlpha = alpha;
    context.fillStyle = colour;
    context.fillRect(0, 0, 1, 1);
    drawn.set(key, (stamp = { size: 1, pixels: context.getImageData(0, 0, 1, 1).data }));
  }
  return stamp;
}

function draw(shape: Shape, colour: string, radius: number, rim: string | null, alpha: number): Stamp {
  const size = Math.ceil(radius * 2.5) + 3;
  const canvas = new OffscreenCanvas(size, size);
  const context = canvas.getContext('2d')!;
  context.translate(size / 2, size / 2);
  context.scale(radius, radius);
  const path = new Path2D(SHAPE_PATHS[shape]);
  context.globalAlpha = alpha;
  if (rim) {
    context.strokeStyle = rim;
    context.lineWidth = 2.2 / radius;
    context.lineJoin = 'round';
    context.stroke(path);
  }
  context.fillStyle = colour;
  context.fill(path, 'evenodd');
  return { size, pixels: context.getImageData(0, 0, size, size).data };
}

/** Blends a stamp into RGBA pixels with its middle at x, y (source over). */
export function blend(
  target: Uint8ClampedArray,
  width: number,
  height: number,
  stamp: Stamp,
  x: number,
  y: number,
): void {
  const { size, pixels } = stamp;
  const left = Math.round(x - size / 2);
  const top = Math.round(y - size / 2);
  if (left >= width || top >= height || left + size <= 0 || top + size <= 0) return;
  for (let row = Math.max(0, -top); row < size && top + row < height; row++) {
    let from = row * size * 4;
    let to = ((top + row) * width + left) * 4;
    for (let column = 0; column < size; column++, from += 4, to += 4) {
      const alpha = pixels[from + 3];
      if (alpha === 0 || left + column < 0 || left + column >= width) continue;
      const below = target[to + 3];
      if (alpha === 255 || below === 0) {
        target[to] = pixels[from];
        target[to + 1] = pixels[from + 1];
        target[to + 2] = pixels[from + 2];
        target[to + 3] = alpha;
        continue;
      }
      const share = alpha / 255;
      const rest = (below / 255) * (1 - share);
      const whole = share + rest;
      target[to] = (pixels[from] * share + target[to] * rest) / whole;
      target[to + 1] = (pixels[from + 1] * share + target[to + 1] * rest) / whole;
      target[to + 2] = (pixels[from + 2] * share + target[to + 2] * rest) / whole;
      target[to + 3] = whole * 255;
    }
  }
}
