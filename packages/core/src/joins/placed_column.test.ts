import fc from 'fast-check';
import { valueAt, type Value } from '../features/column.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { geodesicDistance } from '../space/geodesic.ts';
import { placedBy, placedColumn } from './placed_column.ts';

type Point = [number, number];
function points(places: readonly (Point | null)[]): FeatureTable {
  const builder = new TableBuilder();
  builder.column('n');
  places.forEach((coordinates, n) => builder.addFeature(coordinates && { type: 'Point', coordinates }, { n }));
  return builder.finish();
}
const squares = (corners: readonly Point[]): FeatureTable => {
  const builder = new TableBuilder();
  for (const [x, y] of corners) {
    const ring = [
      [x, y],
      [x + 1, y],
      [x + 1, y + 1],
      [x, y + 1],
      [x, y],
    ];
    builder.addFeature({ type: 'Polygon', coordinates: [ring] }, { name: `zone ${x}` });
  }
  return builder.finish();
};
const valuesOf = (
  own: FeatureTable,
  other: FeatureTable,
  by: 'within' | 'nearest',
  of: string | null,
  most: number | null = null,
): Value[] => {
  const column = placedColumn(placedBy(own, other, by, most, null), of === null ? null : columnNamed(other, of)!, 'made');
  return Array.from({ length: own.rows }, (_, row) => valueAt(column, row));
};

test('a feature has the values of the first zone that it meets; outside, and without a place, it has none', () => {
  const zones = squares([
    [0, 0],
    [1, 0],
  ]);
  const own = points([[0.5, 0.5], [1, 0.5], [1.5, 0.1], [9, 9], null]);
  expect(valuesOf(own, zones, 'within', 'name')).toEqual(['zone 0', 'zone 0', 'zone 1', null, null]);
  expect(() => valuesOf(own, own, 'within', 'n')).toThrow('The zones have no polygons');
});

test('of the nearest there are the values and the distance, however far or no farther than is said', () => {
  const other = points([[8, 47], [8.1, 47], null]);
  const own = points([[8.001, 47], [8.09, 47], [-170, -40], null]);
  expect(valuesOf(own, other, 'nearest', 'n').slice(0, 2)).toEqual([0, 1]);
  expect(valuesOf(own, other, 'nearest', 'n')[3]).toBe(null);
  const [near, , far, none] = valuesOf(own, other, 'nearest', null) as number[];
  expect(near).toBeCloseTo(geodesicDistance(8.001, 47, 8, 47), 3);
  expect(far).toBeGreaterThan(1e7);
  expect(none).toBe(null);
  expect(valuesOf(own, other, 'nearest', null, 500)).toEqual([near, null, null, null]);
  expect(valuesOf(own, points([null]), 'nearest', null)).toEqual([null, null, null, null]);
  // Of several at one place it is the first row, whatever the index says.
  const towers = points(Array.from({ length: 33 }, (): Point => [8, 47]));
  expect(valuesOf(points([[8.001, 47]]), towers, 'nearest', 'n')).toEqual([0]);
  // What lies in a polygon is at no distance of it.
  expect(valuesOf(points([[0.5, 0.5]]), squares([[0, 0]]), 'nearest', null)).toEqual([0]);
});

test('the nearest is the nearest of all, one by one', () => {
  const place = fc.tuple(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: -89, max: 89, noNaN: true }));
  fc.assert(
    fc.property(fc.array(place, { minLength: 1, maxLength: 12 }), fc.array(place, { minLength: 1, maxLength: 33 }), (mine, theirs) => {
      const metres = valuesOf(points(mine), points(theirs), 'nearest', null) as number[];
      mine.forEach((own, i) => {
        const all = theirs.map((other) => geodesicDistance(...own, ...other));
        expect(Math.abs(metres[i] - Math.min(...all))).toBeLessThan(2e-3);
      });
    }),
    { numRuns: 60 },
  );
});
