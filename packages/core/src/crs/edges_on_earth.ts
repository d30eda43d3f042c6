import type { Position } from 'geojson';
import { CHUNK_ROWS } from '../features/column.ts';
import { POINT, type GeometryChunk } from '../features/geometry.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import { emptyMask, put, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { earthCentred } from '../space/geodesic.ts';
import { isGeographic, toLonLat, type Transform } from './crs.ts';
import { lonLatChunks } from './lon_lat_view.ts';

/** Edges are cut until they lie this near, in metres, to where they are straight in their own system. */
const DEVIATION = 1e-2;
/** Pieces are not cut shorter than this part of an edge: beside a pole a longitude turns within no length at all. */
const DEEPEST = 36;
/** An edge of a usable system needs far fewer. */
const MOST_PIECES = 100_000;

/** Where the shapes of a table are on the ellipsoid: their edges in longitude and latitude. */
export interface EarthEdges {
  chunks: GeometryChunk[];
  /** Rows of which some vertex has no longitude and latitude. */
  lost: Mask;
  /**
   * Whether polygons have become their rings, so that what lies in them is told in the table's own system: a ring of a
   * plane has no inside in longitude and latitude where it runs round a pole or across the 180° meridian.
   */
  ringsOnly: boolean;
}

const made = new WeakMap<GeometryChunk, { chunk: GeometryChunk; lost: number[] }>();

/**
 * The edges of a table's shapes as they lie on the ellipsoid. An edge is straight in the table's own system: in a plane it
 * becomes as many as it takes to stay within a centimetre, and is cut where it crosses the 180° meridian.
 */
export function edgesOnEarth(table: FeatureTable): EarthEdges {
  const lost = emptyMask(table.rows);
  // In longitude and latitude edges are straight as they are (RFC 7946, 3.1.1); a change of datum leaves them so.
  if (isGeographic(table.crs)) {
    const chunks = lonLatChunks(table);
    markLost(chunks, lost);
    return { chunks, lost, ringsOnly: false };
  }
  const convert = toLonLat(table.crs);
  const chunks = table.geometry.map((chunk, chunkNumber) => {
    if (chunk.onlyPoints) return lonLatChunks(table)[chunkNumber];
    let view = made.get(chunk);
    if (!view) made.set(chunk, (view = ringsOf(chunk, convert)));
    for (const row of view.lost) put(lost, chunkNumber * CHUNK_ROWS + row);
    return view.chunk;
  });
  markLost(chunks, lost);
  return { chunks, lost, ringsOnly: table.geometry.some((chunk) => !chunk.onlyPoints) };
}

function markLost(chunks: GeometryChunk[], lost: Mask): void {
  for (const [chunkNumber, chunk] of chunks.entries()) {
    if (!chunk.xy.some(Number.isNaN)) continue;
    for (let row = 0; row < chunk.rows; row++) {
      const [from, to] = chunk.vertexRange(row);
      if (chunk.xy.subarray(2 * from, 2 * to).some(Number.isNaN)) put(lost, chunkNumber * CHUNK_ROWS + row);
    }
  }
}

function ringsOf(chunk: GeometryChunk, convert: Transform): { chunk: GeometryChunk; lost: number[] } {
  const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const builder = new GeometryBuilder();
  const lost: number[] = [];
  for (let row = 0; row < chunk.rows; row++) {
    const points: Position[] = [];
    const lines: Position[][] = [];
    let whole = true;
    for (let p = rowParts[row]; p < rowParts[row + 1] && whole; p++)
      for (let g = partRings[p]; g < partRings[p + 1] && whole; g++) {
        const [from, to] = [ringVertices[g], ringVertices[g + 1]];
        if (partKinds[p] === POINT) points.push(convert(xy[2 * from], xy[2 * from + 1]));
        else whole = addLine(xy.subarray(2 * from, 2 * to), convert, lines);
      }
    if (!whole || points.some(([lon]) => Number.isNaN(lon))) {
      lost.push(row);
      builder.add({ type: 'GeometryCollection', geometries: [] });
    } else if (chunk.isMissing(row)) builder.add(null);
    else
      builder.add({
        type: 'GeometryCollection',
        geometries: [
          { type: 'MultiPoint', coordinates: points },
          { type: 'MultiLineString', coordinates: lines },
        ],
      });
  }
  return { chunk: builder.finish(), lost };
}

/** Adds the pieces of a line between crossings of the 180° meridian; false where it has no longitude and latitude. */
function addLine(xy: Float64Array, convert: Transform, lines: Position[][]): boolean {
  let line: Position[] = [convert(xy[0], xy[1])];
  if (Number.isNaN(line[0][0])) return false;
  const add = (next: Position): void => {
    const last = line[line.length - 1];
    if (Math.abs(next[0] - last[0]) > 180) {
      const side = last[0] > 0 ? 180 : -180;
      const far = next[0] + 2 * side;
      const at = far === last[0] ? 0 : (side - last[0]) / (far - last[0]);
      const lat = last[1] + at * (next[1] - last[1]);
      line.push([side, lat]);
      lines.push(line);
      line = [[-side, lat]];
    }
    line.push(next);
  };
  for (let i = 2; i < xy.length; i += 2) if (!addEdge([xy[i - 2], xy[i - 1]], [xy[i], xy[i + 1]], convert, add)) return false;
  lines.push(line);
  return true;
}

/** Calls with the positions that an edge goes through after its first, near enough together. */
function addEdge(a: Position, b: Position, convert: Transform, add: (at: Position) => void): boolean {
  const along = (t: number): Position => convert(a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]));
  let pieces = 0;
  const cut = (from: number, to: number, start: Position, end: Position, depth: number): boolean => {
    const quarters = [0.25, 0.5, 0.75].map((t) => along(from + t * (to - from)));
    if ([...quarters, end].some(([lon, lat]) => Number.isNaN(lon) || Number.isNaN(lat))) return false;
    const isNear = quarters.every((place, i) => deviation(start, end, (i + 1) / 4, place) <= DEVIATION);
    // Where the system has no meaning any more, no piece is short enough.
    if (++pieces > MOST_PIECES) return false;
    if (isNear || depth === 0) {
      add(end);
      return true;
    }
    const middle = (from + to) / 2;
    return cut(from, middle, start, quarters[1], depth - 1) && cut(middle, to, quarters[1], end, depth - 1);
  };
  return cut(0, 1, along(0), along(1), DEEPEST);
}

/** How far, in metres, a place lies from a straight line in longitude and latitude, at a part of its way. */
function deviation([lon1, lat1]: Position, [lon2, lat2]: Position, t: number, place: Position): number {
  const turn = lon2 - lon1 > 180 ? -360 : lon2 - lon1 < -180 ? 360 : 0;
  const [ax, ay, az] = earthCentred(lon1 + t * (lon2 + turn - lon1), lat1 + t * (lat2 - lat1));
  const [bx, by, bz] = earthCentred(place[0], place[1]);
  return Math.hypot(ax - bx, ay - by, az - bz);
}
