import type { Geometry } from 'geojson';
import { TableBuilder } from '../features/table_builder.ts';
import { measureOf } from './measure.ts';
import { measureOfGeometry } from './measure_geometry.ts';

const measured = (...geometries: Geometry[]) => {
  const builder = new TableBuilder();
  for (const geometry of geometries) builder.addFeature(geometry, null);
  return measureOf(builder.finish());
};

test('the example of the GeographicLib documentation', () => {
  // "The area of Antarctica" in the documentation of GeographicLib for JavaScript and Python: 13 662 703 680 020.1 m².
  const outline: [number, number][] = [
    [-63.1, -58],
    [-72.9, -74],
    [-71.9, -102],
    [-74.9, -102],
    [-74.3, -131],
    [-77.5, -163],
    [-77.4, 163],
    [-71.7, 172],
    [-65.9, 140],
    [-65.7, 113],
    [-66.6, 88],
    [-66.9, 59],
    [-69.8, 25],
    [-70, -4],
    [-71, -14],
    [-77.3, -33],
    [-77.9, -46],
    [-74.7, -61],
  ];
  const ring = [...outline, outline[0]].map(([lat, lon]) => [lon, lat]);
  expect(measured({ type: 'Polygon', coordinates: [ring] }).area).toBeCloseTo(13_662_703_680_020.1, 0);
});

test('holes are taken off, lines have a length, points neither', () => {
  const square = (a: number, b: number) => [
    [a, a],
    [b, a],
    [b, b],
    [a, b],
    [a, a],
  ];
  const whole = measured({ type: 'Polygon', coordinates: [square(0, 1)] }).area;
  const hole = measured({ type: 'Polygon', coordinates: [square(0.4, 0.6)] }).area;
  expect(measured({ type: 'Polygon', coordinates: [square(0, 1), square(0.4, 0.6).reverse()] }).area).toBeCloseTo(whole - hole, 3);
  // A degree of the meridian at the equator on WGS 84: 110 574.4 m.
  const line = measured(
    {
      type: 'LineString',
      coordinates: [
        [0, 0],
        [0, 1],
      ],
    },
    { type: 'Point', coordinates: [5, 5] },
  );
  expect(line.length).toBeCloseTo(110_574.389, 2);
  expect(line.area).toBe(0);
});

test('a geometry by itself measures the same as a feature, whatever it is made of', () => {
  const ring = (x: number, y: number, w: number) => [
    [x, y],
    [x + w, y],
    [x + w, y + w],
    [x, y + w],
    [x, y],
  ];
  const shapes: Geometry[] = [
    {
      type: 'LineString',
      coordinates: [
        [0, 0],
        [5, 9],
        [20, -3],
      ],
    },
    {
      type: 'MultiLineString',
      coordinates: [
        [
          [0, 0],
          [5, 9],
        ],
        [
          [170, 3],
          [-170, 8],
        ],
      ],
    },
    { type: 'Polygon', coordinates: [ring(0, 0, 9), ring(2, 2, 3).reverse()] },
    { type: 'MultiPolygon', coordinates: [[ring(0, 0, 9).reverse()], [ring(40, -60, 2)]] },
    { type: 'Point', coordinates: [1, 1] },
  ];
  const all: Geometry = { type: 'GeometryCollection', geometries: shapes };
  for (const shape of [...shapes, all]) {
    const [one, other] = [measureOfGeometry(shape), measured(shape)];
    expect(Math.abs(one.area - other.area)).toBeLessThanOrEqual(1e-12 * other.area);
    expect(Math.abs(one.length - other.length)).toBeLessThanOrEqual(1e-12 * other.length);
  }
});
