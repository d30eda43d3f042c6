import Flatbush from 'flatbush';
import type { Geometry, Position } from 'geojson';

/** ISO 19125 / RFC 7946 geometry types; the index is the code that is stored. `None` is a missing geometry. */
export const GEOMETRY_TYPES = [
  'None',
  'Point',
  'LineString',
  'Polygon',
  'MultiPoint',
  'MultiLineString',
  'MultiPolygon',
  'GeometryCollection',
] as const;
export type GeometryType = (typeof GEOMETRY_TYPES)[number];

export const POINT = 0;
export const LINE = 1;
export const POLYGON = 2;
/** Dimension of one part: a point, a line string or a polygon. */
export type PartKind = typeof POINT | typeof LINE | typeof POLYGON;

/** x smallest, y smallest, x largest, y largest. Empty: +∞, +∞, −∞, −∞. */
export type Box = [number, number, number, number];

/** A box that holds nothing yet; it grows by `growBox`. */
export function emptyBox(): Box {
  return [Infinity, Infinity, -Infinity, -Infinity];
}

/** Makes a box hold a position too. */
export function growBox(box: Box, x: number, y: number): void {
  if (x < box[0]) box[0] = x;
  if (y < box[1]) box[1] = y;
  if (x > box[2]) box[2] = x;
  if (y > box[3]) box[3] = y;
}

/**
 * Geometries of a chunk as flat buffers. Row `r` has the parts `rowParts[r] .. rowParts[r + 1])`, part `p`
 * the rings `partRings[p] .. partRings[p + 1])`, ring `g` the vertices `ringVertices[g] .. ringVertices[g + 1])`;
 * vertex `v` is at `xy[2v], xy[2v + 1]`. A point part has one ring of one vertex, a line part one ring, a
 * polygon part its shell and then its holes, closed as written.
 */
export interface GeometryBuffers {
  types: Uint8Array<ArrayBuffer>;
  rowParts: Uint32Array<ArrayBuffer>;
  partKinds: Uint8Array<ArrayBuffer>;
  partRings: Uint32Array<ArrayBuffer>;
  ringVertices: Uint32Array<ArrayBuffer>;
  xy: Float64Array<ArrayBuffer>;
  /** Third coordinate a vertex, NaN where it has none; empty when no vertex has one. */
  z: Float64Array<ArrayBuffer>;
  /** Packed Hilbert R-tree (flatbush) over the boxes of the rows that have vertices; empty when there are none. */
  tree: Uint8Array<ArrayBuffer>;
  /** Row of each item in the tree. */
  treeRows: Uint32Array<ArrayBuffer>;
}

/** Geometries of a chunk with what is asked of them: boxes, rows by box, one geometry as GeoJSON. */
export class GeometryChunk implements GeometryBuffers {
  readonly types;
  readonly rowParts;
  readonly partKinds;
  readonly partRings;
  readonly ringVertices;
  readonly xy;
  readonly z;
  readonly tree;
  readonly treeRows;
  readonly rows: number;
  /** Row `r` is the single vertex `r` for every row. */
  readonly onlyPoints: boolean;
  readonly box: Box;
  #index: Flatbush | null;

  constructor(buffers: GeometryBuffers) {
    ({
      types: this.types,
      rowParts: this.rowParts,
      partKinds: this.partKinds,
      partRings: this.partRings,
      ringVertices: this.ringVertices,
      xy: this.xy,
      z: this.z,
      tree: this.tree,
      treeRows: this.treeRows,
    } = buffers);
    this.rows = this.types.length;
    this.onlyPoints = this.xy.length === 2 * this.rows && this.types.every((type) => type === 1);
    this.#index = this.tree.length > 0 ? Flatbush.from(this.tree.buffer, this.tree.byteOffset) : null;
    this.box = this.#index ? [this.#index.minX, this.#index.minY, this.#index.maxX, this.#index.maxY] : emptyBox();
  }

  /** Rows whose box meets the given one (touching counts), in no particular order. */
  rowsInBox(box: Box): number[] {
    if (!this.#index) return [];
    const items = this.#index.search(box[0], box[1], box[2], box[3]);
    for (let i = 0; i < items.length; i++) items[i] = this.treeRows[items[i]];
    return items;
  }

  isMissing(row: number): boolean {
    return this.types[row] === 0;
  }

  /** Range of vertices that belong to the row. */
  vertexRange(row: number): [number, number] {
    const from = this.partRings[this.rowParts[row]];
    const to = this.partRings[this.rowParts[row + 1]];
    return [this.ringVertices[from], this.ringVertices[to]];
  }

  boxOf(row: number): Box {
    const box = emptyBox();
    const [from, to] = this.vertexRange(row);
    for (let v = from; v < to; v++) growBox(box, this.xy[2 * v], this.xy[2 * v + 1]);
    return box;
  }

  /** The geometry of a row as GeoJSON, with coordinates exactly as stored; null when missing. */
  geometryAt(row: number): Geometry | null {
    const type = GEOMETRY_TYPES[this.types[row]];
    if (type === 'None') return null;
    const parts: { kind: PartKind; rings: Position[][] }[] = [];
    for (let p = this.rowParts[row]; p < this.rowParts[row + 1]; p++) {
      const rings: Position[][] = [];
      for (let g = this.partRings[p]; g < this.partRings[p + 1]; g++) {
        const ring: Position[] = [];
        for (let v = this.ringVertices[g]; v < this.ringVertices[g + 1]; v++) ring.push(this.#position(v));
        rings.push(ring);
      }
      parts.push({ kind: this.partKinds[p] as PartKind, rings });
    }
    switch (type) {
      case 'Point':
        return { type, coordinates: parts[0]?.rings[0]?.[0] ?? [] };
      case 'LineString':
        return { type, coordinates: parts[0]?.rings[0] ?? [] };
      case 'Polygon':
        return { type, coordinates: parts[0]?.rings ?? [] };
      case 'MultiPoint':
        return { type, coordinates: parts.map((part) => part.rings[0][0]) };
      case 'MultiLineString':
        return { type, coordinates: parts.map((part) => part.rings[0]) };
      case 'MultiPolygon':
        return { type, coordinates: parts.map((part) => part.rings) };
      case 'GeometryCollection':
        return {
          type,
          geometries: parts.map(({ kind, rings }): Geometry => {
            if (kind === POINT) return { type: 'Point', coordinates: rings[0][0] };
            if (kind === LINE) return { type: 'LineString', coordinates: rings[0] };
            return { type: 'Polygon', coordinates: rings };
          }),
        };
    }
  }

  #position(v: number): Position {
    const position = [this.xy[2 * v], this.xy[2 * v + 1]];
    if (this.z.length > 0 && !Number.isNaN(this.z[v])) position.push(this.z[v]);
    return position;
  }
}
