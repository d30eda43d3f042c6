import fc from 'fast-check';
import type { Geometry } from 'geojson';
import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { maskOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { Shape } from '../space/shape.ts';
import { distanceToShape } from '../space/within_distance.ts';
import { nearestDistance } from './nearest_distance.ts';

const position = fc.tuple(fc.double({ min: -179, max: 179, noNaN: true }), fc.double({ min: -85, max: 85, noNaN: true }));
const near = fc.tuple(fc.double({ min: 10, max: 11, noNaN: true }), fc.double({ min: 46, max: 47, noNaN: true }));

function tableOf(features: (Geometry | null)[]) {
  const builder = new TableBuilder();
  for (const feature of features) builder.addFeature(feature, null);
  return builder.finish();
}
const point = (coordinates: number[]): Geometry => ({ type: 'Point', coordinates });

test.each([
  ['anywhere on the earth', position],
  ['in one region', near],
])('the least of all distances, without all of them: points %s', (_where, places) => {
  fc.assert(
    fc.property(fc.array(places, { minLength: 1, maxLength: 400 }), places, fc.integer({ min: 1, max: 5000 }), (at, target, from) => {
      const table = tableOf(at.map(point));
      const shape = new Shape(point(target));
      const rows = at.map((_, row) => row).filter((row) => row % 3 !== 1);
      const [chunk] = lonLatChunks(table);
      const least = Math.min(...rows.map((row) => distanceToShape(chunk, row, shape)));
      expect(nearestDistance(table, shape, maskOf(rows, table.rows), from)).toBe(least);
    }),
    { numRuns: 25 },
  );
});

test('many rows at the same place, lines, and rows without a place', () => {
  const crowd = tableOf(Array.from({ length: 600 }, () => point([10.5, 46.5])));
  const target = new Shape(point([10, 46.5]));
  const all = (rows: number) =>
    maskOf(
      Array.from({ length: rows }, (_, row) => row),
      rows,
    );
  expect(nearestDistance(crowd, target, all(600), 1)).toBe(distanceToShape(lonLatChunks(crowd)[0], 0, target));
  const line: Geometry = {
    type: 'LineString',
    coordinates: [
      [10, 46],
      [11, 46],
    ],
  };
  const lines = tableOf([line, point([10.2, 46.3]), null]);
  const to = new Shape({
    type: 'LineString',
    coordinates: [
      [10, 47],
      [11, 46.5],
    ],
  });
  const least = Math.min(...[0, 1].map((row) => distanceToShape(lonLatChunks(lines)[0], row, to)));
  expect(nearestDistance(lines, to, all(3), 20)).toBe(least);
  expect(nearestDistance(lines, to, maskOf([2], 3), 20)).toBeNull();
});
