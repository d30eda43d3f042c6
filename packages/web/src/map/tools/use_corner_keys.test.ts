import { LineString, MultiPolygon, Polygon } from 'ol/geom.js';
import { moveCorner, placesOf } from './use_corner_keys.ts';

const RING = [
  [0, 0],
  [4, 0],
  [4, 4],
  [0, 0],
];
const HOLE = [
  [2, 1],
  [3, 1],
  [3, 2],
  [2, 1],
];

test('a ring has each corner once, and its first is its last wherever it goes', () => {
  const polygon = new Polygon([RING, HOLE]);
  expect(placesOf(polygon)).toHaveLength(6);
  moveCorner(polygon, [0, 0], [-1, -2]);
  expect(polygon.getCoordinates()).toEqual([[[-1, -2], ...RING.slice(1, 3), [-1, -2]], HOLE]);
  expect(placesOf(polygon)[0]).toEqual([-1, -2]);
});

test('parts that meet in a corner go on meeting there; lines have their ends', () => {
  const parts = new MultiPolygon([[RING], [RING.map(([x, y]) => [x - 4, y - 4])]]);
  moveCorner(parts, [0, 0], [1, 0]);
  expect(parts.getCoordinates().map(([ring]) => ring.filter(([x, y]) => x === 1 && y === 0).length)).toEqual([2, 1]);
  expect(placesOf(new LineString(RING.slice(0, 3)))).toEqual(RING.slice(0, 3));
});
