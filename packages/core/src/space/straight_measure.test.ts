import fc from 'fast-check';
import type { Position } from 'geojson';
import library from 'geographiclib-geodesic';
import { measureOfGeometry } from './measure_geometry.ts';
import { straightMeasure } from './straight_measure.ts';

const polygon = (...coordinates: Position[][]) => straightMeasure({ type: 'Polygon', coordinates }).area;
const line = (...coordinates: Position[]) => straightMeasure({ type: 'LineString', coordinates }).length;
const ratio = (a: number, b: number) => Math.abs(a / b - 1);

test('the whole earth has the area of the WGS 84 ellipsoid, 510 065 621.724 km²', () => {
  // Area of the ellipsoid as GeographicLib's documentation has it (from memory).
  const earth = polygon([
    [-180, -90],
    [180, -90],
    [180, 90],
    [-180, 90],
    [-180, -90],
  ]);
  expect(earth / 1e6).toBeCloseTo(510_065_621.724, 2);
});

test('a meridian is a geodesic, and so is the equator', () => {
  const metres = (a: Position, b: Position) => library.Geodesic.WGS84.Inverse(a[1], a[0], b[1], b[0]).s12;
  for (const [a, b] of [
    [
      [10, 0],
      [10, 90],
    ],
    [
      [0, 0],
      [40, 0],
    ],
    [
      [-5, -80],
      [-5, 63],
    ],
  ])
    expect(Math.abs(line(a, b) - metres(a, b))).toBeLessThan(1e-5);
});

test('what is small is as large as between geodesics', () => {
  const at = fc.tuple(fc.double({ min: -179, max: 178, noNaN: true }), fc.double({ min: -80, max: 79, noNaN: true }));
  fc.assert(
    fc.property(at, fc.double({ min: 1e-4, max: 1e-3, noNaN: true }), ([x, y], size) => {
      const triangle = [
        [x, y],
        [x + size, y],
        [x + size / 3, y + size],
        [x, y],
      ];
      const geodesic = measureOfGeometry({ type: 'Polygon', coordinates: [triangle] });
      expect(ratio(polygon(triangle), geodesic.area)).toBeLessThan(1e-4);
      const { length } = measureOfGeometry({ type: 'LineString', coordinates: triangle });
      expect(ratio(line(...triangle), length)).toBeLessThan(1e-7);
    }),
  );
});

test('corners put on edges change nothing', () => {
  const position = fc.tuple(fc.integer({ min: -170, max: 170 }), fc.integer({ min: -88, max: 88 }));
  const places = fc.array(fc.integer({ min: 1, max: 63 }), { minLength: 1, maxLength: 4 });
  fc.assert(
    fc.property(fc.array(position, { minLength: 3, maxLength: 6 }), places, (corners, at) => {
      const ring: Position[] = [...corners, corners[0]];
      const more = ring.flatMap((b, i) => {
        if (i === 0) return [b];
        const a = ring[i - 1];
        const put = at.map((n) => n / 64).sort((s, t) => s - t);
        return [...put.map((t) => [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])]), b];
      });
      const [length, area] = [line(...ring), polygon(ring)];
      expect(Math.abs(line(...more) - length)).toBeLessThanOrEqual(1e-9 * length);
      // Of a ring that goes back over itself, next to nothing is left of large areas.
      expect(Math.abs(polygon(more) - area)).toBeLessThanOrEqual(1e-10 * area + 1);
    }),
  );
});

test('holes are taken off, and parts are counted together', () => {
  const square = (x: number, y: number, w: number) => [
    [x, y],
    [x + w, y],
    [x + w, y + w],
    [x, y + w],
    [x, y],
  ];
  const [outer, inner] = [polygon(square(0, 40, 4)), polygon(square(1, 41, 2))];
  expect(polygon(square(0, 40, 4), square(1, 41, 2).reverse())).toBeCloseTo(outer - inner, 3);
  const both = straightMeasure({
    type: 'GeometryCollection',
    geometries: [
      { type: 'MultiPolygon', coordinates: [[square(0, 40, 4)], [square(9, 41, 2)]] },
      {
        type: 'MultiLineString',
        coordinates: [
          [
            [0, 0],
            [0, 1],
          ],
          [
            [5, 5],
            [5, 6],
          ],
        ],
      },
      { type: 'Point', coordinates: [1, 1] },
    ],
  });
  expect(both.area).toBeCloseTo(outer + inner, 3);
  expect(both.length).toBeCloseTo(line([0, 0], [0, 1]) + line([5, 5], [5, 6]), 6);
});
