import Flatbush from 'flatbush';
import type { Geometry, Position } from 'geojson';
import { emptyBox, growBox, LINE, POINT, POLYGON, type Box, type GeometryChunk, type PartKind } from '../features/geometry.ts';
import { segmentsMeet } from './orientation.ts';
import { PolygonLocator, type Location } from './polygon_locator.ts';
import { PolygonsLocator } from './polygons_locator.ts';

interface Part {
  kind: PartKind;
  /** x, y a vertex. */
  rings: Float64Array[];
}

/** Fewer edges are looked through one by one. */
const FEW_EDGES = 16;
/** An index is worth it only for more questions than this. */
const FEW_QUESTIONS = 6;

/**
 * A geometry made ready for many tests against it: its edges (a point is an edge from itself to itself) in a packed
 * R-tree, and a locator a polygon, each made when first needed. Coordinates are planar; on longitude/latitude the
 * edges are straight in degrees, as RFC 7946 section 3.1.1 has it.
 */
export class Shape {
  readonly box: Box = emptyBox();
  /** Whether it is made of polygons alone. */
  onlyPolygons = true;
  #parts: Part[];
  #edges: Float64Array | null = null;
  #polygons: PolygonsLocator | null = null;
  #tree: Flatbush | null = null;
  #asked = 0;

  constructor(geometry: Geometry) {
    this.#parts = partsOf(geometry);
    this.#grow();
  }

  /** The geometry of one row. */
  static ofRow({ rowParts, partKinds, partRings, ringVertices, xy }: GeometryChunk, row: number): Shape {
    const shape = new Shape({ type: 'GeometryCollection', geometries: [] });
    for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
      const rings: Float64Array[] = [];
      for (let g = partRings[p]; g < partRings[p + 1]; g++) rings.push(xy.subarray(2 * ringVertices[g], 2 * ringVertices[g + 1]));
      if (rings[0]?.length > 0) shape.#parts.push({ kind: partKinds[p] as PartKind, rings });
    }
    shape.#grow();
    return shape;
  }

  #grow(): void {
    this.onlyPolygons = this.#parts.every(({ kind }) => kind === POLYGON);
    for (const { rings } of this.#parts)
      for (const ring of rings) for (let i = 0; i < ring.length; i += 2) growBox(this.box, ring[i], ring[i + 1]);
  }

  /** The position, when the shape is a single point. */
  get point(): Position | null {
    const [part] = this.#parts;
    return this.#parts.length === 1 && part.kind === POINT ? [part.rings[0][0], part.rings[0][1]] : null;
  }

  /** Whether some polygon has a hole. */
  get hasHoles(): boolean {
    return this.#parts.some(({ kind, rings }) => kind === POLYGON && rings.length > 1);
  }

  /** x1, y1, x2, y2 an edge. */
  get edges(): Float64Array {
    if (this.#edges) return this.#edges;
    let count = 0;
    for (const { rings } of this.#parts) for (const ring of rings) count += Math.max(1, ring.length / 2 - 1);
    const edges = new Float64Array(4 * count);
    let at = 0;
    for (const { rings } of this.#parts) {
      for (const ring of rings) {
        if (ring.length === 2) edges.set([ring[0], ring[1], ring[0], ring[1]], at);
        if (ring.length === 2) at += 4;
        for (let i = 2; i < ring.length; i += 2, at += 4) {
          edges[at] = ring[i - 2];
          edges[at + 1] = ring[i - 1];
          edges[at + 2] = ring[i];
          edges[at + 3] = ring[i + 1];
        }
      }
    }
    return (this.#edges = edges);
  }

  get #locator(): PolygonsLocator {
    return (this.#polygons ??= new PolygonsLocator(
      this.#parts.filter(({ kind }) => kind === POLYGON).map(({ rings }) => PolygonLocator.ofRings(rings)),
    ));
  }

  /** One vertex of each part. */
  get firsts(): Position[] {
    return this.#parts.map(({ rings: [ring] }) => [ring[0], ring[1]]);
  }

  /** Calls with every vertex of every part, rings included, until the answer is false. */
  eachVertex(visit: (x: number, y: number) => boolean): void {
    for (const { rings } of this.#parts)
      for (const ring of rings) for (let i = 0; i < ring.length; i += 2) if (!visit(ring[i], ring[i + 1])) return;
  }

  get #edgeTree(): Flatbush {
    if (this.#tree) return this.#tree;
    const { edges } = this;
    const tree = new Flatbush(edges.length / 4);
    for (let e = 0; e < edges.length; e += 4)
      tree.add(
        Math.min(edges[e], edges[e + 2]),
        Math.min(edges[e + 1], edges[e + 3]),
        Math.max(edges[e], edges[e + 2]),
        Math.max(edges[e + 1], edges[e + 3]),
      );
    tree.finish();
    return (this.#tree = tree);
  }

  /** Calls with the place in `edges` of every edge whose box meets the given one, until the answer is false. */
  eachEdgeIn([west, south, east, north]: Box, visit: (edge: number) => boolean): void {
    const { edges } = this;
    if (edges.length > 4 * FEW_EDGES && this.#asked++ > FEW_QUESTIONS) {
      let going = true;
      this.#edgeTree.search(west, south, east, north, (edge) => {
        if (going) going = visit(4 * edge);
        return false;
      });
      return;
    }
    for (let e = 0; e < edges.length; e += 4) {
      const [x1, y1, x2, y2] = [edges[e], edges[e + 1], edges[e + 2], edges[e + 3]];
      if ((x1 < west && x2 < west) || (x1 > east && x2 > east)) continue;
      if ((y1 < south && y2 < south) || (y1 > north && y2 > north)) continue;
      if (!visit(e)) return;
    }
  }

  /** Where a position lies relative to the polygons of the shape. */
  locate(x: number, y: number): Location {
    return this.#locator.locate(x, y);
  }

  /** Whether the position lies in the interior or on the boundary of a polygon of the shape. */
  covers(x: number, y: number): boolean {
    return this.#locator.locate(x, y) >= 0;
  }

  /** Whether the position lies on the shape, its boundary included. */
  meetsPoint(x: number, y: number): boolean {
    return this.covers(x, y) || (!this.onlyPolygons && this.meetsSegment(x, y, x, y));
  }

  /** Whether the closed segment shares a point with an edge of the shape. */
  meetsSegment(x1: number, y1: number, x2: number, y2: number): boolean {
    const { edges } = this;
    let found = false;
    this.eachEdgeIn([Math.min(x1, x2), Math.min(y1, y2), Math.max(x1, x2), Math.max(y1, y2)], (e) => {
      found = segmentsMeet(edges[e], edges[e + 1], edges[e + 2], edges[e + 3], x1, y1, x2, y2);
      return !found;
    });
    return found;
  }
}

function partsOf(geometry: Geometry): Part[] {
  switch (geometry.type) {
    case 'Point':
      return geometry.coordinates.length > 0 ? [{ kind: POINT, rings: [flat([geometry.coordinates])] }] : [];
    case 'MultiPoint':
      return geometry.coordinates.map((position) => ({ kind: POINT, rings: [flat([position])] }));
    case 'LineString':
      return geometry.coordinates.length > 0 ? [{ kind: LINE, rings: [flat(geometry.coordinates)] }] : [];
    case 'MultiLineString':
      return geometry.coordinates.filter((line) => line.length > 0).map((line) => ({ kind: LINE, rings: [flat(line)] }));
    case 'Polygon':
      return polygonParts([geometry.coordinates]);
    case 'MultiPolygon':
      return polygonParts(geometry.coordinates);
    case 'GeometryCollection':
      return geometry.geometries.flatMap(partsOf);
  }
}

function polygonParts(polygons: Position[][][]): Part[] {
  return polygons.filter((rings) => rings.length > 0 && rings[0].length > 0).map((rings) => ({ kind: POLYGON, rings: rings.map(flat) }));
}

function flat(positions: Position[]): Float64Array {
  const xy = new Float64Array(2 * positions.length);
  positions.forEach(([x, y], i) => {
    xy[2 * i] = x;
    xy[2 * i + 1] = y;
  });
  return xy;
}
