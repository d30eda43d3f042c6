import type { Position } from 'geojson';
import { type Box, type GeometryChunk } from '../features/geometry.ts';
import { put, type Mask } from '../features/mask.ts';
import { ChordBracket, earthCentred, geodesicDistance, LEAST_CURVATURE_RADIUS } from './geodesic.ts';
import { rowIntersects } from './intersects.ts';
import type { Shape } from './shape.ts';

const DEGREE = Math.PI / 180;

/**
 * Marks the rows that come within a distance of the shape, measured on the WGS 84 ellipsoid: `DWithin` of OGC 09-026r2
 * (FES 2.0), the distance itself included.
 * @param metres radius, 0 or more
 * @param offset mask row of the chunk's first row
 */
export function markWithinDistance(
  chunk: GeometryChunk,
  shape: Shape,
  metres: number,
  out: Mask,
  offset: number,
): void {
  const rows = new Set<number>();
  for (const box of boxesAround(shape.box, metres)) for (const row of chunk.rowsInBox(box)) rows.add(row);
  const target = shape.geometry.type === 'Point' ? shape.geometry.coordinates : null;
  if (target && chunk.onlyPoints) {
    markPoints(chunk, target, metres, rows, out, offset);
    return;
  }
  for (const row of rows) if (distanceToShape(chunk, row, shape, metres) <= metres) put(out, offset + row);
}

function markPoints(
  chunk: GeometryChunk,
  [lon, lat]: Position,
  metres: number,
  rows: Set<number>,
  out: Mask,
  offset: number,
): void {
  const { surelyWithin, surelyBeyond } = new ChordBracket(metres);
  const [cx, cy, cz] = earthCentred(lon, lat);
  for (const row of rows) {
    const [x, y] = [chunk.xy[2 * row], chunk.xy[2 * row + 1]];
    const [ex, ey, ez] = earthCentred(x, y);
    const chord = Math.sqrt((ex - cx) ** 2 + (ey - cy) ** 2 + (ez - cz) ** 2);
    if (chord > surelyBeyond) continue;
    if (chord <= surelyWithin || geodesicDistance(lon, lat, x, y) <= metres) put(out, offset + row);
  }
}

/**
 * Shortest distance in metres between a row and the shape: 0 where they meet, else the geodesic from a vertex of one
 * to the nearest place on an edge of the other (edges straight in longitude and latitude). Infinity for a row
 * without geometry.
 * @param enough stop as soon as something this near is found
 */
export function distanceToShape(chunk: GeometryChunk, row: number, shape: Shape, enough = 0): number {
  const [from, to] = chunk.vertexRange(row);
  if (from === to) return Infinity;
  if (rowIntersects(chunk, row, shape)) return 0;
  let best = Infinity;
  for (let v = from; v < to && best > enough; v++) {
    best = Math.min(best, distanceToEdges(chunk.xy[2 * v], chunk.xy[2 * v + 1], shape.edges, best, enough));
  }
  const edges = edgesOf(chunk, row);
  for (const [x, y] of shape.vertices) {
    if (best <= enough) break;
    best = Math.min(best, distanceToEdges(x, y, edges, best, enough));
  }
  return best;
}

function edgesOf({ rowParts, partRings, ringVertices, xy }: GeometryChunk, row: number): Float64Array {
  const edges: number[] = [];
  for (let g = partRings[rowParts[row]]; g < partRings[rowParts[row + 1]]; g++) {
    const [from, to] = [ringVertices[g], ringVertices[g + 1]];
    if (to - from === 1) edges.push(xy[2 * from], xy[2 * from + 1], xy[2 * from], xy[2 * from + 1]);
    for (let v = from + 1; v < to; v++) edges.push(xy[2 * v - 2], xy[2 * v - 1], xy[2 * v], xy[2 * v + 1]);
  }
  return Float64Array.from(edges);
}

/** Distance in metres from a position to the nearest of the edges, or anything above `known` when none is nearer. */
function distanceToEdges(lon: number, lat: number, edges: Float64Array, known: number, enough: number): number {
  const centre = earthCentred(lon, lat);
  let best = known;
  for (let e = 0; e < edges.length && best > enough; e += 4) {
    const place = nearestOnEdge(centre, edges[e], edges[e + 1], edges[e + 2], edges[e + 3], best);
    if (place) best = Math.min(best, geodesicDistance(lon, lat, place[0], place[1]));
  }
  return best;
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
): [number, number] | null {
  const extent = Math.max(Math.abs(lon2 - lon1), Math.abs(lat2 - lat1));
  const chordAt = (t: number) => {
    const [x, y, z] = earthCentred(lon1 + t * (lon2 - lon1), lat1 + t * (lat2 - lat1));
    return Math.sqrt((x - centre[0]) ** 2 + (y - centre[1]) ** 2 + (z - centre[2]) ** 2);
  };
  if (extent === 0) return chordAt(0) < bound ? [lon1, lat1] : null;
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
  return bestT < 0 ? null : [lon1 + bestT * (lon2 - lon1), lat1 + bestT * (lat2 - lat1)];
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
