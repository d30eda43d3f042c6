import { PLANE_HALF as HALF } from '@clean-sieve/core/display/plane';
import { EXTENT } from '@clean-sieve/core/tiles/clip';
import type { MapFrame } from './paint.ts';

/** A tile is about so many CSS pixels wide. */
const SIZE = 512;
const DEEPEST = 22;

/** A tile of a plane, on web Mercator of the WebMercatorQuad set, and where it lies in a picture. */
export interface TileInView {
  z: number;
  x: number;
  y: number;
  /** Device pixel of the corner at the top left, and device pixels in a unit of the tile. */
  left: number;
  top: number;
  scale: number;
  /** Whole device pixels that are the tile's: left, top, right, bottom. */
  clip: [number, number, number, number];
}

/** The tiles that a picture shows, row by row. Beyond 180° the world comes round again on web Mercator. */
export function tilesInView({ plane, center, resolution, width, height, ratio }: MapFrame): TileInView[] {
  const world = (2 * HALF * ratio) / resolution;
  const z = Math.max(0, Math.min(DEEPEST, Math.round(Math.log2(world / ratio / SIZE))));
  const side = world / 2 ** z;
  const left = width / 2 - ((center[0] + HALF) / (2 * HALF)) * world;
  const top = height / 2 - ((HALF - center[1]) / (2 * HALF)) * world;
  const tiles: TileInView[] = [];
  const [firstRow, lastRow] = [Math.floor(-top / side), Math.floor((height - top) / side)];
  const [first, last] = [Math.floor(-left / side), Math.floor((width - left) / side)];
  for (let y = Math.max(0, firstRow); y <= Math.min(2 ** z - 1, lastRow); y++)
    for (let column = first; column <= last; column++) {
      const [at, down] = [left + column * side, top + y * side];
      const clip: TileInView['clip'] = [at, down, at + side, down + side].map(Math.round) as TileInView['clip'];
      const x = ((column % 2 ** z) + 2 ** z) % 2 ** z;
      if (x !== column && plane !== 'mercator') continue;
      tiles.push({ z, x, y, left: at, top: down, scale: side / EXTENT, clip });
    }
  return tiles;
}
