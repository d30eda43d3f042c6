import { LARGEST_LEVEL, type DisplayTile } from '@clean-sieve/core';
import type { MapFrame, Paint, Sizes } from './paint.ts';
import { blend, stampOf, type Stamp } from './stamp.ts';
import type { TileInView } from './tiles_in_view.ts';

/** Radius in CSS pixels of the ring that stands for a point without a size. */
export const WITHOUT = 1.6;
/** Below this radius in CSS pixels nothing is seen any more. */
const LEAST = 0.6;

/** The order in which levels are drawn. */
const LEVELS = [...Array.from({ length: LARGEST_LEVEL }, (_, i) => LARGEST_LEVEL - i), 0];

/** Radius in CSS pixels of a mark of a level. */
export const radiusOf = (level: number, { largest }: Pick<Sizes, 'largest'>): number => Math.max(LEAST, (largest * level) / LARGEST_LEVEL);

/** Pixels of marks between two pauses. */
const BETWEEN = 2_000_000;

/**
 * Draws points as large as their levels say, in steps: the largest first, so that the small ones lie on top of them, and those
 * without a size last. Of those of one level each pixel is marked once.
 */
export function* drawSized(
  context: OffscreenCanvasRenderingContext2D,
  { width, height, ratio }: MapFrame,
  tiles: readonly { at: TileInView; tile: Pick<DisplayTile, 'pointRows' | 'pointXy'> }[],
  paint: Paint,
  sizes: Sizes,
  shown: (row: number) => boolean,
): Generator<void, void> {
  const { classes } = sizes;
  const markOf: (Pick<Paint, 'colour' | 'shape'> | undefined)[] = classes ? [] : [paint];
  for (const mark of classes?.marks ?? []) markOf[mark.wanted] = mark;
  // A mark whose middle lies a little outside reaches in.
  const margin = Math.ceil(sizes.largest * ratio) + 2;
  const [wide, high] = [width + 2 * margin, height + 2 * margin];
  // Where points lie, from `starts[level]` on those of a level: two arrays, however many levels there are.
  const found = tiles.reduce((sum, { tile }) => sum + tile.pointRows.length, 0);
  const [pixels, levels, codes] = [new Int32Array(found), new Uint8Array(found), new Uint8Array(found)];
  const starts = new Uint32Array(LARGEST_LEVEL + 2);
  let size = 0;
  for (const { at, tile } of tiles) {
    const { pointRows, pointXy } = tile;
    for (let i = 0; i < pointRows.length; i++) {
      const row = pointRows[i];
      const code = classes ? classes.codes[row] : 0;
      if (!shown(row) || !markOf[code]) continue;
      const x = Math.round(margin + at.left + pointXy[2 * i] * at.scale);
      const y = Math.round(margin + at.top + pointXy[2 * i + 1] * at.scale);
      if (x < 0 || y < 0 || x >= wide || y >= high) continue;
      pixels[size] = y * wide + x;
      levels[size] = sizes.levels[row];
      codes[size] = code;
      starts[levels[size] + 1]++;
      size++;
    }
    yield;
  }
  if (size === 0) return;
  for (let level = 0; level <= LARGEST_LEVEL; level++) starts[level + 1] += starts[level];
  /** The points by level, as numbers into the three. */
  const sorted = new Uint32Array(size);
  const next = starts.slice();
  for (let i = 0; i < size; i++) sorted[next[levels[i]]++] = i;

  const sheet = new OffscreenCanvas(width, height);
  const paper = sheet.getContext('2d')!;
  const image = paper.createImageData(width, height);
  /** The level that was marked last at each pixel, and one more. */
  const marked = new Uint16Array(wide * high);
  let work = 0;
  for (const level of LEVELS) {
    if (starts[level] === starts[level + 1]) continue;
    const radius = level === 0 ? WITHOUT : radiusOf(level, sizes);
    const rim = radius > 2 && level > 0 ? paint.rim : null;
    const stamps: (Stamp | undefined)[] = [];
    const stampFor = (code: number): Stamp => {
      const { shape, colour } = markOf[code]!;
      return stampOf(level === 0 ? 'ring' : shape, colour, radius * ratio, rim);
    };
    for (let i = starts[level]; i < starts[level + 1]; i++) {
      const at = pixels[sorted[i]];
      if (marked[at] === level + 1) continue;
      marked[at] = level + 1;
      const code = codes[sorted[i]];
      const stamp = (stamps[code] ??= stampFor(code));
      const y = Math.floor(at / wide);
      blend(image.data, width, height, stamp, at - y * wide - margin, y - margin);
      work += stamp.size * stamp.size;
      if (work < BETWEEN) continue;
      work = 0;
      yield;
    }
  }
  paper.putImageData(image, 0, 0);
  context.globalAlpha = paint.alpha;
  context.drawImage(sheet, 0, 0);
  context.globalAlpha = 1;
}
