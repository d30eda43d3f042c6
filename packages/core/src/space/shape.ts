import Flatbush from 'flatbush';
import type { Geometry, Position } from 'geojson';
import { emptyBox, growBox, type Box } from '../features/geometry.ts';
import { segmentsMeet } from './orientation.ts';
import { PolygonLocator } from './polygon_locator.ts';

/**
 * A geometry made ready for many tests against it: its edges (a point is an edge from itself to itself) in a packed
 * R-tree, and a locator a polygon. Coordinates are planar; on longitude/latitude the edges are straight in
 * degrees, as RFC 7946 section 3.1.1 has it.
 */
export class Shape {
  readonly geometry: Geometry;
  readonly box: Box = emptyBox();
  /** x1, y1, x2, y2 an edge. */
  readonly edges: Float64Array;
  readonly polygons: PolygonLocator[] = [];
  /** One vertex of each part. */
  readonly firsts: Position[] = [];
  /** Every vertex of every part, rings included. */
  readonly vertices: Position[] = [];
  #tree: Flatbush | null = null;

  constructor(geometry: Geometry) {
    this.geometry = geometry;
    const edges: number[] = [];
    this.#collect(geometry, edges);
    this.edges = Float64Array.from(edges);
    for (const [x, y] of this.vertices) growBox(this.box, x, y);
    const count = this.edges.length / 4;
    if (count > 16) {
      this.#tree = new Flatbush(count);
      for (let e = 0; e < count; e++) {
        const [x1, y1, x2, y2] = this.edges.subarray(4 * e, 4 * e + 4);
        this.#tree.add(Math.min(x1, x2), Math.min(y1, y2), Math.max(x1, x2), Math.max(y1, y2));
      }
      this.#tree.finish();
    }
  }

  #collect(geometry: Geometry, edges: number[]): void {
    switch (geometry.type) {
      case 'Point':
        if (geometry.coordinates.length > 0) this.#addLine([geometry.coordinates], edges);
        break;
      case 'MultiPoint':
        for (const position of geometry.coordinates) this.#addLine([position], edges);
        break;
      case 'LineString':
        this.#addLine(geometry.coordinates, edges);
        break;
      case 'MultiLineString':
        for (const line of geometry.coordinates) this.#addLine(line, edges);
        break;
      case 'Polygon':
        this.#addPolygon(geometry.coordinates, edges);
        break;
      case 'MultiPolygon':
        for (const rings of geometry.coordinates) this.#addPolygon(rings, edges);
        break;
      case 'GeometryCollection':
        for (const member of geometry.geometries) this.#collect(member, edges);
        break;
    }
  }

  #addLine(line: Position[], edges: number[]): void {
    if (line.length === 0) return;
    this.firsts.push(line[0]);
    this.#addEdges(line, edges);
  }

  #addPolygon(rings: Position[][], edges: number[]): void {
    if (rings.length === 0 || rings[0].length === 0) return;
    this.firsts.push(rings[0][0]);
    for (const ring of rings) this.#addEdges(ring, edges);
    this.polygons.push(PolygonLocator.ofRings(rings));
  }

  #addEdges(line: Position[], edges: number[]): void {
    for (const position of line) this.vertices.push(position);
    if (line.length === 1) edges.push(line[0][0], line[0][1], line[0][0], line[0][1]);
    for (let i = 1; i < line.length; i++) edges.push(line[i - 1][0], line[i - 1][1], line[i][0], line[i][1]);
  }

  /** Whether the position lies in the interior or on the boundary of a polygon of the shape. */
  covers(x: number, y: number): boolean {
    for (const polygon of this.polygons) if (polygon.locate(x, y) >= 0) return true;
    return false;
  }

  /** Whether the closed segment shares a point with an edge of the shape. */
  meetsSegment(x1: number, y1: number, x2: number, y2: number): boolean {
    if (!this.#tree) {
      for (let e = 0; e < this.edges.length; e += 4) if (this.#meets(e, x1, y1, x2, y2)) return true;
      return false;
    }
    let found = false;
    this.#tree.search(Math.min(x1, x2), Math.min(y1, y2), Math.max(x1, x2), Math.max(y1, y2), (edge) => {
      if (!found && this.#meets(4 * edge, x1, y1, x2, y2)) found = true;
      return false;
    });
    return found;
  }

  #meets(e: number, x1: number, y1: number, x2: number, y2: number): boolean {
    return segmentsMeet(this.edges[e], this.edges[e + 1], this.edges[e + 2], this.edges[e + 3], x1, y1, x2, y2);
  }
}
