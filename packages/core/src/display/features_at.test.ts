import type { Geometry } from 'geojson';
import { fullMask, maskOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { extentOfRows } from './extent.ts';
import { featuresAt } from './features_at.ts';
import { planeNamed, type PlaneName } from './plane.ts';
import { toMercator } from './mercator.ts';

const SHAPES: (Geometry | null)[] = [
  { type: 'Point', coordinates: [8, 47] },
  {
    type: 'LineString',
    coordinates: [
      [8.1, 47],
      [8.2, 47],
    ],
  },
  {
    type: 'Polygon',
    coordinates: [
      [
        [9, 47],
        [10, 47],
        [10, 48],
        [9, 48],
        [9, 47],
      ],
      [
        [9.4, 47.4],
        [9.6, 47.4],
        [9.6, 47.6],
        [9.4, 47.6],
        [9.4, 47.4],
      ],
    ],
  },
  null,
  { type: 'Point', coordinates: [190, 5] },
  {
    type: 'Polygon',
    coordinates: [
      [
        [9, 47],
        [9.3, 47],
        [9.3, 48],
        [9, 48],
        [9, 47],
      ],
    ],
  },
  { type: 'Point', coordinates: [8, 47] },
];
const builder = new TableBuilder();
for (const shape of SHAPES) builder.addFeature(shape, null);
const table = builder.finish();
const at = (lon: number, lat: number, reach: number, mask: Uint32Array<ArrayBuffer> | null = null) =>
  featuresAt(table, ...toMercator(lon, lat), reach, mask).map(({ row }) => row);

test('a point and a line are hit within reach, a polygon anywhere inside but not in its hole', () => {
  expect(at(8.01, 47, 50)).toEqual([]);
  expect(at(8.15, 47.0001, 50)).toEqual([1]);
  expect(at(9.7, 47.2, 1)).toEqual([2]);
  expect(at(9.5, 47.5, 1)).toEqual([]);
});

test('all that lies there is told: the nearest first, of what is as near the one drawn last', () => {
  expect(at(8.0001, 47, 50)).toEqual([6, 0]);
  expect(at(9.2, 47.2, 1)).toEqual([5, 2]);
  expect(at(8.00002, 47, 12_000)).toEqual([6, 0, 1]);
});

test('only what the mask lets through is hit', () => {
  expect(at(9.2, 47.2, 1, maskOf([0, 1], 7))).toEqual([]);
  expect(at(9.2, 47.2, 1, maskOf([2], 7))).toEqual([2]);
});

test('what lies beyond 180° is hit where it is drawn', () => {
  expect(at(-170, 5, 10)).toEqual([4]);
});

test('the extent of what is kept; none without a place', () => {
  expect(extentOfRows(table, maskOf([0, 1, 3], 7))).toEqual([8, 47, 8.2, 47]);
  expect(extentOfRows(table, maskOf([3], 7))).toBeNull();
  expect(extentOfRows(table, fullMask(7))).toEqual(extentOfRows(table, null));
});

test.each([['world'], ['north 10'], ['south 0']] as [PlaneName][])(
  'on the plane %s what lies there is found by its distance on it',
  (plane) => {
    const pole = plane === 'south 0' ? -1 : 1;
    const other = new TableBuilder();
    for (const [lon, lat] of [
      [12, 89.9],
      [179.9, 80],
      [-179.9, 80],
      [0, 70],
    ])
      other.addFeature({ type: 'Point', coordinates: [lon, pole * lat] }, null);
    const known = other.finish();
    const there = (lon: number, lat: number, reach: number) => {
      const [x, y] = planeNamed(plane).forward(lon, pole * lat);
      return featuresAt(known, x, y, reach, null, plane).map(({ row }) => row);
    };
    expect(there(0, 70.001, 2000)).toEqual([3]);
    expect(there(0, 71, 2000)).toEqual([]);
    // Across the 180° meridian only where the plane goes on.
    expect(there(179.9, 80, 6000)).toEqual(plane === 'world' ? [1] : [1, 2]);
    expect(there(-100, 90, 20_000)).toEqual(plane === 'world' ? [] : [0]);
  },
);
