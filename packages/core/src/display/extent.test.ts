import fc from 'fast-check';
import type { Geometry } from 'geojson';
import { maskOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { extentOfRows } from './extent.ts';

function tableOf(geometries: (Geometry | null)[]) {
  const builder = new TableBuilder();
  for (const geometry of geometries) builder.addFeature(geometry, {});
  return builder.finish();
}
const line = (west: number, east: number): Geometry => ({ type: 'LineString', coordinates: [west, east].map((lon) => [lon, lon / 9]) });

test('what lies on both sides of the 180° meridian is framed closely, one feature or several', () => {
  const aleutians: Geometry = {
    type: 'MultiLineString',
    coordinates: [line(172, 180), line(-180, -130)].map((one) => (one as { coordinates: number[][] }).coordinates),
  };
  const table = tableOf([aleutians, null, { type: 'Point', coordinates: [-140, 60] }, { type: 'Point', coordinates: [0, 1] }]);
  const [west, , east] = extentOfRows(table, maskOf([0, 1, 2], 4))!;
  expect([west, east]).toEqual([172, 230]);
  // The whole world stays the whole world.
  expect(extentOfRows(table, null)).toEqual([-180, -20, 180, 60]);
  expect(extentOfRows(table, maskOf([1], 4))).toBeNull();
});

test('of all ways to frame some lines the closest is found, if it is less than half of the world', () => {
  const span = fc.tuple(fc.integer({ min: -180, max: 180 }), fc.integer({ min: 0, max: 40 }));
  fc.assert(
    fc.property(fc.array(span, { minLength: 1, maxLength: 9 }), (spans) => {
      const lines = spans.map(([west, wide]): [number, number] => [west, Math.min(180, west + wide)]);
      const [west, , east] = extentOfRows(tableOf(lines.map(([from, to]) => line(from, to))), null)!;
      // Each frame that begins with one of the lines and holds all of them, going round.
      const frames = lines.map(([from]) => {
        const ends = lines.map(([start, end]) => (start >= from ? end : end >= from ? Infinity : end + 360));
        return [from, Math.max(...ends)];
      });
      const plain = [Math.min(...lines.map(([from]) => from)), Math.max(...lines.map(([, to]) => to))];
      const closest = frames.reduce((best, one) => (one[1] - one[0] < best[1] - best[0] ? one : best), plain);
      const wanted = plain[1] - plain[0] <= 180 || closest[1] - closest[0] > 180 ? plain : closest;
      expect(east - west).toBe(wanted[1] - wanted[0]);
    }),
  );
});
