import Flatbush from 'flatbush';
import type { Geometry, Position } from 'geojson';
import { GEOMETRY_TYPES, GeometryChunk, LINE, POINT, POLYGON, type GeometryType, type PartKind } from './geometry.ts';

/** Appends geometries of one chunk and lays them out as a GeometryChunk. */
export class GeometryBuilder {
  #types: number[] = [];
  #rowParts: number[] = [0];
  #partKinds: number[] = [];
  #partRings: number[] = [0];
  #ringVertices: number[] = [0];
  #xy = new Float64Array(4096);
  #z: Float64Array | null = null;
  #vertices = 0;

  get rows(): number {
    return this.#types.length;
  }

  /** @param geometry null for a missing one. Coordinates are trusted: the format readers check them. */
  add(geometry: Geometry | null): void {
    this.#types.push(GEOMETRY_TYPES.indexOf((geometry?.type ?? 'None') satisfies GeometryType));
    if (geometry) this.#addParts(geometry);
    this.#rowParts.push(this.#partKinds.length);
  }

  addPoint(x: number, y: number): void {
    this.#types.push(1);
    this.#addPart(POINT, [[[x, y]]]);
    this.#rowParts.push(this.#partKinds.length);
  }

  #addParts(geometry: Geometry): void {
    switch (geometry.type) {
      case 'Point':
        if (geometry.coordinates.length > 0) this.#addPart(POINT, [[geometry.coordinates]]);
        break;
      case 'LineString':
        if (geometry.coordinates.length > 0) this.#addPart(LINE, [geometry.coordinates]);
        break;
      case 'Polygon':
        if (geometry.coordinates.length > 0) this.#addPart(POLYGON, geometry.coordinates);
        break;
      case 'MultiPoint':
        for (const position of geometry.coordinates) this.#addPart(POINT, [[position]]);
        break;
      case 'MultiLineString':
        for (const line of geometry.coordinates) this.#addPart(LINE, [line]);
        break;
      case 'MultiPolygon':
        for (const rings of geometry.coordinates) this.#addPart(POLYGON, rings);
        break;
      case 'GeometryCollection':
        for (const member of geometry.geometries) this.#addParts(member);
        break;
    }
  }

  #addPart(kind: PartKind, rings: Position[][]): void {
    for (const ring of rings) {
      for (const position of ring) this.#addVertex(position);
      this.#ringVertices.push(this.#vertices);
    }
    this.#partKinds.push(kind);
    this.#partRings.push(this.#ringVertices.length - 1);
  }

  #addVertex(position: Position): void {
    const v = this.#vertices++;
    if (2 * v + 2 > this.#xy.length) this.#xy = grown(this.#xy);
    this.#xy[2 * v] = position[0];
    this.#xy[2 * v + 1] = position[1];
    if (position.length > 2) {
      this.#z ??= new Float64Array(this.#xy.length / 2).fill(NaN);
    }
    if (this.#z) {
      if (v >= this.#z.length) {
        const more = new Float64Array(this.#xy.length / 2).fill(NaN);
        more.set(this.#z);
        this.#z = more;
      }
      if (position.length > 2) this.#z[v] = position[2];
    }
  }

  finish(): GeometryChunk {
    const xy = this.#xy.slice(0, 2 * this.#vertices);
    const rowParts = Uint32Array.from(this.#rowParts);
    const partRings = Uint32Array.from(this.#partRings);
    const ringVertices = Uint32Array.from(this.#ringVertices);
    const { tree, treeRows } = buildTree(rowParts, partRings, ringVertices, xy);
    return new GeometryChunk({
      types: Uint8Array.from(this.#types),
      rowParts,
      partKinds: Uint8Array.from(this.#partKinds),
      partRings,
      ringVertices,
      xy,
      z: this.#z ? this.#z.slice(0, this.#vertices) : new Float64Array(0),
      tree,
      treeRows,
    });
  }
}

/** The same geometries with other coordinates: vertex for vertex, the tree made anew. */
export function withCoordinates(chunk: GeometryChunk, xy: Float64Array<ArrayBuffer>): GeometryChunk {
  const { types, rowParts, partKinds, partRings, ringVertices, z } = chunk;
  const { tree, treeRows } = buildTree(rowParts, partRings, ringVertices, xy);
  return new GeometryChunk({ types, rowParts, partKinds, partRings, ringVertices, xy, z, tree, treeRows });
}

function grown(values: Float64Array): Float64Array<ArrayBuffer> {
  const more = new Float64Array(values.length * 2);
  more.set(values);
  return more;
}

function buildTree(
  rowParts: Uint32Array,
  partRings: Uint32Array,
  ringVertices: Uint32Array,
  xy: Float64Array,
): { tree: Uint8Array<ArrayBuffer>; treeRows: Uint32Array<ArrayBuffer> } {
  const rows = rowParts.length - 1;
  const firstVertex = (row: number) => ringVertices[partRings[rowParts[row]]];
  const treeRows = new Uint32Array(rows);
  const boxes = new Float64Array(4 * rows);
  let items = 0;
  for (let row = 0; row < rows; row++) {
    let [minX, minY, maxX, maxY] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let v = firstVertex(row); v < firstVertex(row + 1); v++) {
      const [x, y] = [xy[2 * v], xy[2 * v + 1]];
      if (x < minX) minX = x;
      if (x > maxX) maxX = x;
      if (y < minY) minY = y;
      if (y > maxY) maxY = y;
    }
    // Rows without a usable coordinate are found nowhere.
    if (minX > maxX || minY > maxY) continue;
    boxes.set([minX, minY, maxX, maxY], 4 * items);
    treeRows[items++] = row;
  }
  if (items === 0) return { tree: new Uint8Array(0), treeRows: new Uint32Array(0) };
  const index = new Flatbush(items);
  for (let b = 0; b < 4 * items; b += 4) index.add(boxes[b], boxes[b + 1], boxes[b + 2], boxes[b + 3]);
  index.finish();
  return { tree: new Uint8Array(index.data as ArrayBuffer), treeRows: treeRows.slice(0, items) };
}
