import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import GeoJSONReader from 'jsts/org/locationtech/jts/io/GeoJSONReader.js';
import RelateOp from 'jsts/org/locationtech/jts/operation/relate/RelateOp.js';
import { count, has } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { checkFilter } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { printGeometry } from '../filters/print_literal.ts';
import { Geos } from '../geos/geos.ts';
import { CRS84 } from '../crs/crs.ts';
import { Sifter, unknownOf } from './sifter.ts';

let geos: Geos;
beforeAll(async () => {
  geos = await Geos.open();
});

// The engine's answers against another implementation of DE-9IM (ISO 19125, OGC 06-103r4), on shapes that often share edges.
describe('relations, against a reference library', () => {
  const reader = new GeoJSONReader();
  const grid = fc.tuple(fc.nat(6), fc.nat(6)) as fc.Arbitrary<Position>;
  const box = fc.tuple(grid, fc.integer({ min: 1, max: 4 }), fc.integer({ min: 1, max: 4 })).map(([[x, y], w, h]): Geometry => ({
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
  }));
  // Steps along and across the grid: lines at other slopes cross where no double lies, and the library, which computes
  // with the crossings, then errs (two lines that share a segment came out as only crossing).
  const step = fc.tuple(
    fc.constantFrom(
      ...[
        [1, 0],
        [1, 1],
        [0, 1],
        [-1, 1],
        [-1, 0],
        [-1, -1],
        [0, -1],
        [1, -1],
      ],
    ),
    fc.integer({ min: 1, max: 4 }),
  );
  const line = fc
    .tuple(grid, fc.array(step, { minLength: 1, maxLength: 3 }))
    .map(([start, steps]) =>
      steps.reduce<Position[]>(
        (path, [[dx, dy], n]) => [...path, [path[path.length - 1][0] + dx * n, path[path.length - 1][1] + dy * n]],
        [start],
      ),
    )
    .filter((ps) => new Set(ps.map(String)).size === ps.length)
    .map((coordinates): Geometry => ({ type: 'LineString', coordinates }));
  const point = grid.map((coordinates): Geometry => ({ type: 'Point', coordinates }));
  const geometry = fc.oneof(box, line, point);
  // The library has contains and covers only: a lies within b where b contains a.
  const relations = [
    ['S_CONTAINS', 'contains', false],
    ['S_WITHIN', 'contains', true],
    ['S_TOUCHES', 'touches', false],
    ['S_CROSSES', 'crosses', false],
    ['S_OVERLAPS', 'overlaps', false],
    ['S_EQUALS', 'equalsTopo', false],
    ['S_COVERS', 'covers', false],
    ['S_COVEREDBY', 'covers', true],
  ] as const;

  test.each(relations)('%s', (name, relation, back) => {
    const decide = RelateOp as unknown as Record<string, (a: unknown, b: unknown) => boolean>;
    fc.assert(
      fc.property(fc.array(geometry, { minLength: 10, maxLength: 25 }), geometry, fc.boolean(), (features, literal, first) => {
        const builder = new TableBuilder();
        for (const feature of features) builder.addFeature(feature, null);
        const table = builder.finish();
        const operands = first ? `${printGeometry(literal)}, geometry` : `geometry, ${printGeometry(literal)}`;
        const parsed = parseFilter(`${name}(${operands})`);
        checkFilter(parsed, table.columns);
        const { yes } = new Sifter(table, 0, CRS84, geos).verdict(parsed.expr);
        const other = reader.read(literal);
        features.forEach((feature, row) => {
          const one = reader.read(feature);
          const [a, b] = first === back ? [one, other] : [other, one];
          const expected = decide[relation](a, b);
          expect([name, feature, literal, first, has(yes, row)]).toEqual([name, feature, literal, first, expected]);
        });
      }),
      { numRuns: 60 },
    );
  });
});

const tableOf = (records: Record<string, unknown>[]) => {
  const builder = new TableBuilder();
  for (const record of records) builder.addFeature(null, record);
  return builder.finish();
};
const counts = (text: string, records: Record<string, unknown>[]) => {
  const table = tableOf(records);
  const parsed = parseFilter(text);
  checkFilter(parsed, table.columns);
  const verdict = new Sifter(table, 0).verdict(parsed.expr);
  return [count(verdict.yes), count(unknownOf(verdict))];
};

describe('times', () => {
  // The relations of OGC 21-065r2, "Temporal Functions" (after Allen), each with an interval that has it and no other.
  const B = "INTERVAL('2020-03-01', '2020-06-30')";
  test.each([
    ['T_BEFORE', '2020-01-01', '2020-02-01'],
    ['T_AFTER', '2020-07-01', '2020-08-01'],
    ['T_MEETS', '2020-01-01', '2020-03-01'],
    ['T_METBY', '2020-06-30', '2020-09-01'],
    ['T_OVERLAPS', '2020-01-01', '2020-04-01'],
    ['T_OVERLAPPEDBY', '2020-05-01', '2020-09-01'],
    ['T_STARTS', '2020-03-01', '2020-05-01'],
    ['T_STARTEDBY', '2020-03-01', '2020-09-01'],
    ['T_FINISHES', '2020-05-01', '2020-06-30'],
    ['T_FINISHEDBY', '2020-01-01', '2020-06-30'],
    ['T_DURING', '2020-04-01', '2020-05-01'],
    ['T_CONTAINS', '2020-01-01', '2020-12-31'],
    ['T_EQUALS', '2020-03-01', '2020-06-30'],
  ])('%s holds for %s to %s and for none of the others', (name, from, to) => {
    const all = [
      'T_BEFORE',
      'T_AFTER',
      'T_MEETS',
      'T_METBY',
      'T_OVERLAPS',
      'T_OVERLAPPEDBY',
      'T_STARTS',
      'T_STARTEDBY',
      'T_FINISHES',
      'T_FINISHEDBY',
      'T_DURING',
      'T_CONTAINS',
      'T_EQUALS',
    ];
    const held = all.filter((other) => counts(`${other}(INTERVAL(a, b), ${B})`, [{ a: from, b: to }])[0] === 1);
    expect(held).toEqual([name]);
    const apart = name === 'T_BEFORE' || name === 'T_AFTER';
    expect(counts(`T_INTERSECTS(INTERVAL(a, b), ${B})`, [{ a: from, b: to }])).toEqual([apart ? 0 : 1, 0]);
    expect(counts(`T_DISJOINT(INTERVAL(a, b), ${B})`, [{ a: from, b: to }])).toEqual([apart ? 1 : 0, 0]);
  });

  test('columns against columns, open ends, and blanks', () => {
    const records = [
      { a: '2020-01-01', b: '2020-02-01' },
      { a: '2020-03-01', b: '2020-02-01' },
      { a: '2020-03-01', b: null },
    ];
    expect(counts('T_BEFORE(a, b)', records)).toEqual([1, 1]);
    expect(counts("T_INTERSECTS(INTERVAL(a, '..'), INTERVAL('2021-01-01', '..'))", records)).toEqual([3, 0]);
    expect(counts("T_CONTAINS(INTERVAL(a, b), DATE('2020-01-15'))", records)).toEqual([1, 1]);
  });
});

test('arrays, as formats without them keep them', () => {
  const records = [{ tags: ['a', 'b'] }, { tags: ['b'] }, { tags: [] }, { tags: null }, { tags: 'no array' }];
  expect(counts("A_CONTAINS(tags, ('a'))", records)).toEqual([1, 2]);
  expect(counts("A_CONTAINEDBY(tags, ('b', 'c'))", records)).toEqual([2, 2]);
  expect(counts("A_EQUALS(tags, ('b', 'a'))", records)).toEqual([1, 2]);
  expect(counts("A_OVERLAPS(tags, ('b', 'z'))", records)).toEqual([2, 2]);
  expect(counts('A_CONTAINS(tags, (1))', [{ tags: [1, 2] }, { tags: ['1'] }])).toEqual([1, 0]);
});
