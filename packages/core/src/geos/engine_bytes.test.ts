import type { Geometry, Position } from 'geojson';
import { rowsOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { call, property, type Expr } from '../filters/ast.ts';
import { Sifter } from '../sifting/sifter.ts';
import { Geos } from './geos.ts';

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

const box = (w: number, s: number, e: number, n: number): Position[] => [
  [w, s],
  [e, s],
  [e, n],
  [w, n],
  [w, s],
];
const polygon = (...rings: Position[][]): Geometry => ({ type: 'Polygon', coordinates: rings });
const kept = (shapes: Geometry[], op: string, place: Geometry, ...more: Expr[]) => {
  const builder = new TableBuilder();
  for (const shape of shapes) builder.addFeature(shape, { n: 1 });
  const sifter = new Sifter(builder.finish(), 0, undefined, geos);
  return [...rowsOf(sifter.verdict(call(op, property('geometry'), place, ...more)).yes)];
};

// ISO 19125 and GEOS 3.11 (Debian's Shapely) say true of each; GEOS 3.13.0 by itself says false where the touch is no vertex.
test('a ring that touches another between its vertices does not change what lies in them', () => {
  const touched: Geometry = {
    type: 'MultiPolygon',
    coordinates: [
      [box(0, 0, 4, 4)],
      [
        [
          [4, 2],
          [6, 1],
          [6, 3],
          [4, 2],
        ],
      ],
    ],
  };
  const holed = polygon(box(0, 0, 4, 4), [
    [4, 2],
    [2, 3],
    [2, 1],
    [4, 2],
  ]);
  expect(kept([touched], 's_contains', polygon(box(2, 1, 4, 3)))).toEqual([0]);
  expect(kept([touched], 's_overlaps', polygon(box(2, 1, 4, 3)))).toEqual([]);
  expect(kept([holed], 's_touches', polygon(box(4, 1, 6, 3)))).toEqual([0]);
  expect(kept([polygon(box(2, 1, 4, 3))], 's_within', touched)).toEqual([0]);
});

describe('a shape that is not valid counts as what it covers, in every relation', () => {
  const bowTie = polygon([
    [0, 0],
    [4, 4],
    [4, 0],
    [0, 4],
    [0, 0],
  ]);
  const overlapping: Geometry = { type: 'MultiPolygon', coordinates: [[box(0, 0, 3, 3)], [box(2, 2, 5, 5)]] };
  const sound = polygon(box(0, 0, 4, 4));
  const left = polygon([
    [0.2, 1],
    [0.8, 1.8],
    [0.8, 2.2],
    [0.2, 3],
    [0.2, 1],
  ]);

  test('the valid ones beside it are answered too', () => {
    expect(kept([sound, bowTie, sound], 's_within', polygon(box(-1, -1, 5, 5)))).toEqual([0, 1, 2]);
    expect(kept([sound, bowTie, sound], 's_contains', left)).toEqual([0, 1, 2]);
    expect(kept([bowTie], 's_contains', { type: 'Point', coordinates: [2, 3.5] })).toEqual([]);
    expect(kept([sound, bowTie], 's_equals', sound)).toEqual([0]);
  });

  test('where several polygons overlap, the common part is covered', () => {
    for (const op of ['s_intersects', 's_contains']) {
      expect(kept([overlapping], op, { type: 'Point', coordinates: [2.5, 2.5] })).toEqual([0]);
      expect(kept([overlapping], op, polygon(box(2.2, 2.2, 2.8, 2.8)))).toEqual([0]);
    }
  });

  test('in shares, of either side', () => {
    expect(kept([polygon(box(0, 0, 4, 4))], 'S_SHARE_IN', bowTie, 49)).toEqual([0]);
    expect(kept([polygon(box(0, 0, 4, 4))], 'S_SHARE_IN', bowTie, 51)).toEqual([]);
    expect(kept([bowTie, overlapping], 'S_SHARE_IN', polygon(box(0, 0, 5, 5)), 100)).toEqual([0, 1]);
  });

  test('lines of one position are that position, rings of fewer than four lines', () => {
    const dot: Geometry = { type: 'LineString', coordinates: [[1, 1]] };
    const flat: Geometry = {
      type: 'Polygon',
      coordinates: [
        [
          [1, 1],
          [2, 1],
        ],
      ],
    };
    expect(kept([dot, flat], 's_within', sound)).toEqual([0, 1]);
    expect(kept([dot, flat], 's_intersects', sound)).toEqual([0, 1]);
  });
});
