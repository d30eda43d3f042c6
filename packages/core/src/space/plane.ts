import type { Geometry, Position } from 'geojson';
import type { Box, GeometryChunk } from '../features/geometry.ts';
import { intersectionTest, type RowTest } from './intersects.ts';
import { Shape } from './shape.ts';

/** The test whether rows come within a distance of the shape in the plane of the coordinates, the distance itself included. */
export function planeTest(chunk: GeometryChunk, shape: Shape, distance: number): RowTest {
  const { xy } = chunk;
  const { point } = shape;
  if (point && chunk.onlyPoints) {
    const [x, y] = point;
    return (row) => Math.hypot(xy[2 * row] - x, xy[2 * row + 1] - y) <= distance;
  }
  const meets = intersectionTest(chunk, shape);
  return (row) => {
    if (meets(row)) return true;
    const [from, to] = chunk.vertexRange(row);
    let found = false;
    for (let v = from; v < to && !found; v++) found = edgesWithin(shape, xy[2 * v], xy[2 * v + 1], distance);
    if (found || chunk.onlyPoints) return found;
    const own = Shape.ofRow(chunk, row);
    shape.eachVertex((x, y) => !(found = edgesWithin(own, x, y, distance)));
    return found;
  };
}

/** A box that reaches so much farther on every side. */
export function grown([west, south, east, north]: Box, by: number): Box {
  return [west - by, south - by, east + by, north + by];
}

function edgesWithin(shape: Shape, x: number, y: number, distance: number): boolean {
  const { edges } = shape;
  let found = false;
  shape.eachEdgeIn(grown([x, y, x, y], distance), (e) => {
    found = toEdge(x, y, edges[e], edges[e + 1], edges[e + 2], edges[e + 3]) <= distance;
    return !found;
  });
  return found;
}

function toEdge(x: number, y: number, x1: number, y1: number, x2: number, y2: number): number {
  const [dx, dy, px, py] = [x2 - x1, y2 - y1, x - x1, y - y1];
  const length2 = dx * dx + dy * dy;
  const along = length2 === 0 ? 0 : Math.max(0, Math.min(1, (px * dx + py * dy) / length2));
  return Math.hypot(px - along * dx, py - along * dy);
}

/** Area and length in the plane of the coordinates; holes are taken off, overlaps count each time. */
export function planeMeasure(geometry: Geometry): { area: number; length: number } {
  switch (geometry.type) {
    case 'LineString':
      return { area: 0, length: lineLength(geometry.coordinates) };
    case 'MultiLineString':
      return { area: 0, length: geometry.coordinates.reduce((sum, line) => sum + lineLength(line), 0) };
    case 'Polygon':
      return { area: polygonArea(geometry.coordinates), length: 0 };
    case 'MultiPolygon':
      return { area: geometry.coordinates.reduce((sum, rings) => sum + polygonArea(rings), 0), length: 0 };
    case 'GeometryCollection':
      return geometry.geometries
        .map(planeMeasure)
        .reduce((a, b) => ({ area: a.area + b.area, length: a.length + b.length }), { area: 0, length: 0 });
    default:
      return { area: 0, length: 0 };
  }
}

function lineLength(line: Position[]): number {
  let sum = 0;
  for (let i = 1; i < line.length; i++) sum += Math.hypot(line[i][0] - line[i - 1][0], line[i][1] - line[i - 1][1]);
  return sum;
}

function polygonArea(rings: Position[][]): number {
  return rings.reduce((sum, ring, i) => sum + (i === 0 ? 1 : -1) * Math.abs(ringArea(ring)), 0);
}

function ringArea(ring: Position[]): number {
  // Relative to the first corner, so that large coordinates do not swallow small rings.
  const [x0, y0] = ring[0] ?? [0, 0];
  let sum = 0;
  for (let i = 1; i < ring.length; i++) sum += (ring[i - 1][0] - x0) * (ring[i][1] - y0) - (ring[i][0] - x0) * (ring[i - 1][1] - y0);
  return sum / 2;
}
