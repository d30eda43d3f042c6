import { lonLatChunks, lonLatExtentOf } from '../crs/lon_lat_view.ts';
import type { GeometryChunk } from '../features/geometry.ts';
import type { FeatureTable } from '../features/table.ts';
import { pack, unpack } from '../features/packed.ts';
import { toMercator } from './mercator.ts';

/**
 * Geometry for drawing only: every feature and every vertex, in Web Mercator metres from an origin in the middle of
 * the source, in single precision (a step of at most half a millimetre 10 km from the origin, a metre across the world).
 * Rows, parts, rings and vertices nest as in GeometryBuffers.
 */
export interface DisplayGeometry {
  rows: number;
  origin: [number, number];
  rowParts: Uint32Array;
  partKinds: Uint8Array;
  partRings: Uint32Array;
  ringVertices: Uint32Array;
  xy: Float32Array;
}

export function displayGeometry(table: FeatureTable): DisplayGeometry {
  const [west, south, east, north] = lonLatExtentOf(table);
  const geometry = lonLatChunks(table);
  const origin = west > east ? ([0, 0] as [number, number]) : middle(toMercator(west, south), toMercator(east, north));
  const sum = (size: (chunk: GeometryChunk) => number) => geometry.reduce((total, chunk) => total + size(chunk), 0);
  const rowParts = new Uint32Array(table.rows + 1);
  const partKinds = new Uint8Array(sum((chunk) => chunk.partKinds.length));
  const partRings = new Uint32Array(partKinds.length + 1);
  const ringVertices = new Uint32Array(sum((chunk) => chunk.ringVertices.length - 1) + 1);
  const xy = new Float32Array(sum((chunk) => chunk.xy.length));
  let [row, part, ring, vertex] = [0, 0, 0, 0];
  for (const chunk of geometry) {
    for (let r = 1; r <= chunk.rows; r++) rowParts[row + r] = part + chunk.rowParts[r];
    for (let p = 1; p < chunk.partRings.length; p++) partRings[part + p] = ring + chunk.partRings[p];
    for (let g = 1; g < chunk.ringVertices.length; g++) ringVertices[ring + g] = vertex + chunk.ringVertices[g];
    partKinds.set(chunk.partKinds, part);
    for (let v = 0; v < chunk.xy.length; v += 2) {
      const [x, y] = toMercator(chunk.xy[v], chunk.xy[v + 1]);
      xy[2 * vertex + v] = x - origin[0];
      xy[2 * vertex + v + 1] = y - origin[1];
    }
    row += chunk.rows;
    part += chunk.partKinds.length;
    ring += chunk.ringVertices.length - 1;
    vertex += chunk.xy.length / 2;
  }
  return { rows: table.rows, origin, rowParts, partKinds, partRings, ringVertices, xy };
}

function middle(a: [number, number], b: [number, number]): [number, number] {
  return [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
}

export function packDisplay(display: DisplayGeometry): Uint8Array<ArrayBuffer> {
  const { origin, rowParts, partKinds, partRings, ringVertices, xy } = display;
  return pack([Float64Array.from(origin), rowParts, partKinds, partRings, ringVertices, xy]);
}

export function unpackDisplay(bytes: Uint8Array): DisplayGeometry {
  const [origin, rowParts, partKinds, partRings, ringVertices, xy] = unpack(bytes) as [
    Float64Array,
    Uint32Array,
    Uint8Array,
    Uint32Array,
    Uint32Array,
    Float32Array,
  ];
  return {
    rows: rowParts.length - 1,
    origin: [origin[0], origin[1]],
    rowParts,
    partKinds,
    partRings,
    ringVertices,
    xy,
  };
}
