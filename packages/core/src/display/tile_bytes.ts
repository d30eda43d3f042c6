import { pack, unpack } from '../features/packed.ts';

/**
 * What is drawn of a source in a tile of the WebMercatorQuad set (OGC 17-083r4, annex D), for drawing only: positions in whole
 * units, 4096 a side, x to the right and y down, and of each the row that it belongs to. Every feature that lies in the tile
 * leaves something in it, whatever the scale: what is smaller than a dot is a dot.
 */
export interface DisplayTile {
  /** Points, each in one tile only. */
  pointRows: Uint32Array;
  pointXy: Int16Array;
  /** Lines and polygons that are smaller than `DOT` both ways, each in the tile where its middle lies. */
  dotRows: Uint32Array;
  dotXy: Int16Array;
  /**
   * Lines and polygons, cut to the tile and its margin. Part `p` is of the row `partRows[p]`, of the kind `partKinds[p]`, and has
   * the rings `partRings[p] .. partRings[p + 1])`; ring `g` has the vertices `ringVertices[g] .. ringVertices[g + 1])`. Rings of
   * polygons are open, without their last position again; shells run clockwise on the screen and holes the other way.
   */
  partRows: Uint32Array;
  partKinds: Uint8Array;
  partRings: Uint32Array;
  ringVertices: Uint32Array;
  xy: Int16Array;
}

/** A tile with nothing in it. */
export const EMPTY_TILE: DisplayTile = {
  ...{
    pointRows: new Uint32Array(0),
    pointXy: new Int16Array(0),
    dotRows: new Uint32Array(0),
    dotXy: new Int16Array(0),
  },
  ...{ partRows: new Uint32Array(0), partKinds: new Uint8Array(0), partRings: new Uint32Array(1) },
  ...{ ringVertices: new Uint32Array(1), xy: new Int16Array(0) },
};

/** A tile on its way to the browser (`pack`). */
export function packTile(tile: DisplayTile): Uint8Array<ArrayBuffer> {
  const { pointRows, pointXy, dotRows, dotXy, partRows, partKinds, partRings, ringVertices, xy } = tile;
  return pack([pointRows, pointXy, dotRows, dotXy, partRows, partKinds, partRings, ringVertices, xy]);
}

/** A tile as it was packed, as views of the bytes. */
export function unpackTile(bytes: Uint8Array): DisplayTile {
  const [pointRows, pointXy, dotRows, dotXy, partRows, partKinds, partRings, ringVertices, xy] = unpack(bytes) as [
    ...[Uint32Array, Int16Array, Uint32Array, Int16Array],
    ...[Uint32Array, Uint8Array, Uint32Array, Uint32Array, Int16Array],
  ];
  return { pointRows, pointXy, dotRows, dotXy, partRows, partKinds, partRings, ringVertices, xy };
}
