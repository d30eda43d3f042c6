import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import { TableBuilder } from '../features/table_builder.ts';
import { Shape } from '../space/shape.ts';
import { distanceToShape } from '../space/within_distance.ts';
import { bufferedShape } from './buffered.ts';
import { Geos } from './geos.ts';
import { oneShape } from './one_shape.ts';

let geos: Geos;
beforeAll(async () => {
  geos = await Geos.open();
});

const place = fc.tuple(fc.double({ min: -170, max: 170, noNaN: true }), fc.double({ min: -70, max: 70, noNaN: true }));
const step = fc.tuple(fc.double({ min: -0.05, max: 0.05, noNaN: true }), fc.double({ min: -0.05, max: 0.05, noNaN: true })); // prettier-ignore
const geometry = fc.oneof(
  place.map((coordinates): Geometry => ({ type: 'Point', coordinates })),
  fc.tuple(place, fc.array(step, { minLength: 1, maxLength: 4 })).map(([start, steps]): Geometry => {
    const coordinates = steps.reduce<Position[]>((path, [dx, dy]) => [...path, [path[path.length - 1][0] + dx, path[path.length - 1][1] + dy]], [start]); // prettier-ignore
    return { type: 'LineString', coordinates };
  }),
);

function cornersOf(shape: Geometry): Position[] {
  if (shape.type === 'Polygon') return shape.coordinates.flat();
  return shape.type === 'MultiPolygon' ? shape.coordinates.flat(2) : [];
}

test('every corner of a widened shape is as far away as asked, to within the error that is told', () => {
  fc.assert(
    fc.property(geometry, fc.double({ min: 5, max: 5000, noNaN: true }), (shape, metres) => {
      const { geometry: wide, error } = bufferedShape(shape, metres, geos);
      const builder = new TableBuilder();
      builder.addFeature(shape, null);
      const [chunk] = builder.finish().geometry;
      for (const [lon, lat] of cornersOf(wide)) {
        const away = distanceToShape(chunk, 0, new Shape({ type: 'Point', coordinates: [lon, lat] }));
        expect(Math.abs(away - metres)).toBeLessThanOrEqual(error);
      }
      expect(error).toBeLessThan(metres * 1e-4 + 3e-3);
    }),
    { numRuns: 15 },
  );
});

test('a wider one covers the narrower', () => {
  fc.assert(
    fc.property(geometry, fc.integer({ min: 10, max: 1000 }), (shape, metres) => {
      const [narrow, wide] = [metres, metres * 1.1].map((reach) => bufferedShape(shape, reach, geos).geometry);
      expect(geos.covering(wide, (covers) => covers(narrow))).toBe(true);
    }),
    { numRuns: 12 },
  );
});

test('several shapes as one: neighbours are joined, crossing rings taken apart, and what was wrong is told', () => {
  const square = (x: number): Geometry => ({ type: 'Polygon', coordinates: [[[x, 0], [x + 1, 0], [x + 1, 1], [x, 1], [x, 0]]] }); // prettier-ignore
  const { shape, repaired } = oneShape([square(0), square(1)], geos);
  expect([shape.type, repaired]).toEqual(['Polygon', null]);
  const bow: Geometry = { type: 'Polygon', coordinates: [[[0, 0], [1, 1], [1, 0], [0, 1], [0, 0]]] }; // prettier-ignore
  const mended = oneShape([bow], geos);
  expect(mended.repaired).toBe('Self-intersection');
  expect(mended.shape.type).toBe('MultiPolygon');
  expect(geos.invalidity(mended.shape)).toBeNull();
  expect(oneShape([square(5)], geos).shape).toEqual(square(5));
});
