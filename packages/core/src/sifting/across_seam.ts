import type { Geometry, Polygon } from 'geojson';
import { CHUNK_ROWS } from '../features/column.ts';
import { convertGeometry } from '../crs/convert.ts';
import { POLYGON, type Box, type GeometryChunk } from '../features/geometry.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import { emptyMask, or, put, type Mask } from '../features/mask.ts';
import { coveredGeometry } from '../geos/engine_bytes.ts';
import type { Geos } from '../geos/geos.ts';
import type { EngineRelation } from '../operators/operator.ts';
import { onStrip, reachOfRow, rowsAtSeam } from '../space/seam.ts';
import { singleParts } from '../space/single_parts.ts';
import { engineRelation } from './pair_tests.ts';
import type { Fixed, PairTest, Side } from './pairs.ts';
import type { SpatialRelation } from './relation_sides.ts';

/** Rows of a chunk that reach the 180° meridian, and of those the ones that are cut where the strip begins, as they go round the earth. */
interface AtSeam {
  some: Set<number>;
  round: Set<number>;
}

/**
 * A relation that the engine decides, in longitude and latitude: pairs of which both reach the 180° meridian are decided on a
 * strip of longitudes where they are whole. Of other pairs the plane tells the same, as nothing of the one lies where the other
 * is cut.
 *
 * Two polygons that both go round the earth leave no meridian to begin the strip at. Their interiors and exteriors are open, so
 * that what they have in common does not hang on one meridian: the plane tells all but whether they touch. What it does not
 * tell is unknown.
 */
export function acrossSeam(
  relation: EngineRelation,
  theirsFirst: boolean,
  sides: { mine: Side; theirs: Side; lost: Mask | null },
  rows: number,
  geos: () => Geos,
): SpatialRelation {
  const { mine, theirs, lost } = sides;
  const plane: SpatialRelation = { ...sides, first: null, test: engineRelation(relation, theirsFirst, geos) };
  const [atMine, atTheirs] = [mine, theirs].map(({ chunks }) => chunks.map(rowsAtSeam));
  if (![atMine, atTheirs].every((found) => found.some((some) => some.length > 0))) return plane;

  const cut = cutOf([mine, theirs], [atMine, atTheirs]);
  const seam = new Map<GeometryChunk, AtSeam>();
  const [myStrip, theirStrip] = [[mine, atMine] as const, [theirs, atTheirs] as const].map(([side, at]) =>
    onStripOf(side, at, cut, seam, geos()),
  );
  const bothAt = (a: Fixed, chunk: GeometryChunk, row: number) => seam.get(a.chunk)!.some.has(a.row) && seam.get(chunk)!.some.has(row);
  const bothRound = (a: Fixed, chunk: GeometryChunk, row: number) => seam.get(a.chunk)!.round.has(a.row) && seam.get(chunk)!.round.has(row);
  const told = (chunk: GeometryChunk, row: number) => relation.point.first !== 'boundary' && onlyPolygons(chunk, row);
  const inPlane = onlyPairs(
    plane.test,
    (fixed, chunk, row) => !bothAt(fixed, chunk, row) || (bothRound(fixed, chunk, row) && told(chunk, row) && told(fixed.chunk, fixed.row)),
  );
  const unknown = untold(mine, theirs, seam, told, rows);
  return {
    first: { ...plane, test: inPlane },
    mine: myStrip,
    theirs: theirStrip,
    test: onlyPairs(plane.test, (fixed, chunk, row) => !bothRound(fixed, chunk, row)),
    lost: lost && unknown ? or(lost, unknown) : (lost ?? unknown),
  };
}

/** What of a side lies at 180°, turned round the earth once to lie at −180°, and the other way round. */
export function besideSeam(side: Side): Side[] {
  return [180, -180].flatMap((meridian) => turnedSide(side, meridian) ?? []);
}

/** What of a side lies at a meridian of 180° or −180°, turned to lie at the other; null for nothing. */
function turnedSide(side: Side, meridian: number): Side | null {
  const at = (box: Box) => (meridian > 0 ? box[2] === meridian : box[0] === meridian);
  if (!side.chunks.some((chunk) => at(chunk.box))) return null;
  const chunks = side.chunks.map((chunk) => {
    const builder = new GeometryBuilder();
    for (let row = 0; row < chunk.rows; row++) {
      const geometry = at(chunk.boxOf(row)) ? chunk.geometryAt(row) : null;
      builder.add(geometry && convertGeometry(geometry, (x, y) => [x - 2 * meridian, y], Infinity));
    }
    return builder.finish();
  });
  return { ...side, chunks };
}

/** The meridian to begin the strip at: the one that the fewest rows at the seam reach, in the middle of a degree. */
function cutOf(sides: Side[], at: number[][][]): number {
  const reaching = new Uint32Array(360);
  sides.forEach(({ chunks }, side) =>
    chunks.forEach((chunk, chunkNumber) => {
      for (const row of at[side][chunkNumber]) reachOfRow(chunk, row).forEach((reached, degree) => (reaching[degree] += reached));
    }),
  );
  return reaching.indexOf(reaching.reduce((a, b) => Math.min(a, b))) - 179.5;
}

/** What of a side reaches the 180° meridian, made whole on the strip; which rows do is noted for the chunks and the new ones. */
function onStripOf(side: Side, at: number[][], cut: number, seam: Map<GeometryChunk, AtSeam>, geos: Geos): Side {
  const chunks = side.chunks.map((chunk, chunkNumber) => {
    const found: AtSeam = { some: new Set(at[chunkNumber]), round: new Set() };
    const builder = new GeometryBuilder();
    for (let row = 0; row < chunk.rows; row++) {
      if (!found.some.has(row)) {
        builder.add(null);
        continue;
      }
      const round = reachOfRow(chunk, row)[Math.floor(cut) + 180] === 1;
      if (round) found.round.add(row);
      const geometry = coveredGeometry(chunk, row, geos);
      builder.add(sewn(onStrip(round ? cutAt(geometry, cut, geos) : geometry, cut), geos));
    }
    const strip = builder.finish();
    seam.set(chunk, found).set(strip, found);
    return strip;
  });
  return { ...side, chunks };
}

/** A geometry cut in two at a meridian. */
function cutAt(geometry: Geometry, meridian: number, geos: Geos): Geometry {
  const half = (west: number, east: number): Polygon => ({
    type: 'Polygon',
    coordinates: [
      [
        [west, -90],
        [east, -90],
        [east, 90],
        [west, 90],
        [west, -90],
      ],
    ],
  });
  const halves = [half(-180, meridian), half(meridian, 180)].map((one) => geos.intersection(geometry, one));
  return { type: 'GeometryCollection', geometries: halves.flatMap(singleParts) };
}

/** What lies side by side is one: polygons by their union, the ends of lines as two ends at one place are none. */
function sewn(geometry: Geometry, geos: Geos): Geometry {
  const parts = singleParts(geometry);
  const polygons = parts.filter((part) => part.type === 'Polygon');
  const lines = parts.filter((part) => part.type === 'LineString');
  const points = parts.filter((part) => part.type === 'Point');
  const together: Geometry[] = [];
  if (polygons.length > 0) together.push(polygons.length === 1 ? polygons[0] : geos.union(polygons));
  if (lines.length > 0) together.push({ type: 'MultiLineString', coordinates: lines.map(({ coordinates }) => coordinates) });
  if (points.length > 0) together.push({ type: 'MultiPoint', coordinates: points.map(({ coordinates }) => coordinates) });
  return together.length === 1 ? together[0] : { type: 'GeometryCollection', geometries: together };
}

/** A test of some pairs only. */
function onlyPairs(test: PairTest, wanted: (fixed: Fixed, chunk: GeometryChunk, row: number) => boolean): PairTest {
  return {
    boxes: (box) => test.boxes(box),
    against: (fixed, theirs, work) =>
      test.against(fixed, theirs, (testOf) =>
        work((chunk) => {
          const inner = testOf(chunk);
          return (row) => wanted(fixed, chunk, row) && inner(row);
        }),
      ),
  };
}

/** Rows of mine that go round the earth as another does of theirs, where the plane does not tell how they are related. */
function untold(
  mine: Side,
  theirs: Side,
  seam: Map<GeometryChunk, AtSeam>,
  told: (chunk: GeometryChunk, row: number) => boolean,
  rows: number,
): Mask | null {
  const round = ({ chunks }: Side) =>
    chunks.flatMap((chunk, chunkNumber) =>
      [...seam.get(chunk)!.round].map((row) => ({ at: chunkNumber * CHUNK_ROWS + row, told: told(chunk, row) })),
    );
  const others = round(theirs);
  const untold = round(mine).filter((one) => others.some((other) => !(theirs.same && other.at === one.at) && !(one.told && other.told)));
  if (untold.length === 0) return null;
  const mask = emptyMask(rows);
  for (const { at } of untold) put(mask, at);
  return mask;
}

function onlyPolygons({ rowParts, partKinds }: GeometryChunk, row: number): boolean {
  return partKinds.subarray(rowParts[row], rowParts[row + 1]).every((kind) => kind === POLYGON);
}
