import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import GeoJSONReader from 'jsts/org/locationtech/jts/io/GeoJSONReader.js';
import DistanceOp from 'jsts/org/locationtech/jts/operation/distance/DistanceOp.js';
import RelateOp from 'jsts/org/locationtech/jts/operation/relate/RelateOp.js';
import { CRS84, type Crs } from '../crs/crs.ts';
import { valueAt } from '../features/column.ts';
import { count, fullMask, maskOf, rowsOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import type { FeatureTable } from '../features/table.ts';
import { checkFilter } from '../filters/check.ts';
import type { FilterError } from '../filters/filter_error.ts';
import { parseFilter } from '../filters/parser.ts';
import { Geos } from '../geos/geos.ts';
import { geodesicDistance } from '../space/geodesic.ts';
import { emptyTree } from '../filters/tree.ts';
import { boundCurve, nearestBound } from './bound_curve.ts';
import { matchColumns } from './match_columns.ts';
import { Sifter, unknownOf } from './sifter.ts';
import type { Operand } from './spatial.ts';
import { explainFeature } from './why.ts';

let geos: Geos;
beforeAll(async () => {
  geos = await Geos.open();
});

const UTM: Crs = { name: 'EPSG:32629', label: '', definition: '+proj=utm +zone=29 +datum=WGS84 +units=m +no_defs', accuracy: null };
const tableOf = (shapes: (Geometry | null)[], crs = CRS84): FeatureTable => {
  const builder = new TableBuilder();
  for (const shape of shapes) builder.addFeature(shape, null);
  return { ...builder.finish(), crs };
};
const point = (x: number, y: number): Geometry => ({ type: 'Point', coordinates: [x, y] });
const square = (x: number, y: number, w: number, h = w): Geometry => ({
  type: 'Polygon',
  coordinates: [
    [
      [x, y],
      [x + w, y],
      [x + w, y + h],
      [x, y + h],
      [x, y],
    ],
  ],
});

function sifterOf(table: FeatureTable, theirs: FeatureTable, rows: number[] | null = null): Sifter {
  const sifter = new Sifter(table, 0, CRS84, geos);
  const operand: Operand = { key: 'other', table: theirs, rows: rows && maskOf(rows, theirs.rows) };
  sifter.operands = new Map([['SOURCE other', operand]]);
  return sifter;
}
function keptBy(text: string, sifter: Sifter): number[] {
  const parsed = parseFilter(text);
  checkFilter(parsed, sifter.table.columns, { operands: { sources: ['other'], sieves: [] } });
  return [...rowsOf(sifter.verdict(parsed.expr).yes)];
}

describe('relations to another source as a whole, pair by pair against a reference library', () => {
  const reader = new GeoJSONReader();
  const at = fc.tuple(fc.nat(7), fc.nat(7)) as fc.Arbitrary<Position>;
  const box = fc.tuple(at, fc.integer({ min: 1, max: 3 }), fc.integer({ min: 1, max: 3 })).map(([[x, y], w, h]) => square(x, y, w, h));
  const holed = at.map(([x, y]): Geometry => ({
    type: 'Polygon',
    coordinates: [
      (square(x, y, 4) as { coordinates: Position[][] }).coordinates[0],
      [
        [x + 1, y + 1],
        [x + 1, y + 3],
        [x + 3, y + 3],
        [x + 3, y + 1],
        [x + 1, y + 1],
      ],
    ],
  }));
  const two = at.map(([x, y]): Geometry => ({
    type: 'MultiPolygon',
    coordinates: [square(x, y, 1), square(x + 1, y + 1, 1)].map((one) => (one as { coordinates: Position[][] }).coordinates),
  }));
  const line = fc.tuple(at, fc.constantFrom([3, 0], [0, 3], [2, 2], [-2, 2])).map(([[x, y], [dx, dy]]): Geometry => ({
    type: 'LineString',
    coordinates: [
      [x, y],
      [x + dx, y + dy],
    ],
  }));
  const dot = at.map(([x, y]) => point(x, y));
  const shape = fc.oneof(box, holed, two, line, dot);
  const relate = RelateOp as unknown as Record<string, (a: unknown, b: unknown) => boolean>;
  const lists = fc.tuple(fc.array(shape, { minLength: 1, maxLength: 14 }), fc.array(shape, { minLength: 1, maxLength: 14 }));

  test.each([
    ['S_INTERSECTS', (a: unknown, b: unknown) => relate.intersects(a, b)],
    ['S_WITHIN', (a: unknown, b: unknown) => relate.contains(b, a)],
    ['S_CONTAINS', (a: unknown, b: unknown) => relate.contains(a, b)],
    ['S_TOUCHES', (a: unknown, b: unknown) => relate.touches(a, b)],
    ['S_CROSSES', (a: unknown, b: unknown) => relate.crosses(a, b)],
    ['S_OVERLAPS', (a: unknown, b: unknown) => relate.overlaps(a, b)],
    ['S_EQUALS', (a: unknown, b: unknown) => relate.equalsTopo(a, b)],
  ])('%s', (name, holds) => {
    fc.assert(
      fc.property(lists, ([mine, theirs]) => {
        const kept = keptBy(`${name}(geometry, SOURCE('other'))`, sifterOf(tableOf(mine), tableOf(theirs)));
        const [own, others] = [mine, theirs].map((list) => list.map((one) => reader.read(one)));
        const expected = own.flatMap((one, row) => (others.some((other) => holds(one, other)) ? [row] : []));
        expect({ mine, theirs, kept }).toEqual({ mine, theirs, kept: expected });
      }),
      { numRuns: 120 },
    );
  });

  test('within a distance in the plane', () => {
    fc.assert(
      fc.property(lists, fc.double({ min: 0.1, max: 3, noNaN: true }), ([mine, theirs], distance) => {
        const kept = keptBy(
          `S_DWITHIN(geometry, SOURCE('other'), ${distance}, 'm', 'plane')`,
          sifterOf(tableOf(mine, UTM), tableOf(theirs, UTM)),
        );
        const away = (a: Geometry, b: Geometry) =>
          (DistanceOp as unknown as { distance(a: unknown, b: unknown): number }).distance(reader.read(a), reader.read(b));
        const near = mine.map((one) => Math.min(...theirs.map((other) => away(one, other))));
        // On the very distance the library's own rounding decides.
        const sure = near.map((least) => Math.abs(least - distance) > 1e-9);
        expect(kept.filter((row) => sure[row])).toEqual(near.flatMap((least, row) => (sure[row] && least <= distance ? [row] : [])));
      }),
      { numRuns: 60 },
    );
  });
});

const somewhere = fc.tuple(fc.double({ min: -12.2, max: -12, noNaN: true }), fc.double({ min: 46.5, max: 46.7, noNaN: true }));

test('within a distance of points on the ellipsoid, each kept once; the rest is beyond', () => {
  fc.assert(
    fc.property(
      fc.array(somewhere, { minLength: 1, maxLength: 60 }),
      fc.array(somewhere, { minLength: 1, maxLength: 60 }),
      fc.integer({ min: 100, max: 8000 }),
      (mine, theirs, metres) => {
        const sifter = sifterOf(tableOf(mine.map((at) => point(...at))), tableOf(theirs.map((at) => point(...at))));
        const near = mine.map(([lon, lat]) => Math.min(...theirs.map(([x, y]) => geodesicDistance(lon, lat, x, y))));
        expect(keptBy(`S_DWITHIN(geometry, SOURCE('other'), ${metres})`, sifter)).toEqual(
          near.flatMap((least, row) => (least <= metres ? [row] : [])),
        );
        const beyond = keptBy(`NOT S_DWITHIN(geometry, SOURCE('other'), ${metres})`, sifter);
        expect(beyond).toEqual(near.flatMap((least, row) => (least > metres ? [row] : [])));
      },
    ),
    { numRuns: 40 },
  );
});

test('the k nearest, by the distances themselves', () => {
  fc.assert(
    fc.property(
      fc.array(somewhere, { minLength: 1, maxLength: 200 }),
      fc.array(somewhere, { minLength: 1, maxLength: 5 }),
      fc.integer({ min: 1, max: 30 }),
      (mine, theirs, k) => {
        const sifter = sifterOf(tableOf(mine.map((at) => point(...at))), tableOf(theirs.map((at) => point(...at))));
        const near = mine.map(([lon, lat]) => Math.min(...theirs.map(([x, y]) => geodesicDistance(lon, lat, x, y))));
        const last = near.toSorted((a, b) => a - b)[Math.min(k, mine.length) - 1];
        const kept = keptBy(`S_NEAREST(geometry, SOURCE('other'), ${k})`, sifter);
        // Of what is as near as the last to a tenth of a micrometre, rounding decides.
        const sure = near.map((least) => Math.abs(least - last) > 1e-7);
        expect(kept.filter((row) => sure[row])).toEqual(near.flatMap((least, row) => (sure[row] && least < last ? [row] : [])));
        expect(kept.length).toBeGreaterThanOrEqual(Math.min(k, mine.length));
      },
    ),
    { numRuns: 40 },
  );
});

test('as near as the last: all of them; without a place: unknown', () => {
  const table = tableOf([point(1, 0), point(0, 1), point(-1, 0), point(5, 5), null]);
  const sifter = sifterOf(table, table);
  expect(keptBy('S_NEAREST(geometry, POINT(0 0), 1)', sifter)).toEqual([1]);
  expect(keptBy('S_NEAREST(geometry, POINT(0 0), 2)', sifter)).toEqual([0, 1, 2]);
  expect(keptBy('S_NEAREST(geometry, POINT(0 0), 9)', sifter)).toEqual([0, 1, 2, 3]);
  expect(count(unknownOf(sifter.verdict(parseFilter('S_NEAREST(geometry, POINT(0 0), 1)').expr)))).toBe(1);
});

test('at least so many percent of the area, the length or the points', () => {
  const mine = tableOf(
    [
      square(0, 0, 4),
      square(2, 0, 4),
      {
        type: 'LineString',
        coordinates: [
          [0, 1],
          [8, 1],
        ],
      },
      {
        type: 'MultiPoint',
        coordinates: [
          [1, 1],
          [2, 2],
          [9, 9],
        ],
      },
      square(20, 20, 1),
    ],
    UTM,
  );
  const theirs = tableOf([square(0, 0, 3, 4), square(2, 0, 1, 4), square(5, 0, 1, 9)], UTM);
  const sifter = sifterOf(mine, theirs);
  const share = (percent: number) => keptBy(`S_SHARE_IN(geometry, SOURCE('other'), ${percent})`, sifter);
  // 3 of 4; 1 and 1 of 4; 3 and 1 of 8; 2 of 3 – what two of theirs cover counts once.
  expect(share(50)).toEqual([0, 1, 2, 3]);
  expect(share(66)).toEqual([0, 3]);
  expect(share(75)).toEqual([0]);
  expect(share(75.1)).toEqual([]);
  const whole = sifterOf(mine, tableOf([square(0, 0, 2, 4), square(2, 0, 2, 4)], UTM));
  expect(keptBy("S_SHARE_IN(geometry, SOURCE('other'), 100)", whole)).toEqual([0]);
});

test('the share of a circle: half of a long line, a quarter of a square', () => {
  const metres = 1000;
  const step = (metres / geodesicDistance(0, 0, 1, 0)) * 1;
  const table = tableOf([
    {
      type: 'LineString',
      coordinates: [
        [0, 0],
        [2 * step, 0],
      ],
    },
    square(0, 0, step),
  ]);
  const sifter = sifterOf(table, table);
  // On the equator a quarter of the circle is π/4 of the square on its radius, but for the flattening.
  expect(keptBy("S_SHARE_IN(geometry, BUFFER(POINT(0 0), 1000, 'm'), 49.99)", sifter)).toEqual([0, 1]);
  expect(keptBy("S_SHARE_IN(geometry, BUFFER(POINT(0 0), 1000, 'm'), 50.01)", sifter)).toEqual([1]);
  expect(keptBy("S_SHARE_IN(geometry, BUFFER(POINT(0 0), 1000, 'm'), 78)", sifter)).toEqual([1]);
  expect(keptBy("S_SHARE_IN(geometry, BUFFER(POINT(0 0), 1000, 'm'), 79.5)", sifter)).toEqual([]);
});

test('the centre decides where the shape does not', () => {
  const table = tableOf([square(0, 0, 4), square(3, 0, 4), null]);
  const sifter = sifterOf(table, tableOf([square(1, 1, 2)]));
  expect(keptBy("S_INTERSECTS(geometry, SOURCE('other'))", sifter)).toEqual([0, 1]);
  expect(keptBy("S_INTERSECTS(CENTROID(geometry), SOURCE('other'))", sifter)).toEqual([0]);
  expect(keptBy("S_WITHIN(CENTROID(geometry), SOURCE('other'))", sifter)).toEqual([0]);
  expect(keptBy("S_DISJOINT(CENTROID(geometry), SOURCE('other'))", sifter)).toEqual([1]);
});

test('any of and all of several places; apart from several is meeting none', () => {
  const sifter = sifterOf(tableOf([point(1, 1), point(3, 3), point(9, 9), null]), tableOf([point(9, 9)]));
  const [a, b] = ['POLYGON((0 0, 2 0, 2 2, 0 2, 0 0))', 'POLYGON((1 1, 4 1, 4 4, 1 4, 1 1))'];
  expect(keptBy(`S_INTERSECTS(geometry, ANY_OF(${a}, ${b}))`, sifter)).toEqual([0, 1]);
  expect(keptBy(`S_INTERSECTS(geometry, ALL_OF(${a}, ${b}))`, sifter)).toEqual([0]);
  expect(keptBy(`S_DISJOINT(geometry, ANY_OF(${a}, ${b}))`, sifter)).toEqual([2]);
  expect(keptBy(`S_INTERSECTS(geometry, ANY_OF(${a}, SOURCE('other')))`, sifter)).toEqual([0, 2]);
});

test('a relation compared with TRUE or FALSE', () => {
  const sifter = sifterOf(tableOf([point(1, 1), point(9, 9), null]), tableOf([point(1, 1)]));
  const near = "S_DWITHIN(geometry, SOURCE('other'), 5)";
  expect([`${near} = TRUE`, `FALSE <> ${near}`].map((text) => keptBy(text, sifter))).toEqual([[0], [0]]);
  expect([`${near} = FALSE`, `${near} <> TRUE`].map((text) => keptBy(text, sifter))).toEqual([[1], [1]]);
});

test('only the rows that a sieve keeps take part, and what is remembered goes by them', () => {
  const [mine, theirs] = [tableOf([point(0, 0), point(5, 5)]), tableOf([square(-1, -1, 2), square(4, 4, 2)])];
  const some = sifterOf(mine, theirs, [1]);
  expect(keptBy("S_WITHIN(geometry, SOURCE('other'))", some)).toEqual([1]);
  some.operands = new Map([['SOURCE other', { key: 'all', table: theirs, rows: null }]]);
  expect(keptBy("S_WITHIN(geometry, SOURCE('other'))", some)).toEqual([0, 1]);
});

test('no feature is compared with itself', () => {
  const table = tableOf([point(0, 0), point(0, 0.001), point(5, 5), square(5, 5, 1)]);
  const same = sifterOf(table, table);
  expect(keptBy("S_DWITHIN(geometry, SOURCE('other'), 200, 'm')", same)).toEqual([0, 1, 2, 3]);
  expect(keptBy("S_DWITHIN(geometry, SOURCE('other'), 50, 'm')", same)).toEqual([2, 3]);
  expect(keptBy("S_EQUALS(geometry, SOURCE('other'))", same)).toEqual([]);
  expect(keptBy("S_SHARE_IN(geometry, SOURCE('other'), 100)", same)).toEqual([2]);
  expect(keptBy("S_NEAREST(geometry, SOURCE('other'), 2)", same)).toEqual([2, 3]);
});

test('sources in different systems meet where they are on the earth', () => {
  const utm = tableOf([point(500_000, 5_150_000), point(510_000, 5_150_000)], UTM);
  const lonLat = tableOf([square(-9.01, 46.4, 0.02, 0.2)]);
  expect(keptBy("S_WITHIN(geometry, SOURCE('other'))", sifterOf(utm, lonLat))).toEqual([0]);
  expect(keptBy("S_CONTAINS(geometry, SOURCE('other'))", sifterOf(lonLat, utm))).toEqual([0]);
  expect(keptBy("S_DWITHIN(geometry, SOURCE('other'), 10, 'km')", sifterOf(utm, lonLat))).toEqual([0, 1]);
});

test.each([
  ["S_INTERSECTS(geometry, SOURCE('othr'))", 'There is no source othr (at character 31). Did you mean other?'],
  ["S_INTERSECTS(geometry, SIEVE('x'))", 'No sieve can be named here'],
  ['S_NEAREST(geometry, POINT(1 1), 0)', 'whole number, 1 or more'],
  ["S_SHARE_IN(geometry, SOURCE('other'), 120)", 'at most 100'],
  ["S_DWITHIN(geometry, POINT(1 1), 5, 'm', 'flat')", "'plane', or left out"],
  ['S_INTERSECTS(CENTROID(other), POINT(1 1))', 'CENTROID is taken of the column geometry'],
  ["S_NEAREST(geometry, ANY_OF(POINT(1 1), SOURCE('other')), 3)", 'takes one shape'],
  ['S_INTERSECTS(geometry, ANY_OF())', 'takes at least 1 argument, not 0'],
])('%s is refused', (text, message) => {
  const line = () => {
    try {
      checkFilter(parseFilter(text), [], { operands: { sources: ['other'], sieves: [] } });
      return '';
    } catch (error) {
      return (error as FilterError).line;
    }
  };
  expect(line()).toContain(message);
});

test('a distance in the plane needs a plane', () => {
  expect(() => keptBy("S_DWITHIN(geometry, POINT(1 1), 5, 'm', 'plane')", sifterOf(tableOf([point(1, 1)]), tableOf([])))).toThrow(
    'ellipsoid',
  );
});

test('could be: true or possible by an unprecise date, not by a blank', () => {
  const builder = new TableBuilder();
  for (const planted of ['2019-03-01', '2020', '2021-05-05', null]) builder.addFeature(null, { planted });
  const sifter = new Sifter(builder.finish(), 0);
  const text = "planted < DATE('2020-06-01')";
  expect(keptBy(text, sifter)).toEqual([0]);
  expect(keptBy(`COULD_BE(${text})`, sifter)).toEqual([0, 1]);
  expect(count(unknownOf(sifter.verdict(parseFilter(`COULD_BE(${text})`).expr)))).toBe(1);
});

describe('what a condition shows of the features that it is about', () => {
  const theirs = () => {
    const builder = new TableBuilder();
    for (const [id, x] of [
      ['a', 0],
      ['b', 0.001],
      ['c', 0.5],
    ] as const)
      builder.addFeature(point(x, 0), { id, kind: 'k' });
    return builder.finish();
  };
  const shown = (text: string) => {
    const sifter = sifterOf(tableOf([point(0, 0), point(0.4, 0), null]), theirs());
    const shows = ['count', 'ids', 'nearest'] as const;
    const root = { ...emptyTree(), children: [{ kind: 'condition' as const, id: 'c', expr: parseFilter(text).expr, shows }] };
    return matchColumns(sifter, root, fullMask(3)).map(({ column }) => [column.name, [0, 1, 2].map((row) => valueAt(column, row))]);
  };
  const away = (lon: number) => Math.round(geodesicDistance(0, 0, lon, 0) * 1000) / 1000;

  test('how many, which and how far', () => {
    expect(shown("S_DWITHIN(geometry, SOURCE('other'), 200)")).toEqual([
      ['other_count', [2, 0, null]],
      ['other_ids', ['a, b', null, null]],
      ['other_nearest_m', [0, away(0.1), null]],
    ]);
    expect(shown("S_DISJOINT(geometry, SOURCE('other'))")[0]).toEqual(['other_count', [1, 0, null]]);
  });

  test('of a place, the distance', () => {
    expect(shown('S_DWITHIN(geometry, POINT(0.001 0), 20)')).toEqual([['place_nearest_m', [away(0.001), away(0.399), null]]]);
    expect(shown("a = 'x'")).toEqual([]);
  });
});

describe('the distance to the nearest of another source as a bound', () => {
  const mine = Array.from({ length: 60 }, (_, i) => point(i / 1000, 0));
  const root = (text: string) => ({ ...emptyTree(), children: [{ kind: 'condition' as const, id: 'c', expr: parseFilter(text).expr }] });
  const sifter = () => sifterOf(tableOf(mine), tableOf([point(0, 0.001), point(0.03, 0.001)]));

  test('the curve counts what each distance would keep', () => {
    const curve = boundCurve(sifter(), root("S_DWITHIN(geometry, SOURCE('other'), 1, 'km')"), 'c', 'low')!;
    for (const { at, kept } of curve.points)
      expect([at, kept]).toEqual([at, keptBy(`S_DWITHIN(geometry, SOURCE('other'), ${at}, 'km')`, sifter()).length]);
    expect(curve.points.length).toBeGreaterThan(100);
  });

  test('the nearest distance that keeps something', () => {
    const found = nearestBound(sifter(), root("S_DWITHIN(geometry, SOURCE('other'), 1, 'm')"), 'c', 'low')!;
    expect(found.kept).toBeGreaterThan(0);
    expect(found.at).toBeCloseTo(geodesicDistance(0, 0, 0, 0.001), -1);
  });

  test('why not, and by how much', () => {
    const [reason] = explainFeature(sifter(), root("S_DWITHIN(geometry, SOURCE('other'), 100, 'm')"), 10);
    expect(reason.outcome).toBe('fail');
    expect(reason.margin).toBeCloseTo(100 - geodesicDistance(0.01, 0, 0, 0.001), 3);
  });
});
