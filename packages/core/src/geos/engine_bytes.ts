import Flatbush from 'flatbush';
import type { Geometry, Position } from 'geojson';
import { POLYGON, type GeometryChunk } from '../features/geometry.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import { wkbOfRow } from '../formats/geometry/row_wkb.ts';
import { wkbOfGeometry } from '../formats/geometry/write_wkb.ts';
import type { Geos } from './geos.ts';
import { orientation } from '../space/orientation.ts';

/** What is known of a chunk's rows: 0 nothing yet, 1 that they go as they are, 2 that they go by the bytes kept here. */
interface Known {
  state: Uint8Array;
  bytes: Map<number, Uint8Array>;
}
const known = new WeakMap<GeometryChunk, Known>();

/**
 * A row as the geometry engine takes it, in well-known binary; null for a row without positions.
 *
 * - A shape that is not valid (OGC 06-103r4, 6.1.11) goes as what it covers: of a polygon what lies in an odd number of its
 *   rings, of several polygons what any of them covers. That is the meaning that S_INTERSECTS and distances have anyway.
 *   A line of one position is that position, a ring of fewer than four a line.
 * - Where a ring of a polygon touches another ring of the row, the place is a vertex of both. GEOS 3.13.0 decides relations
 *   wrongly where a ring touches an edge between its vertices: a square in a multipolygon whose other part touches that edge
 *   is not found within it, though ISO 19125, GEOS 3.11 and the same shape with the vertex say that it is. No position is
 *   moved: only vertices exactly on an edge are added to it.
 */
export function engineBytes(chunk: GeometryChunk, row: number, geos: Geos): Uint8Array | null {
  const [from, to] = chunk.vertexRange(row);
  if (from === to) return null;
  let rows = known.get(chunk);
  if (!rows) known.set(chunk, (rows = { state: new Uint8Array(chunk.rows), bytes: new Map() }));
  if (rows.state[row] === 0) {
    const bytes = otherBytes(chunk, row, geos);
    rows.state[row] = bytes ? 2 : 1;
    if (bytes) rows.bytes.set(row, bytes);
  }
  return rows.bytes.get(row) ?? wkbOfRow(chunk, row);
}

/** A row, which has positions, as what it covers. */
export function coveredGeometry(chunk: GeometryChunk, row: number, geos: Geos): Geometry {
  const geometry = isWhole(chunk, row) ? chunk.geometryAt(row)! : withoutStubs(chunk, row);
  return hasPolygons(chunk, row) && geos.invalidity(geometry) ? covered(geometry, geos) : geometry;
}

/** The bytes of a row that does not go as it is; null for one that does. */
function otherBytes(chunk: GeometryChunk, row: number, geos: Geos): Uint8Array | null {
  const whole = isWhole(chunk, row);
  const polygons = hasPolygons(chunk, row);
  if (whole && !polygons) return null;
  const geometry = whole ? chunk.geometryAt(row)! : withoutStubs(chunk, row);
  if (polygons && geos.invalidity(geometry)) return wkbOfGeometry(covered(geometry, geos));
  if (!whole) return wkbOfGeometry(geometry);
  const added = mayTouch(chunk, row) ? touchesOf(chunk, row) : null;
  return added && added.size > 0 ? wkbOfRow(withVertices(chunk, row, added), 0) : null;
}

/** What a shape covers that is not valid. */
function covered(geometry: Geometry, geos: Geos): Geometry {
  const valid = geos.madeValid(geometry);
  return valid.type === 'GeometryCollection' ? geos.union(valid.geometries) : valid;
}

function hasPolygons({ rowParts, partKinds }: GeometryChunk, row: number): boolean {
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) if (partKinds[p] === POLYGON) return true;
  return false;
}

/** Whether every ring has four positions and is closed, and every line has two; the engine takes nothing else. */
function isWhole({ rowParts, partKinds, partRings, ringVertices, xy }: GeometryChunk, row: number): boolean {
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
    const kind = partKinds[p];
    for (let g = partRings[p]; g < partRings[p + 1]; g++) {
      const [from, to] = [ringVertices[g], ringVertices[g + 1]];
      if (to - from < [1, 2, 4][kind]) return false;
      if (kind === POLYGON && (xy[2 * from] !== xy[2 * to - 2] || xy[2 * from + 1] !== xy[2 * to - 1])) return false;
    }
  }
  return true;
}

/** A row with lines of one position as points, rings of fewer than four as lines, and open rings closed. */
function withoutStubs({ rowParts, partKinds, partRings, ringVertices, xy }: GeometryChunk, row: number): Geometry {
  const geometries: Geometry[] = [];
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
    const rings: Position[][] = [];
    for (let g = partRings[p]; g < partRings[p + 1]; g++) {
      const ring: Position[] = [];
      for (let v = ringVertices[g]; v < ringVertices[g + 1]; v++) ring.push([xy[2 * v], xy[2 * v + 1]]);
      if (ring.length > 0) rings.push(ring);
    }
    const [shell, ...holes] = rings;
    if (!shell) continue;
    const closed = (ring: Position[]) => {
      const [first, last] = [ring[0], ring[ring.length - 1]];
      return first[0] === last[0] && first[1] === last[1] ? ring : [...ring, first];
    };
    if (shell.length === 1) geometries.push({ type: 'Point', coordinates: shell[0] });
    else if (partKinds[p] !== POLYGON || closed(shell).length < 4) geometries.push({ type: 'LineString', coordinates: shell });
    else geometries.push({ type: 'Polygon', coordinates: [closed(shell), ...holes.map(closed).filter((hole) => hole.length >= 4)] });
  }
  return geometries.length === 1 ? geometries[0] : { type: 'GeometryCollection', geometries };
}

/** Whether a row has more than one ring of polygons. */
function mayTouch({ rowParts, partKinds, partRings }: GeometryChunk, row: number): boolean {
  let rings = 0;
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) if (partKinds[p] === POLYGON) rings += partRings[p + 1] - partRings[p];
  return rings > 1;
}

/** Vertices of other rings on the edges of a row: by the vertex that begins the edge, in no order. */
function touchesOf(chunk: GeometryChunk, row: number): Map<number, Position[]> {
  const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const rings: [from: number, to: number][] = [];
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++)
    if (partKinds[p] === POLYGON) for (let g = partRings[p]; g < partRings[p + 1]; g++) rings.push([ringVertices[g], ringVertices[g + 1]]);
  const edges = rings.flatMap(([from, to], ring) => Array.from({ length: Math.max(0, to - from - 1) }, (_, i) => ({ ring, v: from + i })));
  const added = new Map<number, Position[]>();
  if (edges.length === 0) return added;
  const tree = new Flatbush(edges.length);
  for (const { v } of edges) {
    const [x1, y1, x2, y2] = xy.subarray(2 * v, 2 * v + 4);
    tree.add(Math.min(x1, x2), Math.min(y1, y2), Math.max(x1, x2), Math.max(y1, y2));
  }
  tree.finish();
  for (const [ring, [from, to]] of rings.entries())
    for (let v = from; v < to - 1; v++) {
      const [x, y] = [xy[2 * v], xy[2 * v + 1]];
      for (const e of tree.search(x, y, x, y)) {
        const { ring: other, v: w } = edges[e];
        const [x1, y1, x2, y2] = xy.subarray(2 * w, 2 * w + 4);
        if (other === ring || (x === x1 && y === y1) || (x === x2 && y === y2)) continue;
        if (orientation(x1, y1, x2, y2, x, y) === 0) added.set(w, [...(added.get(w) ?? []), [x, y]]);
      }
    }
  return added;
}

function withVertices(chunk: GeometryChunk, row: number, added: Map<number, Position[]>): GeometryChunk {
  const { rowParts, partRings, ringVertices, xy } = chunk;
  const geometry = structuredClone(chunk.geometryAt(row)!);
  // The rings stand in the geometry in the order of the buffers.
  const rings: Position[][] = [];
  const collect = (value: unknown[]): void => {
    if (Array.isArray(value[0]) && typeof (value[0] as unknown[])[0] === 'number') rings.push(value as Position[]);
    else for (const item of value) if (Array.isArray(item)) collect(item as unknown[]);
  };
  const members = geometry.type === 'GeometryCollection' ? geometry.geometries : [geometry];
  for (const member of members)
    if (member.type === 'Point') rings.push([]);
    else if ('coordinates' in member) collect(member.type === 'LineString' ? [member.coordinates] : member.coordinates);
  let at = 0;
  for (let g = partRings[rowParts[row]]; g < partRings[rowParts[row + 1]]; g++, at++) {
    const ring = rings[at];
    for (let v = ringVertices[g + 1] - 2; v >= ringVertices[g]; v--) {
      const places = added.get(v);
      if (!places) continue;
      const far = ([x, y]: Position) => Math.abs(x - xy[2 * v]) + Math.abs(y - xy[2 * v + 1]);
      const sorted = places.sort((a, b) => far(a) - far(b)).filter((place, i, all) => i === 0 || far(place) !== far(all[i - 1]));
      ring.splice(v - ringVertices[g] + 1, 0, ...sorted);
    }
  }
  const builder = new GeometryBuilder();
  builder.add(geometry);
  return builder.finish();
}
