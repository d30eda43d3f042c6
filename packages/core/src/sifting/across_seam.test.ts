import type { Geometry, Position } from 'geojson';
import { rowsOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { call, property, type Expr } from '../filters/ast.ts';
import { Geos } from '../geos/geos.ts';
import { Sifter } from './sifter.ts';

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

const ring = (w: number, s: number, e: number, n: number): Position[] => [
  [w, s],
  [e, s],
  [e, n],
  [w, n],
  [w, s],
];
const box = (w: number, s: number, e: number, n: number): Geometry => ({ type: 'Polygon', coordinates: [ring(w, s, e, n)] });
/** Cut in two at the 180° meridian, as RFC 7946, 3.1.9 has it. */
const split = (w: number, s: number, e: number, n: number): Geometry => ({
  type: 'MultiPolygon',
  coordinates: [[ring(w, s, 180, n)], [ring(-180, s, e, n)]],
});
const line = (...coordinates: Position[]): Geometry => ({ type: 'LineString', coordinates });
const lines = (...coordinates: Position[][]): Geometry => ({ type: 'MultiLineString', coordinates });
const point = (x: number, y: number): Geometry => ({ type: 'Point', coordinates: [x, y] });

function answer(relation: string, a: Geometry, b: Geometry, ...more: Expr[]): boolean | null {
  const builder = new TableBuilder();
  builder.addFeature(a, null);
  const sifter = new Sifter(builder.finish(), 0, undefined, geos);
  const { yes, possible } = sifter.verdict(call(relation, property('geometry'), b, ...more));
  return [...rowsOf(yes)].length > 0 ? true : [...rowsOf(possible)].length > 0 ? null : false;
}

test.each<[string, string, Geometry, Geometry, boolean]>([
  ['s_touches', 'neighbours on both sides', box(175, 0, 180, 5), box(-180, 3, -170, 9), true],
  ['s_touches', 'neighbours that do not reach one another', box(175, 0, 180, 5), box(-180, 6, -170, 9), false],
  ['s_touches', 'a neighbour of one half that lies in the other', box(175, 0, 180, 5), split(178, 1, -179, 2), false],
  ['s_touches', 'a line that ends at the meridian', line([-175, 1], [-180, 1]), box(175, 0, 180, 5), true],
  ['s_touches', 'a line along the meridian, of a polygon on both sides', line([180, 1], [180, 2]), split(175, 0, -175, 5), false],
  ['s_within', 'a line along the meridian, in a polygon on both sides', line([-180, 1], [-180, 2]), split(175, 0, -175, 5), true],
  ['s_within', 'a line along the meridian, on the edge of one', line([-180, 1], [-180, 2]), box(175, 0, 180, 5), false],
  [
    's_within',
    'a line across',
    lines(
      [
        [179, 1],
        [180, 1],
      ],
      [
        [-180, 1],
        [-179, 1],
      ],
    ),
    split(175, 0, -175, 5),
    true,
  ],
  [
    's_crosses',
    'two lines that cross on it',
    lines(
      [
        [179, 1],
        [180, 1],
      ],
      [
        [-180, 1],
        [-179, 1],
      ],
    ),
    line([180, 0], [180, 5]),
    true,
  ],
  [
    's_touches',
    'where the one only ends',
    lines(
      [
        [179, 1],
        [180, 1],
      ],
      [
        [-180, 1],
        [-179, 1],
      ],
    ),
    line([-180, 1], [-180, 5]),
    true,
  ],
  ['s_equals', 'the same line with either sign', line([180, 0], [180, 5]), line([-180, 5], [-180, 0]), true],
  ['s_equals', 'the same point with either sign', point(180, 3), point(-180, 3), true],
  ['s_contains', 'a point in the middle of it', split(175, 0, -175, 5), point(180, 3), true],
  ['s_touches', 'a point on the edge of a half', box(-180, 0, -175, 5), point(180, 3), true],
  ['s_overlaps', 'lines that have a piece of it in common', line([180, 0], [180, 5]), line([-180, 3], [-180, 9]), true],
])('%s: %s', (relation, _, a, b, expected) => {
  expect(answer(relation, a, b)).toBe(expected);
  if (!['s_within', 's_contains'].includes(relation)) expect(answer(relation, b, a)).toBe(expected);
});

test('what lies along the meridian lies in what is on its other side', () => {
  expect(answer('S_SHARE_IN', line([180, 0], [180, 4]), box(-180, 1, -170, 3), 49.9)).toBe(true);
  expect(answer('S_SHARE_IN', line([180, 0], [180, 4]), box(-180, 1, -170, 3), 50.1)).toBe(false);
  expect(answer('S_SHARE_IN', point(-180, 2), box(170, 1, 180, 3), 100)).toBe(true);
});

describe('what goes all round the earth', () => {
  const cap = box(-180, -90, 180, -60);
  const parallel = line([-180, -70], [180, -70]);

  test('is one with what reaches the meridian', () => {
    expect(answer('s_contains', cap, split(179, -80, -179, -70))).toBe(true);
    expect(answer('s_touches', cap, line([180, -70], [180, -65]))).toBe(false);
    expect(answer('s_within', line([180, -70], [180, -65]), cap)).toBe(true);
    expect(answer('s_crosses', parallel, line([180, -75], [180, -65]))).toBe(true);
    expect(answer('s_touches', box(175, -60, 180, -50), cap)).toBe(true);
  });
  test('and another such polygon have the relations of the plane', () => {
    expect(answer('s_within', cap, box(-180, -90, 180, -50))).toBe(true);
    expect(answer('s_overlaps', cap, box(-180, -70, 180, -50))).toBe(true);
    expect(answer('s_equals', cap, box(-180, -90, 180, -60))).toBe(true);
  });
  test('and another such line is not told', () => {
    expect(answer('s_crosses', parallel, cap)).toBeNull();
    expect(answer('s_touches', cap, box(-180, -60, 180, -50))).toBeNull();
  });
});

test('the centre of what lies on both sides is there', () => {
  const centre = (shape: Geometry) => {
    const builder = new TableBuilder();
    builder.addFeature(shape, null);
    const sifter = new Sifter(builder.finish(), 0, undefined, geos);
    return (x: number, y: number) =>
      [...rowsOf(sifter.verdict(call('S_DWITHIN', call('CENTROID', property('geometry')), point(x, y), 1, 'm')).yes)].length;
  };
  expect(centre(split(176, 0, -178, 4))(179, 2)).toBe(1);
  expect(
    centre({
      type: 'MultiPoint',
      coordinates: [
        [177, 4],
        [-177, -2],
      ],
    })(180, 1),
  ).toBe(1);
  // Nothing is narrower than over the meridian of Greenwich.
  expect(
    centre({
      type: 'MultiPoint',
      coordinates: [
        [80, 4],
        [-60, -2],
      ],
    })(10, 1),
  ).toBe(1);
  expect(centre(box(-180, 0, 180, 4))(0, 2)).toBe(1);
});
