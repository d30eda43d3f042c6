import type { Geometry, Position } from 'geojson';
import { POINT, type GeometryChunk } from '../features/geometry.ts';

// Longitude and latitude are a plane that is sewn together along the 180° meridian: what RFC 7946, 3.1.9 has cut in two there
// is one again on a strip that begins at another meridian, a cut, where nothing of it lies.

/** Rows that reach 180° or −180° and do not go beyond. */
export function rowsAtSeam(chunk: GeometryChunk): number[] {
  const found = new Set([-180, 180].flatMap((x) => chunk.rowsInBox([x, -Infinity, x, Infinity])));
  return [...found].filter((row) => {
    const [west, , east] = chunk.boxOf(row);
    return west >= -180 && east <= 180;
  });
}

/** Longitudes in steps of a degree, from −180° on, that a row reaches: its edges and what it is made of, not what polygons cover. */
export function reachOfRow({ rowParts, partKinds, partRings, ringVertices, xy }: GeometryChunk, row: number): Uint8Array {
  const reached = new Uint8Array(360);
  const reach = (x1: number, x2: number) => {
    const [from, to] = [Math.min(x1, x2), Math.max(x1, x2)];
    for (let degree = Math.floor(from) + 180; degree <= to + 180 && degree < 360; degree++) reached[degree] = 1;
  };
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++)
    for (let g = partRings[p]; g < partRings[p + 1]; g++) {
      const [from, to] = [ringVertices[g], ringVertices[g + 1]];
      if (partKinds[p] === POINT && from < to) reach(xy[2 * from], xy[2 * from]);
      for (let v = from + 1; v < to; v++) reach(xy[2 * v - 2], xy[2 * v]);
    }
  return reached;
}

/** Where the narrowest strip of longitudes begins that holds a row with none of its edges cut: −180 unless another is narrower. */
export function narrowestStrip(chunk: GeometryChunk, row: number): number {
  const { rowParts, partRings, ringVertices, xy } = chunk;
  const [west, , east] = chunk.boxOf(row);
  // Nothing is as wide as the gap that goes over the 180° meridian.
  if (!(east - west > 180) || west < -180 || east > 180) return -180;
  const spans: [from: number, to: number][] = [];
  for (let g = partRings[rowParts[row]]; g < partRings[rowParts[row + 1]]; g++) {
    const [from, to] = [ringVertices[g], ringVertices[g + 1]];
    const xs = Array.from({ length: to - from }, (_, i) => xy[2 * (from + i)]);
    if (from < to) spans.push([xs.reduce((a, b) => Math.min(a, b)), xs.reduce((a, b) => Math.max(a, b))]);
  }
  spans.sort((a, b) => a[0] - b[0]);
  let [widest, cut, reached] = [360 - (east - west), -180, west];
  for (const [from, to] of spans) {
    if (from - reached > widest) [widest, cut] = [from - reached, (from + reached) / 2];
    reached = Math.max(reached, to);
  }
  return cut;
}

/** A geometry on the strip of longitudes from a cut to 360° beyond; no edge of it may cross the cut. */
export function onStrip(geometry: Geometry, cut: number): Geometry {
  const turned = (positions: Position[]): Position[] => {
    const behind = positions.some(([x]) => x < cut);
    return behind ? positions.map(([x, ...more]) => [x + 360, ...more]) : positions;
  };
  switch (geometry.type) {
    case 'Point':
      return geometry.coordinates.length === 0 ? geometry : { ...geometry, coordinates: turned([geometry.coordinates])[0] };
    case 'MultiPoint':
      return { ...geometry, coordinates: geometry.coordinates.map((position) => turned([position])[0]) };
    case 'LineString':
      return { ...geometry, coordinates: turned(geometry.coordinates) };
    case 'MultiLineString':
    case 'Polygon':
      return { ...geometry, coordinates: geometry.coordinates.map(turned) };
    case 'MultiPolygon':
      return { ...geometry, coordinates: geometry.coordinates.map((rings) => rings.map(turned)) };
    case 'GeometryCollection':
      return { ...geometry, geometries: geometry.geometries.map((one) => onStrip(one, cut)) };
  }
}
