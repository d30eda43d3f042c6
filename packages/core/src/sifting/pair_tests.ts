import type { Box, GeometryChunk } from '../features/geometry.ts';
import { engineBytes } from '../geos/engine_bytes.ts';
import type { Geos } from '../geos/geos.ts';
import type { EngineRelation, PointPlace } from '../operators/operator.ts';
import { edgesMeet, intersectionTest, rowIntersects, type RowTest } from '../space/intersects.ts';
import { INSIDE, ON_BOUNDARY, OUTSIDE, type Location } from '../space/polygon_locator.ts';
import { grown, planeTest } from '../space/plane.ts';
import type { Shape } from '../space/shape.ts';
import { boxesAround, distanceTest } from '../space/within_distance.ts';
import type { PairTest } from './pairs.ts';

/** Sharing at least one point. */
export const INTERSECTION: PairTest = {
  boxes: (box) => [box],
  against: ({ shape }, _theirs, work) => work((chunk) => intersectionTest(chunk, shape)),
};

/** Coming within a distance in metres, on the ellipsoid; both sides in longitude and latitude. */
export function distanceRelation(metres: number): PairTest {
  return {
    boxes: (box) => boxesAround(box, metres),
    against: ({ shape }, _theirs, work) => work((chunk) => distanceTest(chunk, shape, metres)),
  };
}

/** Coming within a distance in the plane of the coordinates, in their unit. */
export function planeRelation(distance: number): PairTest {
  return {
    boxes: (box) => [grown(box, distance)],
    against: ({ shape }, _theirs, work) => work((chunk) => planeTest(chunk, shape, distance)),
  };
}

/**
 * A relation that the general engine decides; points in polygons are told by where they lie.
 * @param theirsFirst whether the other side is the first operand
 */
export function engineRelation(relation: EngineRelation, theirsFirst: boolean, geos: () => Geos): PairTest {
  return {
    boxes: (box) => [box],
    against({ chunk: own, row: ownRow, shape }, theirs, work) {
      const fixedFirst = theirs === theirsFirst;
      const inPolygons = shape.onlyPolygons ? pointInPolygons(relation, fixedFirst) : null;
      let general = false;
      work((chunk) => {
        if (inPolygons && chunk.onlyPoints) return inPolygons(chunk, shape);
        general = true;
        return () => false;
      });
      const fixed = general ? engineBytes(own, ownRow, geos()) : null;
      if (!fixed) return;
      geos().relating(relation, fixed, fixedFirst, (test) =>
        work((chunk) =>
          inPolygons && chunk.onlyPoints
            ? () => false
            : (row) => soon(relation, fixedFirst, chunk, row, shape) ?? test(engineBytes(chunk, row, geos())!),
        ),
      );
    },
  };
}

/** Relations between a single point and polygons, by where it lies. */
function pointInPolygons({ point }: EngineRelation, polygonsFirst: boolean): (chunk: GeometryChunk, shape: Shape) => RowTest {
  const holds = POINT_PLACES[polygonsFirst ? point.second : point.first];
  return ({ xy }, shape) => (holds.length === 0 ? () => false : (row) => holds.includes(shape.locate(xy[2 * row], xy[2 * row + 1])));
}

const POINT_PLACES: Record<PointPlace, readonly Location[]> = {
  inside: [INSIDE],
  boundary: [ON_BOUNDARY],
  either: [INSIDE, ON_BOUNDARY],
  nowhere: [],
};

/**
 * What the places of single vertices already tell of a relation between a row and a fixed shape; null where they do not.
 * By ISO 19125: what lies within has no point outside, and what only touches has no point in the interior.
 */
function soon({ holder, point }: EngineRelation, fixedFirst: boolean, chunk: GeometryChunk, row: number, shape: Shape): boolean | null {
  const box = chunk.boxOf(row);
  if (holder === 'both') return box.every((side, i) => side === shape.box[i]) ? null : false;
  if (holder !== null) {
    const rowInside = (holder === 'first') === fixedFirst;
    if (!(rowInside ? boxHolds(shape.box, box) : boxHolds(box, shape.box))) return false;
    if (!rowInside || !shape.onlyPolygons) return null;
    const seen = placesOf(chunk, row, shape, OUTSIDE);
    if (seen.has(OUTSIDE)) return false;
    return seen.has(ON_BOUNDARY) || shape.hasHoles || edgesMeet(chunk, row, shape) ? null : true;
  }
  const onlyEdges = point.first === 'boundary';
  if (onlyEdges && shape.onlyPolygons && placesOf(chunk, row, shape, INSIDE).has(INSIDE)) return false;
  return rowIntersects(chunk, row, shape) ? null : false;
}

function boxHolds(outer: Box, inner: Box): boolean {
  return outer[0] <= inner[0] && outer[1] <= inner[1] && outer[2] >= inner[2] && outer[3] >= inner[3];
}

/** Where the vertices of a row lie relative to polygons; looked at until one is at the place that settles it. */
function placesOf(chunk: GeometryChunk, row: number, shape: Shape, settles: Location): Set<Location> {
  const seen = new Set<Location>();
  const [from, to] = chunk.vertexRange(row);
  for (let v = from; v < to && !seen.has(settles); v++) seen.add(shape.locate(chunk.xy[2 * v], chunk.xy[2 * v + 1]));
  return seen;
}
