import { LINE, POINT, POLYGON, type GeometryChunk } from '../features/geometry.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import { narrowestStrip, onStrip } from './seam.ts';

const known = new WeakMap<GeometryChunk, GeometryChunk>();

/**
 * The centroids of a chunk's rows as points; rows without a geometry stay without.
 * @param geographic whether coordinates are longitude and latitude: what lies on both sides of the 180° meridian is then taken
 *   as it lies on the narrowest strip of longitudes that holds it
 */
export function centroidsOf(chunk: GeometryChunk, geographic: boolean): GeometryChunk {
  if (chunk.onlyPoints) return chunk;
  let centroids = known.get(chunk);
  if (!centroids) {
    const builder = new GeometryBuilder();
    for (let row = 0; row < chunk.rows; row++) {
      const cut = geographic ? narrowestStrip(chunk, row) : -180;
      const at = cut === -180 ? centroidAt(chunk, row) : centroidAcross(chunk, row, cut);
      if (at) builder.addPoint(at[0], at[1]);
      else builder.add(null);
    }
    known.set(chunk, (centroids = builder.finish()));
  }
  return centroids;
}

/** Centroid of a row on the strip of longitudes from a cut on. */
function centroidAcross(chunk: GeometryChunk, row: number, cut: number): [number, number] {
  const builder = new GeometryBuilder();
  builder.add(onStrip(chunk.geometryAt(row)!, cut));
  const [x, y] = centroidAt(builder.finish(), 0)!;
  return [x > 180 ? x - 360 : x, y];
}

/**
 * Centroid of a row as ISO 19125 / OGC 06-103r4 has it: the centre of gravity of its parts of the highest dimension, by
 * area, length or number, in the plane of the coordinates. What has no area counts by its length, and what has no
 * length by its vertices. Null for a row without vertices.
 */
export function centroidAt(chunk: GeometryChunk, row: number): [number, number] | null {
  const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const [first, end] = chunk.vertexRange(row);
  if (first === end) return null;
  // Relative to a vertex, so that large coordinates do not swallow small shapes.
  const [x0, y0] = [xy[2 * first], xy[2 * first + 1]];
  for (const kind of [POLYGON, LINE, POINT] as const) {
    let [sum, sx, sy] = [0, 0, 0];
    for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
      if (partKinds[p] < kind) continue;
      for (let g = partRings[p]; g < partRings[p + 1]; g++) {
        const [from, to] = [ringVertices[g], ringVertices[g + 1]];
        if (kind === POINT) {
          for (let v = from; v < to; v++, sum++) [sx, sy] = [sx + xy[2 * v] - x0, sy + xy[2 * v + 1] - y0];
          continue;
        }
        let [ring, rx, ry] = [0, 0, 0];
        for (let v = from + 1; v < to; v++) {
          const [ax, ay] = [xy[2 * v - 2] - x0, xy[2 * v - 1] - y0];
          const [bx, by] = [xy[2 * v] - x0, xy[2 * v + 1] - y0];
          const weight = kind === POLYGON ? ax * by - bx * ay : Math.hypot(bx - ax, by - ay);
          const share = kind === POLYGON ? 3 : 2;
          [ring, rx, ry] = [ring + weight, rx + (weight * (ax + bx)) / share, ry + (weight * (ay + by)) / share];
        }
        // A shell counts for its area and a hole against it, whichever way round they are written.
        const sign = kind === POLYGON && ring < 0 === (g === partRings[p]) ? -1 : 1;
        [sum, sx, sy] = [sum + sign * ring, sx + sign * rx, sy + sign * ry];
      }
    }
    if (sum > 0) return [x0 + sx / sum, y0 + sy / sum];
  }
  return [x0, y0];
}
