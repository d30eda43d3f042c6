import { SHAPE_PATHS, type Shape } from '../../words/palette.ts';
import type { PixelSet } from './pixel_set.ts';

/** A small picture of a point symbol, drawn once and copied to every place: premultiplied-free RGBA, `size` squared. */
export interface Stamp {
  size: number;
  pixels: Uint8ClampedArray;
  /** Its colour where it has only one; null otherwise. */
  plain: [red: number, green: number, blue: number] | null;
}

/** Stamps that are remembered: of a run of colours in all sizes. */
const MOST = 16_000;
const drawn = new Map<string, Stamp>();

function remembered(key: string, make: () => Stamp): Stamp {
  let stamp = drawn.get(key);
  if (stamp) return stamp;
  // Sizes that have been tried leave theirs behind.
  if (drawn.size >= MOST) drawn.clear();
  drawn.set(key, (stamp = make()));
  return stamp;
}

/**
 * @param radius in device pixels
 * @param rim colour of the line around the shape, or null for none
 */
export function stampOf(shape: Shape, colour: string, radius: number, rim: string | null): Stamp {
  return remembered([shape, colour, radius, rim].join(), () => {
    const size = Math.ceil(radius * 2.5) + 3;
    const context = new OffscreenCanvas(size, size).getContext('2d')!;
    context.translate(size / 2, size / 2);
    context.scale(radius, radius);
    const path = new Path2D(SHAPE_PATHS[shape]);
    if (rim) {
      context.strokeStyle = rim;
      context.lineWidth = 2.2 / radius;
      context.lineJoin = 'round';
      context.stroke(path);
    }
    context.fillStyle = colour;
    context.fill(path, 'evenodd');
    const { data } = context.getImageData(0, 0, size, size);
    return { size, pixels: data, plain: rim ? null : colourOf(colour) };
  });
}

/** A single pixel. */
export function pixelOf(colour: string): Stamp {
  return remembered(colour, () => ({ size: 1, pixels: Uint8ClampedArray.of(0, 0, 0, 255), plain: colourOf(colour) }));
}

/** Red, green and blue of a colour as CSS writes it. */
function colourOf(colour: string): [number, number, number] {
  const context = new OffscreenCanvas(1, 1).getContext('2d')!;
  context.fillStyle = colour;
  context.fillRect(0, 0, 1, 1);
  const [red, green, blue] = context.getImageData(0, 0, 1, 1).data;
  return [red, green, blue];
}

/**
 * Puts a stamp of one colour onto pixels of an empty picture: what lies on one another becomes the less transparent, as it
 * would with each stamp over those before (source over).
 * @param target RGBA, all transparent
 */
export function stampPlain(
  target: Uint8ClampedArray,
  width: number,
  height: number,
  { size, pixels }: Stamp,
  [red, green, blue]: [number, number, number],
  alpha: number,
  places: PixelSet,
): void {
  const covered = new Uint8Array(width * height);
  const offsets: { dx: number; dy: number; cover: number }[] = [];
  // As `blend` puts it: the middle of the stamp at the pixel.
  const shift = Math.round(-size / 2);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) {
      const cover = Math.round(pixels[4 * (y * size + x) + 3] * alpha);
      if (cover > 0) offsets.push({ dx: x + shift, dy: y + shift, cover });
    }
  const steps = Int32Array.from(offsets, ({ dx, dy }) => dy * width + dx);
  const covers = Uint8Array.from(offsets, ({ cover }) => cover);
  places.each((x, y, at) => {
    const amid = x >= size && y >= size && x < width - size && y < height - size;
    for (let i = 0; i < steps.length; i++) {
      if (!amid) {
        const [column, row] = [x + offsets[i].dx, y + offsets[i].dy];
        if (column < 0 || row < 0 || column >= width || row >= height) continue;
      }
      const below = covered[at + steps[i]];
      if (below !== 255) covered[at + steps[i]] = below + (covers[i] * (255 - below) + 254) / 255;
    }
  });
  // A pixel at once: alpha lies in the highest byte, as every machine that runs a browser has it.
  const words = new Uint32Array(target.buffer, target.byteOffset, covered.length);
  const colour = (blue << 16) | (green << 8) | red;
  for (let at = 0; at < covered.length; at++) if (covered[at] !== 0) words[at] = (covered[at] << 24) | colour;
}

/** Counts whose colours are worked out once. */
const MOST_KNOWN = 4096;

/**
 * Puts a stamp onto the pixels of an empty picture in colours that tell how many positions are marked there: equal steps of the
 * colour for equal factors, so that one is still told from none and thousands from hundreds.
 * @param target RGBA, all transparent
 * @param counts how many positions lie on each pixel
 * @param few,most the colours of one and of as many as lie together anywhere
 * @returns how many that is
 */
export function stampDeep(
  target: Uint8ClampedArray,
  width: number,
  height: number,
  { size, pixels }: Stamp,
  [few, most]: readonly [string, string],
  alpha: number,
  counts: Uint32Array,
): number {
  const shift = Math.round(-size / 2);
  const offsets: [number, number][] = [];
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) if (pixels[4 * (y * size + x) + 3] * alpha >= 64) offsets.push([x + shift, y + shift]);
  const shifts = Int32Array.from(offsets, ([dx, dy]) => dy * width + dx);
  const depth = shifts.length === 1 && shifts[0] === 0 ? counts : new Uint32Array(width * height);
  for (let y = 0, at = 0; depth !== counts && y < height; y++) {
    for (let x = 0; x < width; x++, at++) {
      const count = counts[at];
      if (count === 0) continue;
      const amid = x >= size && y >= size && x < width - size && y < height - size;
      for (let i = 0; i < shifts.length; i++) {
        if (!amid) {
          const [column, row] = [x + offsets[i][0], y + offsets[i][1]];
          if (column < 0 || row < 0 || column >= width || row >= height) continue;
        }
        depth[at + shifts[i]] += count;
      }
    }
  }
  let deepest = 0;
  for (let at = 0; at < depth.length; at++) if (depth[at] > deepest) deepest = depth[at];
  const words = new Uint32Array(target.buffer, target.byteOffset, depth.length);
  const [low, high] = [colourOf(few), colourOf(most)];
  const opacity = Math.round(255 * alpha) << 24;
  const steps = Uint32Array.from({ length: 256 }, (_, step) => {
    const [red, green, blue] = low.map((from, i) => Math.round(from + ((high[i] - from) * step) / 255));
    return opacity | (blue << 16) | (green << 8) | red;
  });
  const scale = deepest > 1 ? 255 / Math.log(deepest) : 0;
  const colourAt = (count: number) => steps[Math.round(Math.log(count) * scale)];
  // Most counts are small, and come again and again.
  const known = Uint32Array.from({ length: Math.min(deepest + 1, MOST_KNOWN) }, (_, count) => (count === 0 ? 0 : colourAt(count)));
  for (let at = 0; at < depth.length; at++) {
    const count = depth[at];
    if (count > 0) words[at] = count < known.length ? known[count] : colourAt(count);
  }
  return deepest;
}

/** Blends a stamp into RGBA pixels with its middle at x, y (source over). */
export function blend(target: Uint8ClampedArray, width: number, height: number, stamp: Stamp, x: number, y: number): void {
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
