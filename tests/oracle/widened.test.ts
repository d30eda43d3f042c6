import { bufferedShape, CRS84, Geos } from '@clean-sieve/core';
import { spawnSync } from 'node:child_process';
import type { Geometry } from 'geojson';
import { crsNamed } from '../../packages/server/src/crs/epsg.ts';
import { Random } from './random_lists.ts';
import { Shapes, type Place } from './shapes.ts';

// Everything within a distance: small and large shapes, at the poles and across the 180° meridian, in longitude and latitude
// and in planes. Places round them are measured by GeographicLib.

const degrees = (at: [number, number], step: number): Place => ({ system: null, at, step, scale: 1, strip: false });
const plane = (system: string, at: [number, number], step: number): Place => ({
  system,
  at,
  step,
  scale: 1,
  strip: false,
});
const PLACES: [string, Place, metres: number[]][] = [
  ['a town', degrees([8, 47], 0.002), [50, 2000]],
  ['a continent', degrees([-10, 30], 5), [20_000, 500_000]],
  ['at the 180° meridian', degrees([168, -20], 1), [5000, 300_000]],
  ['from the 180° meridian on', degrees([-180, 10], 1), [5000, 300_000]],
  ['near the north pole', degrees([-100, 78], 1), [5000, 300_000]],
  ['round the north pole', plane('EPSG:3995', [-400_000, -500_000], 100_000), [1000, 400_000]],
  ['round the south pole', plane('EPSG:3031', [-40_000, -50_000], 10_000), [1000, 400_000]],
  ['across the 180° meridian in a plane', plane('EPSG:32601', [100_000, 5_000_000], 40_000), [1000, 200_000]],
  ['in feet', plane('EPSG:2263', [900_000, 100_000], 20_000), [300, 60_000]],
];

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

const seed = Math.floor(Date.now() / 86_400_000);
test.each(PLACES)(
  `%s, seed ${seed}`,
  (_, place, distances) => {
    const random = new Random(seed);
    const { makes, broken } = new Shapes(place);
    const some = [...random.many(3, 3, () => random.pick(makes)), random.pick(broken.slice(0, 3))];
    const shapes = some.map((make) => make(random));
    expectWidened(place, shapes, distances);
  },
  120_000,
);

test('an edge that lies beyond the equator from the pole that the shape holds', () => {
  const far = 12_700_000;
  const around = (x: number, y: number): Geometry => ({
    type: 'Polygon',
    coordinates: [
      [
        [x - far, y - far],
        [x + far, y - far],
        [x + far, y + far],
        [x - far, y + far],
        [x - far, y - far],
      ],
    ],
  });
  expectWidened(plane('EPSG:3995', [0, 0], 1_000_000), [around(600_000, -500_000)], [700_000]);
  expectWidened(plane('EPSG:3031', [0, 0], 1_000_000), [around(400_000, 500_000)], [400_000]);
}, 120_000);

/** Widens shapes of a place, and has places round them measured. */
function expectWidened(place: Place, shapes: readonly Geometry[], distances: readonly number[]): void {
  const from = place.system === null ? CRS84 : crsNamed(place.system);
  const cases = shapes.flatMap((shape: Geometry) =>
    distances.map((metres) => {
      const { geometry: widened, error } = bufferedShape(shape, metres, geos, { from });
      // What is told of the error is small beside the distance.
      expect(error).toBeLessThan(metres * 1e-3 + 0.05);
      return { shape, metres, widened, error };
    }),
  );
  const script = new URL('./widened.py', import.meta.url).pathname;
  const question = { system: place.system, step: place.step / 120, seed, cases };
  const run = spawnSync('/usr/bin/python3', [script], { input: `${JSON.stringify(question)}\n`, maxBuffer: 2 ** 28 });
  if (run.status !== 0) throw new Error(run.stderr.toString());
  const { told, wrong } = JSON.parse(run.stdout.toString()) as { told: number; wrong: string[] };
  expect(wrong).toEqual([]);
  expect(told).toBeGreaterThan(cases.length * 8);
}
