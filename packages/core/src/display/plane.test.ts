import { geoAzimuthalEqualArea, geoEqualEarth, type GeoProjection } from 'd3';
import fc from 'fast-check';
import { toMercator } from './mercator.ts';
import { isPlaneName, planeNamed, type PlaneName } from './plane.ts';

const RADIUS = 6_378_137;
const plain = (projection: GeoProjection) => projection.scale(RADIUS).translate([0, 0]);
/** The same planes by d3-geo 3.1. */
const OTHERS: [PlaneName, GeoProjection][] = [
  ['world', plain(geoEqualEarth())],
  ['north 0', plain(geoAzimuthalEqualArea().rotate([0, -90]))],
  ['north -150', plain(geoAzimuthalEqualArea().rotate([150, -90]))],
  ['south 30', plain(geoAzimuthalEqualArea().rotate([-30, 90]))],
];
const place = fc.tuple(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: -90, max: 90, noNaN: true }));

test.each(OTHERS)('%s puts every place where another implementation does', (name, other) => {
  const { forward, latitudes } = planeNamed(name);
  fc.assert(
    fc.property(place, ([lon, wanted]) => {
      const lat = Math.max(latitudes[0], Math.min(latitudes[1], wanted));
      const [x, y] = forward(lon, lat);
      const [otherX, otherY] = other([lon, lat])!;
      expect(Math.hypot(x - otherX, y + otherY)).toBeLessThan(0.05);
    }),
  );
});

test.each([['mercator'], ['world'], ['north 0'], ['north -150'], ['south 30']] as [PlaneName][])('%s and back', (name) => {
  const { forward, inverse, latitudes } = planeNamed(name);
  fc.assert(
    fc.property(place, ([lon, wanted]) => {
      const lat = Math.max(latitudes[0] + 1e-6, Math.min(latitudes[1] - 1e-6, wanted));
      const [x, y] = forward(lon, lat);
      const back = inverse(x, y)!;
      const [againX, againY] = forward(...back);
      expect(Math.hypot(againX - x, againY - y)).toBeLessThan(0.05);
      expect(Math.abs(back[1] - lat)).toBeLessThan(1e-6);
    }),
  );
  expect(name === 'mercator' ? null : inverse(3e7, 3e7)).toBeNull();
});

test.each([['mercator'], ['world'], ['north 0'], ['north -150'], ['south 30']] as [PlaneName][])(
  'whatever lies in a box of %s lies in the longitudes and latitudes round it',
  (name) => {
    const { forward, around, latitudes } = planeNamed(name);
    fc.assert(
      fc.property(
        place,
        fc.double({ min: 1, max: 8e6, noNaN: true }),
        fc.double({ min: 1, max: 8e6, noNaN: true }),
        ([lon, wanted], a, b) => {
          const lat = Math.max(latitudes[0], Math.min(latitudes[1], wanted));
          const [x, y] = forward(lon, lat);
          const [west, south, east, north] = around([x - a, y - b, x + b, y + a]);
          expect(west - 1e-6 <= lon && lon <= east + 1e-6).toBe(true);
          expect(south - 1e-6 <= lat && lat <= north + 1e-6).toBe(true);
        },
      ),
      { numRuns: 1000 },
    );
  },
);

test('names of planes', () => {
  expect(['mercator', 'world', 'north 0', 'south -90', 'north 180'].map(isPlaneName)).toEqual(Array(5).fill(true));
  expect(['', 'north', 'north 7', 'south 190', 'east 0', 'north 00'].map(isPlaneName)).toEqual(Array(6).fill(false));
  expect(planeNamed('mercator').forward(10, 20)).toEqual(toMercator(10, 20));
});
