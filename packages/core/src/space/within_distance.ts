import type { Position } from 'geojson';
import { POLYGON, type Box, type GeometryChunk } from '../features/geometry.ts';
import { has, put, type Mask } from '../features/mask.ts';
import { chordBracket, ChordBracket, earthCentred, geodesicDistance, LEAST_CURVATURE_RADIUS } from './geodesic.ts';
import { rowIntersects, type RowTest } from './intersects.ts';
import { LocalPlane } from './local_plane.ts';
import { locateInRings } from './polygon_locator.ts';
import { Shape } from './shape.ts';

const DEGREE = Math.PI / 180;

/** Longitude and latitude of a place on an edge, and its chord in metres. */
type Place = [lon: number, lat: number, chord: number];

/**
 * Marks the rows that come within a distance of the shape, measured on the WGS 84 ellipsoid: `DWithin` of OGC 09-026r2
 * (FES 2.0), the distance itself included.
 * @param metres radius, 0 or more
 * @param offset mask row of the chunk's first row
 */
export function markWithinDistance(chunk: GeometryChunk, shape: Shape, metres: number, out: Mask, offset: number): void {
  const comesWithin = distanceTest(chunk, shape, metres);
  for (const box of boxesAround(shape.box, metres))
    for (const row of chunk.rowsInBox(box)) if (!has(out, offset + row) && comesWithin(row)) put(out, offset + row);
}

/** The test behind it, for rows whose box meets one of those around the shape. */
export function distanceTest(chunk: GeometryChunk, shape: Shape, metres: number): RowTest {
  const { point } = shape;
  if (chunk.onlyPoints) {
    const { xy } = chunk;
    if (point) return pointTest(xy, point, metres);
    return (row) => pointWithin(xy[2 * row], xy[2 * row + 1], shape, metres);
  }
  return (row) => distanceToShape(chunk, row, shape, metres) <= metres;
}

function pointTest(xy: Float64Array, [lon, lat]: Position, metres: number): RowTest {
  const { surelyWithin, surelyBeyond } = new ChordBracket(metres);
  const [cx, cy, cz] = earthCentred(lon, lat);
  return (row) => {
    const [x, y] = [xy[2 * row], xy[2 * row + 1]];
    const [ex, ey, ez] = earthCentred(x, y);
    const chord = Math.sqrt((ex - cx) ** 2 + (ey - cy) ** 2 + (ez - cz) ** 2);
    if (chord > surelyBeyond) return false;
    return chord <= surelyWithin || geodesicDistance(lon, lat, x, y) <= metres;
  };
}

/** Whether a position is within the distance of the shape; the ellipsoid is asked only where the plane is not sure. */
function pointWithin(x: number, y: number, shape: Shape, metres: number): boolean {
  if (shape.covers(x, y)) return true;
  const plane = new LocalPlane(x, y);
  const error = plane.error(metres);
  const [near, far] = [metres / (1 + error), metres * (1 + error)];
  const { edges } = shape;
  const unsure: number[] = [];
  let found = false;
  for (const box of boxesAround([x, y, x, y], metres)) {
    shape.eachEdgeIn(box, (e) => {
      const distance = plane.distanceToEdge(edges[e], edges[e + 1], edges[e + 2], edges[e + 3]);
      if (distance <= near) found = true;
      else if (!(distance > far)) unsure.push(e);
      return !found;
    });
    if (found) return true;
  }
  if (unsure.length === 0) return false;
  const centre = earthCentred(x, y);
  return unsure.some((e) => {
    const place = nearestOnEdge(centre, edges[e], edges[e + 1], edges[e + 2], edges[e + 3], metres + 1);
    return place !== null && geodesicDistance(x, y, place[0], place[1]) <= metres;
  });
}

/**
 * Shortest distance in metres between a row and the shape: 0 where they meet, else the geodesic from a vertex of one
 * to the nearest place on an edge of the other (edges straight in longitude and latitude). Infinity for a row
 * without geometry.
 * @param enough stop as soon as something this near is found
 * @param known what is known to be near; where nothing is nearer, this is the answer
 */
export function distanceToShape(chunk: GeometryChunk, row: number, shape: Shape, enough = 0, known = Infinity): number {
  const [from, to] = chunk.vertexRange(row);
  if (from === to) return Infinity;
  if (rowIntersects(chunk, row, shape)) return 0;
  let best = known;
  // Of two sides the vertices of one and the edges of the other are enough where one is a single point.
  if (!shape.point || to - from === 1)
    for (let v = from; v < to && best > enough; v++) best = distanceToEdges(chunk.xy[2 * v], chunk.xy[2 * v + 1], shape, best, enough);
  if (to - from === 1 || best <= enough) return best;
  const { point } = shape;
  if (point) return distanceToRow(point[0], point[1], chunk, row, best, enough);
  const own = Shape.ofRow(chunk, row);
  shape.eachVertex((x, y) => {
    best = distanceToEdges(x, y, own, best, enough);
    return best > enough;
  });
  return best;
}

/** The shortest distance in metres from a position to the edges shown to it so far, or what was known to begin with. */
class NearestEdge {
  best: number;
  readonly plane: LocalPlane;
  #lon: number;
  #lat: number;
  #centre: [number, number, number] | null = null;
  #error: number;
  #place: Place | null = null;

  constructor(lon: number, lat: number, known: number) {
    [this.#lon, this.#lat, this.best] = [lon, lat, known];
    this.plane = new LocalPlane(lon, lat);
    this.#error = this.plane.error(known);
  }

  look(x1: number, y1: number, x2: number, y2: number): void {
    if (this.plane.distanceToEdge(x1, y1, x2, y2) > this.best * (1 + this.#error)) return;
    this.#centre ??= earthCentred(this.#lon, this.#lat);
    const place = nearestOnEdge(this.#centre, x1, y1, x2, y2, this.best);
    if (!place) return;
    if (place[2] < CHORDS_TELL) {
      // Never less than the geodesic, so that no nearer edge is passed over.
      const most = chordBracket(place[2])[1];
      if (most < this.best) [this.best, this.#place] = [most, place];
    } else {
      const distance = geodesicDistance(this.#lon, this.#lat, place[0], place[1]);
      if (distance < this.best) [this.best, this.#place] = [distance, null];
    }
    this.#error = this.plane.error(this.best);
  }

  /** The distance itself, where so far its chord was enough. */
  get distance(): number {
    return this.#place ? geodesicDistance(this.#lon, this.#lat, this.#place[0], this.#place[1]) : this.best;
  }
}

/** Up to this chord in metres the nearer of two places is the one with the shorter chord, to within 10⁻⁸ m. */
const CHORDS_TELL = 1000;

/** Distance in metres from a position to the nearest of a shape's edges, or `known` when none is nearer. */
function distanceToEdges(lon: number, lat: number, shape: Shape, known: number, enough: number): number {
  const { edges } = shape;
  const nearest = new NearestEdge(lon, lat, known);
  const look = (e: number): boolean => {
    nearest.look(edges[e], edges[e + 1], edges[e + 2], edges[e + 3]);
    return nearest.best > enough;
  };
  // With a first edge measured, only those near enough to be nearer are looked at.
  if (known === Infinity && edges.length > 0) look(nearestByPlane(nearest.plane, edges));
  if (!(nearest.best < FAR)) {
    for (let e = 0; e < edges.length; e += 4) if (!look(e)) break;
    return nearest.distance;
  }
  for (const box of boxesAround([lon, lat, lon, lat], nearest.best)) if (nearest.best > enough) shape.eachEdgeIn(box, look);
  return nearest.distance;
}

/** The same to the edges of a row, straight from its buffers. */
function distanceToRow(lon: number, lat: number, chunk: GeometryChunk, row: number, known: number, enough: number): number {
  const nearest = new NearestEdge(lon, lat, known);
  lookAtRow(nearest, chunk, row, enough);
  return nearest.distance;
}

function lookAtRow(nearest: NearestEdge, { rowParts, partRings, ringVertices, xy }: GeometryChunk, row: number, enough: number): void {
  for (let g = partRings[rowParts[row]]; g < partRings[rowParts[row + 1]]; g++) {
    const [from, to] = [ringVertices[g], ringVertices[g + 1]];
    if (to - from === 1) nearest.look(xy[2 * from], xy[2 * from + 1], xy[2 * from], xy[2 * from + 1]);
    for (let v = from + 1; v < to && nearest.best > enough; v++) nearest.look(xy[2 * v - 2], xy[2 * v - 1], xy[2 * v], xy[2 * v + 1]);
  }
}

/** Something measured as less is looked at again, whether it is not 0. */
const TINY = 1e-6;

/**
 * Finds the nearest of many rows to one shape. Where the shape is a point, the plane round it tells which few edges can
 * be the nearest, and only those are measured on the ellipsoid.
 */
export class NearestRow {
  readonly #shape: Shape;
  readonly #plane: LocalPlane | null;
  /** Of a point: edges as x1, y1, x2, y2, their distance in the plane, and which row they are of. */
  #close: number[] = [];
  #rows: { chunk: GeometryChunk; row: number; tag: number }[] = [];
  #flat = Infinity;
  #error = Infinity;
  #least = Infinity;
  #tag = -1;

  constructor(shape: Shape) {
    this.#shape = shape;
    this.#plane = shape.point && new LocalPlane(shape.point[0], shape.point[1]);
  }

  /** @param tag tells the row from others */
  look(chunk: GeometryChunk, row: number, tag: number): void {
    if (this.#least === 0) return;
    const point = this.#plane && this.#shape.point!;
    if (!point || isPolygonAround(chunk, row, point)) {
      const distance = distanceToShape(chunk, row, this.#shape, 0, this.#least);
      if (distance < this.#least) [this.#least, this.#tag] = [distance, tag];
      return;
    }
    const { rowParts, partRings, ringVertices, xy } = chunk;
    const at = this.#rows.length;
    this.#rows.push({ chunk, row, tag });
    for (let g = partRings[rowParts[row]]; g < partRings[rowParts[row + 1]]; g++) {
      const [from, to] = [ringVertices[g], ringVertices[g + 1]];
      if (to - from === 1) this.#consider(xy[2 * from], xy[2 * from + 1], xy[2 * from], xy[2 * from + 1], at);
      for (let v = from + 1; v < to; v++) this.#consider(xy[2 * v - 2], xy[2 * v - 1], xy[2 * v], xy[2 * v + 1], at);
    }
  }

  #consider(x1: number, y1: number, x2: number, y2: number, at: number): void {
    const flat = this.#plane!.distanceToEdge(x1, y1, x2, y2);
    if (flat > this.#flat * (1 + this.#error)) return;
    this.#close.push(x1, y1, x2, y2, flat, at);
    if (!(flat < this.#flat)) return;
    this.#flat = flat;
    // Of what is as near as this, the error of both lengths.
    this.#error = 2.1 * this.#plane!.error(1.01 * flat);
  }

  /** The nearest so far: its distance in metres, Infinity before the first, and its tag. */
  nearest(): { distance: number; tag: number } {
    const point = this.#plane && this.#shape.point!;
    if (!point || this.#least === 0) return { distance: this.#least, tag: this.#tag };
    const edge = new NearestEdge(point[0], point[1], this.#least);
    let found: { chunk: GeometryChunk; row: number; tag: number } | null = null;
    for (let i = 0; i < this.#close.length; i += 6) {
      const [x1, y1, x2, y2, flat, at] = this.#close.slice(i, i + 6);
      if (flat > this.#flat * (1 + this.#error)) continue;
      const before = edge.best;
      edge.look(x1, y1, x2, y2);
      if (edge.best < before) found = this.#rows[at];
    }
    if (!found) return { distance: this.#least, tag: this.#tag };
    const onIt = edge.best < TINY && rowIntersects(found.chunk, found.row, this.#shape);
    return { distance: onIt ? 0 : edge.distance, tag: found.tag };
  }
}

/** Whether a row has a polygon with the position in it or on its edge. */
function isPolygonAround(chunk: GeometryChunk, row: number, [x, y]: Position): boolean {
  const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++)
    if (partKinds[p] === POLYGON && locateInRings(xy, ringVertices, partRings[p], partRings[p + 1], x, y) >= 0) return true;
  return false;
}

/** Farther than this, boxes around a position hold so much of the earth that they are not worth it. */
const FAR = 1e6;

/** The edge that seems nearest: a good one to begin with, no more. */
function nearestByPlane(plane: LocalPlane, edges: Float64Array): number {
  let [nearest, least] = [0, Infinity];
  for (let e = 0; e < edges.length; e += 4) {
    const distance = plane.distanceToEdge(edges[e], edges[e + 1], edges[e + 2], edges[e + 3]);
    if (distance < least) [nearest, least] = [e, distance];
  }
  return nearest;
}

/** Longest piece of an edge, in degrees, over which the distance to a position is taken to have one minimum. */
const PIECE = 1;
const GOLDEN = (Math.sqrt(5) - 1) / 2;

/** The place on an edge with the shortest chord to the centre; null when the chord cannot get below `bound`. */
function nearestOnEdge(
  centre: [number, number, number],
  lon1: number,
  lat1: number,
  lon2: number,
  lat2: number,
  bound: number,
): Place | null {
  const extent = Math.max(Math.abs(lon2 - lon1), Math.abs(lat2 - lat1));
  const chordAt = (t: number) => {
    const [x, y, z] = earthCentred(lon1 + t * (lon2 - lon1), lat1 + t * (lat2 - lat1));
    return Math.sqrt((x - centre[0]) ** 2 + (y - centre[1]) ** 2 + (z - centre[2]) ** 2);
  };
  if (extent === 0) {
    const chord = chordAt(0);
    return chord < bound ? [lon1, lat1, chord] : null;
  }
  if (extent < SHORT) return nearestOnShortEdge(chordAt, lon1, lat1, lon2, lat2, bound);
  const pieces = Math.ceil(extent / PIECE);
  let bestT = -1;
  let best = bound;
  for (let piece = 0; piece < pieces; piece++) {
    let [low, high] = [piece / pieces, (piece + 1) / pieces];
    const [atLow, atHigh] = [chordAt(low), chordAt(high)];
    // A degree is at most 111.7 km long in either direction, so the path along the piece is at most this long.
    const length = (high - low) * Math.hypot(lon2 - lon1, lat2 - lat1) * 111_700;
    if (Math.min(atLow, atHigh) - length / 2 > best) continue;
    let [a, b] = [high - GOLDEN * (high - low), low + GOLDEN * (high - low)];
    let [atA, atB] = [chordAt(a), chordAt(b)];
    // To a part in 10⁹ of the edge: the chord is flat at its minimum, so the distance is exact to far below a millimetre.
    while (high - low > 1e-9) {
      if (atA < atB) {
        [high, b, atB] = [b, a, atA];
        a = high - GOLDEN * (high - low);
        atA = chordAt(a);
      } else {
        [low, a, atA] = [a, b, atB];
        b = low + GOLDEN * (high - low);
        atB = chordAt(b);
      }
    }
    const inner = (low + high) / 2;
    for (const t of [piece / pieces, (piece + 1) / pieces, inner]) {
      const chord = chordAt(t);
      if (chord < best) [best, bestT] = [chord, t];
    }
  }
  return bestT < 0 ? null : [lon1 + bestT * (lon2 - lon1), lat1 + bestT * (lat2 - lat1), best];
}

/** Edges up to this many degrees are so short that the square of the chord runs along them as a parabola, all but exactly. */
const SHORT = 0.1;

/** The same for a short edge: the lowest point of a parabola through three places, and of another close round that. */
function nearestOnShortEdge(
  chordAt: (t: number) => number,
  lon1: number,
  lat1: number,
  lon2: number,
  lat2: number,
  bound: number,
): Place | null {
  let t = 0.5;
  for (const h of [0.5, 1e-3]) {
    const [before, here, after] = [chordAt(t - h) ** 2, chordAt(t) ** 2, chordAt(t + h) ** 2];
    const bend = before - 2 * here + after;
    if (!(bend > 0)) break;
    t = Math.max(0, Math.min(1, t + (h * (before - after)) / (2 * bend)));
  }
  let [best, bestT] = [bound, -1];
  for (const place of [0, t, 1]) {
    const chord = chordAt(place);
    if (chord < best) [best, bestT] = [chord, place];
  }
  return bestT < 0 ? null : [lon1 + bestT * (lon2 - lon1), lat1 + bestT * (lat2 - lat1), best];
}

/**
 * Longitude/latitude boxes that surely hold everything within a distance of a box; two when it crosses the
 * 180° meridian.
 */
export function boxesAround([west, south, east, north]: Box, metres: number): Box[] {
  if (west > east) return [];
  // The least radius of curvature makes the angle, and so the box, too large rather than too small.
  const angle = (metres / LEAST_CURVATURE_RADIUS) * 1.001 + 1e-12;
  const [low, high] = [south - angle / DEGREE, north + angle / DEGREE];
  const steepest = Math.max(Math.abs(south), Math.abs(north)) * DEGREE;
  if (steepest + angle >= Math.PI / 2) return [[-180, low, 180, high]];
  const aside = (Math.asin(Math.min(1, Math.sin(angle) / Math.cos(steepest))) / DEGREE) * 1.001 + 1e-9;
  if (east - west + 2 * aside >= 360) return [[-180, low, 180, high]];
  const boxes: Box[] = [[west - aside, low, east + aside, high]];
  if (west - aside < -180) boxes.push([west - aside + 360, low, 180, high]);
  if (east + aside > 180) boxes.push([-180, low, east + aside - 360, high]);
  return boxes;
}
