import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import { Shape } from '../space/shape.ts';
import { Geos } from './geos.ts';

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

const polygon = (...rings: Position[][]): Geometry => ({ type: 'Polygon', coordinates: rings.map((ring) => [...ring, ring[0]]) });

/** Whether a ray to the east leaves through an odd number of edges: plain, and only for places off every edge. */
function isOdd(rings: Position[][], x: number, y: number): boolean {
  let crossings = 0;
  for (const ring of rings)
    ring.forEach(([x1, y1], i) => {
      const [x2, y2] = ring[(i + 1) % ring.length];
      if (y1 > y !== y2 > y && x < ((x2 - x1) * (y - y1)) / (y2 - y1) + x1) crossings++;
    });
  return crossings % 2 === 1;
}

/** Distance of a place from the nearest edge. */
function offEdges(rings: Position[][], x: number, y: number): number {
  return Math.min(
    ...rings.flatMap((ring) =>
      ring.map(([x1, y1], i) => {
        const [x2, y2] = ring[(i + 1) % ring.length];
        const length = (x2 - x1) ** 2 + (y2 - y1) ** 2;
        const t = length === 0 ? 0 : Math.max(0, Math.min(1, ((x - x1) * (x2 - x1) + (y - y1) * (y2 - y1)) / length));
        return Math.hypot(x - x1 - t * (x2 - x1), y - y1 - t * (y2 - y1));
      }),
    ),
  );
}

/** What is made of rings is valid, has no lines beside its area, and covers what an odd number of the rings hold. */
function expectOdd(rings: Position[][], places: Position[]): void {
  const made = geos.madeValid(polygon(...rings));
  expect(geos.invalidity(made)).toBeNull();
  const shape = new Shape(made);
  for (const [x, y] of places) if (offEdges(rings, x, y) > 1e-9) expect([x, y, shape.covers(x, y)]).toEqual([x, y, isOdd(rings, x, y)]);
}

/** Of numbers so small that their products vanish in doubles, 0: of shapes that lie within them the geometry engine throws. */
const anyNumber = fc.double({ min: 0, max: 10, noNaN: true }).map((number) => (number < 1e-60 ? 0 : number));
const onGrid = fc.nat(6);
const rings = (number: fc.Arbitrary<number>) =>
  fc.array(fc.array(fc.tuple(number, number), { minLength: 3, maxLength: 9 }), { minLength: 1, maxLength: 3 });
const places = fc.array(fc.tuple(anyNumber, anyNumber), { minLength: 20, maxLength: 20 });

test('rings that cross one another and themselves anywhere', () => {
  fc.assert(fc.property(rings(anyNumber), places, expectOdd), { numRuns: 300 });
});

test('rings that run along one another, touch, and double back', () => {
  fc.assert(fc.property(rings(onGrid), places, expectOdd), { numRuns: 300 });
});

test('a hole that reaches out of its shell along an edge', () => {
  const shell: Position[] = [
    [0, 0],
    [3, 0],
    [3, 3],
    [0, 3],
  ];
  const hole: Position[] = [
    [2, 1],
    [2, 3],
    [4, 3],
    [4, 1],
  ];
  const shape = new Shape(geos.madeValid(polygon(shell, hole)));
  expect(
    [
      [1, 1],
      [2.5, 2],
      [3.5, 2],
    ].map(([x, y]) => shape.covers(x, y)),
  ).toEqual([true, false, true]);
});

test('a star of five points is open in its middle', () => {
  const at = (turn: number): Position => [Math.sin((turn * 4 * Math.PI) / 5), Math.cos((turn * 4 * Math.PI) / 5)];
  const made = geos.madeValid(polygon([0, 1, 2, 3, 4].map(at)));
  expect([made.type, new Shape(made).covers(0, 0), new Shape(made).covers(0, 0.9)]).toEqual(['MultiPolygon', false, true]);
});

test('a spike stays as a line, a ring without area is one, one of a single position is a point', () => {
  const spiked = geos.madeValid(
    polygon([
      [0, 0],
      [4, 0],
      [2, 0],
      [2, 2],
      [0, 2],
    ]),
  );
  expect(spiked).toMatchObject({
    type: 'GeometryCollection',
    geometries: [
      { type: 'Polygon' },
      {
        type: 'LineString',
        coordinates: [
          [2, 0],
          [4, 0],
        ],
      },
    ],
  });
  expect(
    geos.madeValid(
      polygon([
        [0, 0],
        [4, 0],
        [2, 0],
      ]),
    ).type,
  ).toMatch(/LineString$/);
  expect(
    geos.madeValid(
      polygon([
        [1, 2],
        [1, 2],
        [1, 2],
      ]),
    ),
  ).toEqual({ type: 'Point', coordinates: [1, 2] });
});

test('what two parts of a multipolygon both cover is covered, not cut out', () => {
  const square = (x: number): Position[][] => [
    [
      [x, 0],
      [x + 2, 0],
      [x + 2, 2],
      [x, 2],
      [x, 0],
    ],
  ];
  const shape = new Shape(geos.madeValid({ type: 'MultiPolygon', coordinates: [square(0), square(1)] }));
  expect([0.5, 1.5, 2.5].map((x) => shape.covers(x, 1))).toEqual([true, true, true]);
});
