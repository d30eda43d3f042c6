import { call, Geos, property, rowsOf, Sifter, TableBuilder, type Expr, type FeatureTable } from '@clean-sieve/core';
import type { Geometry, Position } from 'geojson';
import { Random } from './random_lists.ts';

// Points and boxes on both sides of the 180° meridian. On a strip of longitudes that go on beyond 180 what meets is told by
// comparing numbers; in the files the same boxes are cut in two there, as RFC 7946, 3.1.9 asks for.

interface Box {
  west: number;
  east: number;
  south: number;
  north: number;
}

const anyBox = (random: Random): Box => {
  const [west, south] = [random.whole(172, 186), random.whole(-8, 6)];
  return { west, south, east: west + random.whole(1, 6), north: south + random.whole(1, 5) };
};
const anyPoint = (random: Random): Box => {
  const [lon, lat] = [random.whole(172, 190), random.whole(-8, 8)];
  return { west: lon, east: lon, south: lat, north: lat };
};

const wrapped = (lon: number) => (lon > 180 ? lon - 360 : lon);

/** As it stands in a file; a point on the meridian has either sign. */
function shapeOf({ west, south, east, north }: Box, random: Random): Geometry {
  if (west === east) return { type: 'Point', coordinates: [west === 180 && random.chance(0.5) ? -180 : wrapped(west), south] };
  const ring = (w: number, e: number): Position[] => [
    [w, south],
    [e, south],
    [e, north],
    [w, north],
    [w, south],
  ];
  if (east <= 180) return { type: 'Polygon', coordinates: [ring(west, east)] };
  if (west >= 180) return { type: 'Polygon', coordinates: [ring(west - 360, east - 360)] };
  return { type: 'MultiPolygon', coordinates: [[ring(west, 180)], [ring(-180, east - 360)]] };
}

const meets = (a: Box, b: Box) => a.west <= b.east && b.west <= a.east && a.south <= b.north && b.south <= a.north;
const isPoint = (a: Box) => a.west === a.east;
const isSame = (a: Box, b: Box) => a.west === b.west && a.east === b.east && a.south === b.south && a.north === b.north;
/** Whether the interiors meet; that of a point is the point. */
const overlap = (a: Box, b: Box) =>
  isPoint(a) ? isInside(a, b) : a.west < b.east && b.west < a.east && a.south < b.north && b.south < a.north;
const isWithin = (a: Box, b: Box) =>
  isPoint(a) ? isInside(a, b) : a.west >= b.west && a.east <= b.east && a.south >= b.south && a.north <= b.north;
/** Of a point or a box and a box. */
const RELATIONS: Record<string, (a: Box, b: Box) => boolean> = {
  s_within: isWithin,
  s_contains: (a, b) => !isPoint(a) && isWithin(b, a),
  s_touches: (a, b) => meets(a, b) && !overlap(a, b),
  s_overlaps: (a, b) => !isPoint(a) && overlap(a, b) && !isWithin(a, b) && !isWithin(b, a),
  s_equals: isSame,
  s_crosses: () => false,
};
/** Of a point: inside, and not on the edge. */
const isInside = (a: Box, b: Box) => a.west > b.west && a.east < b.east && a.south > b.south && a.north < b.north;

function tableOf(shapes: Geometry[]): FeatureTable {
  const builder = new TableBuilder();
  for (const shape of shapes) builder.addFeature(shape, null);
  return builder.finish();
}

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

const first = Math.floor(Date.now() / 86_400_000) * 100;
test.each([0, 1, 2, 3].map((i) => [first + i]))('seed %i: 97 features, written out and as a source', (seed) => {
  const random = new Random(seed);
  const boxes = Array.from({ length: 97 }, () => (random.chance(0.5) ? anyPoint(random) : anyBox(random)));
  const table = tableOf(boxes.map((box) => shapeOf(box, random)));
  const rows = (of: (box: Box) => boolean) => boxes.flatMap((box, row) => (of(box) ? [row] : []));
  for (const [lon, lat] of [
    [180, 0],
    [180, random.whole(-6, 6)],
    [181, 1],
    [179, 2],
  ]) {
    const dot: Box = { west: lon, east: lon, south: lat, north: lat };
    const sifter = new Sifter(table, 0, undefined, geos);
    const literal = shapeOf(dot, random) as Expr;
    const holds = (box: Box) => (box.west === box.east ? box.west === lon && box.south === lat : isInside(dot, box));
    expect([dot, [...rowsOf(sifter.verdict(call('s_contains', property('geometry'), literal)).yes)]]).toEqual([dot, rows(holds)]);
  }
  for (let asked = 0; asked < 8; asked++) {
    const place = anyBox(random);
    const shape = shapeOf(place, random);
    const sifter = new Sifter(table, 0, undefined, geos);
    sifter.operands = new Map([['SOURCE place', { key: 'place', table: tableOf([shape]), rows: null }]]);
    for (const operand of [shape as Expr, call('SOURCE', 'place')]) {
      const kept = (op: string, ...more: Expr[]) => [...rowsOf(sifter.verdict(call(op, property('geometry'), operand, ...more)).yes)];
      const asText = JSON.stringify([place, operand]);
      expect([asText, kept('s_intersects')]).toEqual([asText, rows((box) => meets(box, place))]);
      expect([asText, kept('s_disjoint')]).toEqual([asText, rows((box) => !meets(box, place))]);
      // A degree is more than 100 km here, so that nothing else comes near.
      expect([asText, kept('S_DWITHIN', 1, 'm')]).toEqual([asText, rows((box) => meets(box, place))]);
      for (const [op, holds] of Object.entries(RELATIONS))
        expect([asText, op, kept(op)]).toEqual([asText, op, rows((box) => holds(box, place))]);
    }
  }
});
