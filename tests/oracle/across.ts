import type { Geometry, MultiPolygon, Polygon, Position } from 'geojson';
import GeoJSONReader from 'jsts/org/locationtech/jts/io/GeoJSONReader.js';
import GeoJSONWriter from 'jsts/org/locationtech/jts/io/GeoJSONWriter.js';
import OverlayOp from 'jsts/org/locationtech/jts/operation/overlay/OverlayOp.js';
import type { Random } from './random_lists.ts';

// Shapes on a strip of longitudes that goes on beyond 180°, and the same as files have them: cut in two at the 180° meridian, as
// RFC 7946, 3.1.9 asks for.

const WEST: Polygon = {
  type: 'Polygon',
  coordinates: [
    [
      [90, -90],
      [180, -90],
      [180, 90],
      [90, 90],
      [90, -90],
    ],
  ],
};
const EAST: Polygon = {
  type: 'Polygon',
  coordinates: [
    [
      [180, -90],
      [270, -90],
      [270, 90],
      [180, 90],
      [180, -90],
    ],
  ],
};

/** Whether every edge meets the 180° meridian at a latitude that a double holds, so that cutting moves nothing. */
export function cutsExactly(shape: Geometry): boolean {
  return edges(shape).every(([a, b]) => !crosses(a, b) || Number.isInteger(latitudeAt180(a, b) * 64));
}

/**
 * A valid shape of the strip as a file has it.
 * @param random says which sign a position on the meridian has that belongs to neither side
 */
export function inFile(shape: Geometry, random: Random): Geometry {
  const [beyond, at] = [positions(shape).some(([x]) => x > 180), positions(shape).some(([x]) => x === 180)];
  if (!beyond && !(at && /Point|Line/.test(shape.type) && random.chance(0.5))) return shape;
  switch (shape.type) {
    case 'Point':
      return { ...shape, coordinates: east(shape.coordinates) };
    case 'MultiPoint':
      return { ...shape, coordinates: shape.coordinates.map((one) => (one[0] < 180 ? one : east(one))) };
    case 'LineString': {
      const coordinates = cutLine(shape.coordinates);
      return coordinates.length === 1 ? { type: 'LineString', coordinates: coordinates[0] } : { type: 'MultiLineString', coordinates };
    }
    case 'Polygon':
    case 'MultiPolygon': {
      const coordinates = [...common(shape, WEST), ...common(shape, EAST).map((rings) => rings.map((ring) => ring.map(east)))];
      return coordinates.length === 1 ? { type: 'Polygon', coordinates: coordinates[0] } : { type: 'MultiPolygon', coordinates };
    }
    default:
      throw new Error(`${shape.type} is not made on the strip`);
  }
}

const east = ([x, y]: Position): Position => [x - 360, y];
const crosses = (a: Position, b: Position) => (a[0] - 180) * (b[0] - 180) < 0;
const latitudeAt180 = (a: Position, b: Position) => a[1] + ((b[1] - a[1]) * (180 - a[0])) / (b[0] - a[0]);

function positions(shape: Geometry): Position[] {
  if (!('coordinates' in shape)) return [];
  const numbers: number[] = (shape.coordinates as number[][][][]).flat(4);
  return Array.from({ length: numbers.length / 2 }, (_, i) => [numbers[2 * i], numbers[2 * i + 1]]);
}

function edges(shape: Geometry): [Position, Position][] {
  const rings =
    shape.type === 'LineString'
      ? [shape.coordinates]
      : shape.type === 'Polygon'
        ? shape.coordinates
        : shape.type === 'MultiPolygon'
          ? shape.coordinates.flat()
          : [];
  return rings.flatMap((ring) => ring.slice(1).map((to, i): [Position, Position] => [ring[i], to]));
}

/** Pieces of a line, those beyond the meridian with negative longitudes; what runs along it belongs to what comes before. */
function cutLine(line: Position[]): Position[][] {
  const pieces: Position[][] = [[line[0]]];
  for (const [i, to] of line.slice(1).entries()) {
    const from = line[i];
    if (crosses(from, to)) {
      const at: Position = [180, latitudeAt180(from, to)];
      pieces.at(-1)!.push(at);
      pieces.push([at]);
    } else if (from[0] === 180 && to[0] !== 180 && i > 0) pieces.push([from]);
    pieces.at(-1)!.push(to);
  }
  return pieces.map((piece) => (piece.some(([x]) => x > 180) ? piece.map(east) : piece));
}

function common(shape: Polygon | MultiPolygon, half: Polygon): Position[][][] {
  const reader = new GeoJSONReader();
  const [a, b] = [reader.read(shape), reader.read(half)];
  const found = new GeoJSONWriter().write(OverlayOp.intersection(a, b)) as Geometry;
  const parts = found.type === 'GeometryCollection' ? found.geometries : [found];
  const polygons = parts.flatMap((part) =>
    part.type === 'Polygon' ? [part.coordinates] : part.type === 'MultiPolygon' ? part.coordinates : [],
  );
  // An empty polygon is written with an empty ring.
  return polygons.filter(([shell]) => shell && shell.length > 0);
}
