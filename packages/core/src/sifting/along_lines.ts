import type { Geometry, MultiLineString, Position } from 'geojson';
import { LINE, type GeometryChunk } from '../features/geometry.ts';
import { Shape } from '../space/shape.ts';

/** Ends of a piece lie this near to the line that it was cut from, in parts of the largest coordinate. */
const ROUNDING = 1e-11;

/**
 * Pieces that were cut out of the lines of a row as parts of those lines, each place once. Two pieces that share a place
 * differ there by rounding, so a union of them would count it twice; how far along the line they reach does not.
 */
export function alongLines(chunk: GeometryChunk, row: number, pieces: readonly Geometry[]): MultiLineString | null {
  const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const lines: Position[][] = [];
  const cut = pieces.flatMap(segmentsOf);
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
    if (partKinds[p] !== LINE) continue;
    const g = partRings[p];
    lines.push(...partsOf(xy.subarray(2 * ringVertices[g], 2 * ringVertices[g + 1]), cut));
  }
  return lines.length > 0 ? { type: 'MultiLineString', coordinates: lines } : null;
}

type Segment = [x1: number, y1: number, x2: number, y2: number];

function segmentsOf(geometry: Geometry): Segment[] {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.flatMap(segmentsOf);
  const lines = geometry.type === 'LineString' ? [geometry.coordinates] : geometry.type === 'MultiLineString' ? geometry.coordinates : [];
  return lines.flatMap((line) => line.slice(1).map(([x, y], i): Segment => [line[i][0], line[i][1], x, y]));
}

/** The parts of one line that segments lie on, joined where one begins as the other ends. */
function partsOf(xy: Float64Array, segments: readonly Segment[]): Position[][] {
  const shape = new Shape({ type: 'LineString', coordinates: Array.from({ length: xy.length / 2 }, (_, v) => [xy[2 * v], xy[2 * v + 1]]) });
  const { edges } = shape;
  const near = ROUNDING * xy.reduce((most, value) => Math.max(most, Math.abs(value)), 1);
  /** From and to of what lies on each edge, as parts of its length. */
  const on = new Map<number, [number, number][]>();
  for (const [x1, y1, x2, y2] of segments) {
    const box = [Math.min(x1, x2) - near, Math.min(y1, y2) - near, Math.max(x1, x2) + near, Math.max(y1, y2) + near] as const;
    shape.eachEdgeIn([...box], (e) => {
      const [from, to] = [along(edges, e, x1, y1, near), along(edges, e, x2, y2, near)];
      if (from !== null && to !== null && from !== to) on.set(e, [...(on.get(e) ?? []), [Math.min(from, to), Math.max(from, to)]]);
      return true;
    });
  }
  const parts: Position[][] = [];
  let open: Position[] | null = null;
  for (let e = 0; e < edges.length; e += 4) {
    const at = (t: number): Position =>
      t === 0
        ? [edges[e], edges[e + 1]]
        : t === 1
          ? [edges[e + 2], edges[e + 3]]
          : [edges[e] + t * (edges[e + 2] - edges[e]), edges[e + 1] + t * (edges[e + 3] - edges[e + 1])];
    const runs = merged(on.get(e) ?? []);
    if (runs[0]?.[0] !== 0) open = null;
    for (const [from, to] of runs) {
      if (open && from === 0) open.push(at(to));
      else parts.push((open = [at(from), at(to)]));
      if (to !== 1) open = null;
    }
  }
  return parts;
}

/** How far along an edge a position lies, 0 to 1; null when it does not lie on it. */
function along(edges: Float64Array, e: number, x: number, y: number, near: number): number | null {
  const [dx, dy] = [edges[e + 2] - edges[e], edges[e + 3] - edges[e + 1]];
  const length = Math.hypot(dx, dy);
  if (length === 0) return null;
  const [px, py] = [x - edges[e], y - edges[e + 1]];
  const t = (px * dx + py * dy) / (length * length);
  if (Math.abs(px * dy - py * dx) / length > near || t * length < -near || (t - 1) * length > near) return null;
  // At an end it is the end itself, so that parts of neighbouring edges join.
  return Math.abs(t) * length <= near ? 0 : Math.abs(t - 1) * length <= near ? 1 : t;
}

function merged(runs: [number, number][]): [number, number][] {
  const out: [number, number][] = [];
  for (const [from, to] of runs.sort((a, b) => a[0] - b[0])) {
    const last = out[out.length - 1];
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else out.push([from, to]);
  }
  return out;
}
