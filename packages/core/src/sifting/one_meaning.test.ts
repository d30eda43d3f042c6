import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import { fromLonLat, toLonLat, type Crs } from '../crs/crs.ts';
import { inSystem } from '../crs/located.ts';
import { count, rowsOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import type { FeatureTable } from '../features/table.ts';
import { call, property, type Expr } from '../filters/ast.ts';
import { Geos } from '../geos/geos.ts';
import { geodesicDistance } from '../space/geodesic.ts';
import { distanceSides } from './spatial.ts';
import { nearestAnywhere } from './nearest.ts';
import { Sifter, unknownOf } from './sifter.ts';

const system = (name: string, definition: string): Crs => ({ name, label: name, definition: `${definition} +no_defs`, accuracy: null });
const SOUTH = system('EPSG:3031', '+proj=stere +lat_0=-90 +lat_ts=-71 +lon_0=0 +x_0=0 +y_0=0 +datum=WGS84 +units=m');
const NORTH = system('EPSG:3413', '+proj=stere +lat_0=90 +lat_ts=70 +lon_0=-45 +x_0=0 +y_0=0 +datum=WGS84 +units=m');
const UTM_1 = system('EPSG:32601', '+proj=utm +zone=1 +datum=WGS84 +units=m');
const UTM_29 = system('EPSG:32629', '+proj=utm +zone=29 +datum=WGS84 +units=m');

function tableIn(crs: Crs, shapes: (Geometry | null)[]): FeatureTable {
  const builder = new TableBuilder();
  for (const shape of shapes) builder.addFeature(shape, { n: 1 });
  return { ...builder.finish(), crs };
}
const square = (x: number, y: number, half: number): Geometry => ({
  type: 'Polygon',
  coordinates: [
    [
      [x - half, y - half],
      [x + half, y - half],
      [x + half, y + half],
      [x - half, y + half],
      [x - half, y - half],
    ],
  ],
});
const kept = (table: FeatureTable, op: string, place: Expr, ...more: Expr[]) => [
  ...rowsOf(new Sifter(table, 0, undefined, geos).verdict(call(op, property('geometry'), place, ...more)).yes),
];
const point = (coordinates: Position): Geometry => ({ type: 'Point', coordinates });

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

/** The least geodesic to places along edges that are straight in the plane, a search that knows nothing of the engine's. */
function plainDistance(shape: Geometry, crs: Crs, [lon, lat]: Position): number {
  const convert = toLonLat(crs);
  const rings = shape.type === 'Polygon' ? shape.coordinates : shape.type === 'LineString' ? [shape.coordinates] : [];
  let least = Infinity;
  for (const ring of rings)
    for (let i = 1; i < ring.length; i++) {
      const at = (t: number) =>
        geodesicDistance(
          lon,
          lat,
          ...convert(ring[i - 1][0] + t * (ring[i][0] - ring[i - 1][0]), ring[i - 1][1] + t * (ring[i][1] - ring[i - 1][1])),
        );
      let best = 0;
      for (let k = 0; k <= 400; k++) if (at(k / 400) < at(best)) best = k / 400;
      for (let step = 1 / 400; step > 1e-10; step /= 2)
        for (const t of [best - step, best + step]) if (t >= 0 && t <= 1 && at(t) < at(best)) best = t;
      least = Math.min(least, at(best));
    }
  return least;
}

describe('what lies in a shape is at no distance from it', () => {
  test.each([
    [
      'round the south pole',
      SOUTH,
      square(50_000, -50_000, 300_000),
      [
        [0, -90],
        [40, -89],
        [-170, -89.5],
      ],
      [0, -60],
    ],
    [
      'round the north pole',
      NORTH,
      square(0, 0, 300_000),
      [
        [0, 90],
        [179, 88.5],
        [-60, 88],
      ],
      [10, 60],
    ],
    [
      'across the 180th meridian',
      UTM_1,
      square(166_000, 1_000_000, 200_000),
      [
        [180, 9],
        [-179.5, 9],
        [179.6, 9.2],
      ],
      [-170, 9],
    ],
  ] as [string, Crs, Geometry, Position[], Position][])('%s', (_, crs, shape, inside, outside) => {
    const table = tableIn(crs, [shape]);
    for (const place of inside) {
      expect(kept(table, 's_intersects', point(place) as Expr)).toEqual([0]);
      expect(kept(table, 'S_DWITHIN', point(place) as Expr, 1, 'm')).toEqual([0]);
      expect(kept(table, 'S_NEAREST', point(place) as Expr, 1)).toEqual([0]);
    }
    expect(kept(table, 's_intersects', point(outside) as Expr)).toEqual([]);
    const distance = plainDistance(shape, crs, outside);
    expect(kept(table, 'S_DWITHIN', point(outside) as Expr, distance + 0.02, 'm')).toEqual([0]);
    expect(kept(table, 'S_DWITHIN', point(outside) as Expr, distance - 0.02, 'm')).toEqual([]);
  });
});

test('edges are straight in the plane of the source: distances to them, by a search of its own, to a centimetre', () => {
  const offset = fc.integer({ min: -150_000, max: 150_000 });
  fc.assert(
    fc.property(offset, offset, offset, offset, offset, offset, fc.constantFrom(UTM_29, SOUTH, NORTH), (a, b, c, d, e, f, crs) => {
      const [x0, y0] = crs === UTM_29 ? [500_000, 5_160_000] : [0, 0];
      if (a === c && b === d) return;
      const shape: Geometry = {
        type: 'LineString',
        coordinates: [
          [x0 + a, y0 + b],
          [x0 + c, y0 + d],
        ],
      };
      const place = toLonLat(crs)(x0 + e, y0 + f);
      const sifter = new Sifter(tableIn(crs, [shape]), 0);
      const found = nearestAnywhere(distanceSides(sifter, point(place)), 0, 100)!.distance;
      expect(Math.abs(found - plainDistance(shape, crs, place))).toBeLessThan(0.012);
    }),
    { numRuns: 20 },
  );
});

test('points at 180° lie in a box over the 180th meridian, and at −180° too', () => {
  const table = tableIn(
    { name: 'OGC:CRS84', label: '', definition: null, accuracy: null },
    [
      [180, 5],
      [-180, 5],
      [180, 10],
      [179, 5],
      [-170, 5],
      [0, 5],
    ].map(point),
  );
  const box: Expr = { bbox: [175, 0, -175, 10] };
  expect(kept(table, 's_within', box)).toEqual([0, 1, 3]);
  expect(kept(table, 's_touches', box)).toEqual([2]);
  expect(kept(table, 's_intersects', { bbox: [170, 0, 180, 10] })).toEqual([0, 1, 2, 3]);
  expect(kept(table, 's_disjoint', { bbox: [-180, 0, -170, 10] })).toEqual([3, 5]);
});

test('a literal in the system of the source is not moved', () => {
  fc.assert(
    fc.property(fc.double({ min: 4e5, max: 6e5, noNaN: true }), fc.double({ min: 5e6, max: 5.3e6, noNaN: true }), (x, y) => {
      const table = tableIn(UTM_29, [square(x, y, 100)]);
      const sifter = new Sifter(table, 0, undefined, geos);
      sifter.systems = [UTM_29];
      const corner = inSystem(call('s_touches', property('geometry'), point([x - 100, y - 100])), UTM_29);
      const half = inSystem(call('s_contains', property('geometry'), { bbox: [x - 100, y - 100, x, y] }), UTM_29);
      expect(count(sifter.verdict(corner).yes)).toBe(1);
      expect(count(sifter.verdict(half).yes)).toBe(1);
    }),
    { numRuns: 40 },
  );
});

test('areas are in longitude and latitude, whatever system the filter is in', () => {
  const [lon, lat] = [-9.5, 46.6];
  const [x, y] = fromLonLat(UTM_29)(lon, lat);
  const sifter = new Sifter(tableIn(UTM_29, [square(x, y, 10), square(x + 5000, y, 10)]), 0, UTM_29, geos);
  sifter.areas = new Map([['Here', point([lon, lat])]]);
  expect([...rowsOf(sifter.verdict(call('s_intersects', property('geometry'), call('AREA', 'Here'))).yes)]).toEqual([0]);
  expect([...rowsOf(sifter.verdict(call('s_intersects', property('geometry'), point([x + 5000, y]) as Expr)).yes)]).toEqual([1]);
});

test('what cannot be put in another system is unknown, not apart', () => {
  const nowhere: Geometry = {
    type: 'LineString',
    coordinates: [
      [1e30, 1e30],
      [1e31, 1e30],
    ],
  };
  const sifter = new Sifter(tableIn(UTM_29, [nowhere, square(500_000, 5_160_000, 10), null]), 0);
  const verdict = sifter.verdict(call('S_DWITHIN', property('geometry'), point([-9, 46.6]), 50, 'km'));
  expect([...rowsOf(verdict.yes)]).toEqual([1]);
  expect([...rowsOf(unknownOf(verdict))]).toEqual([0, 2]);
});

test('a literal may say that it is in the system of the table, wherever the sifter was made', () => {
  const table = tableIn(UTM_29, [square(500_000, 5_000_000, 10), square(600_000, 5_000_000, 10)]);
  const place = inSystem(square(500_005, 5_000_005, 10), UTM_29);
  expect(kept(table, 's_intersects', place)).toEqual([0]);
});
