import fc from 'fast-check';
import type { Geometry } from 'geojson';
import { compareRows, CHUNK_ROWS, valueAt } from './column.ts';
import { plainNumber } from './column_builder.ts';
import { compareCodePoints, Dictionary } from './dictionary.ts';
import { and, andNot, count, countAnd, fullMask, maskOf, not, or, rowsOf } from './mask.ts';
import { pack, unpack } from './packed.ts';
import { takeRows } from './subset.ts';
import { lonLatExtentOf } from '../crs/lon_lat_view.ts';
import { columnNamed, geometryAt, type FeatureTable } from './table.ts';
import { TableBuilder } from './table_builder.ts';

const rowSet = fc.array(fc.nat(199), { maxLength: 150 }).map((rows) => new Set(rows));

test('masks are sets', () => {
  fc.assert(
    fc.property(rowSet, rowSet, (a, b) => {
      const [x, y] = [maskOf(a, 200), maskOf(b, 200)];
      const rows = Array.from({ length: 200 }, (_, i) => i);
      expect([...rowsOf(and(x, y))]).toEqual(rows.filter((r) => a.has(r) && b.has(r)));
      expect([...rowsOf(or(x, y))]).toEqual(rows.filter((r) => a.has(r) || b.has(r)));
      expect([...rowsOf(andNot(x, y))]).toEqual(rows.filter((r) => a.has(r) && !b.has(r)));
      expect(count(not(x, 200))).toBe(200 - a.size);
      expect(countAnd(x, y)).toBe(count(and(x, y)));
    }),
  );
  expect(count(fullMask(33))).toBe(33);
  expect(count(fullMask(0))).toBe(0);
});

test('texts are ordered by code point, not by UTF-16 unit', () => {
  expect(compareCodePoints('\u{1F333}', '\uFF5E')).toBeGreaterThan(0);
  fc.assert(
    fc.property(fc.string({ unit: 'binary' }), fc.string({ unit: 'binary' }), (a, b) => {
      expect(Math.sign(compareCodePoints(a, b))).toBe(Math.sign(Buffer.compare(Buffer.from(a), Buffer.from(b))));
    }),
  );
  const dictionary = Dictionary.of(['', 'Oak', 'oak', 'œuf']);
  expect([dictionary.find('oak'), dictionary.find('elm'), dictionary.rank('a'), dictionary.rank('oak', true)]).toEqual([2, -1, 2, 3]);
});

test('packed arrays come back as they were, also from an odd place in a buffer', () => {
  const bytes = pack([Uint8Array.of(1, 2, 3), Float64Array.of(1.5, -0), new Uint32Array(0), Int32Array.of(-7)]);
  const shifted = new Uint8Array(bytes.length + 3);
  shifted.set(bytes, 3);
  for (const input of [bytes, shifted.subarray(3)]) {
    expect(unpack(input)).toEqual([Uint8Array.of(1, 2, 3), Float64Array.of(1.5, -0), new Uint32Array(0), Int32Array.of(-7)]);
  }
});

test.each([
  ['12', 12],
  ['-0.5', -0.5],
  ['1e3', 1000],
  ['.5', 0.5],
  ['0142', null], // a use code: leading zeros would be lost
  ['+3', null],
  ['12345678901234567890', null], // more digits than a double holds
  ['0.1234567890123456789', null],
  ['NaN', null],
  ['Infinity', null],
  ['1,5', null],
  ['', null],
])('plain number %s', (text, value) => expect(plainNumber(text)).toBe(value));

function tableOf(records: Record<string, unknown>[]): FeatureTable {
  const builder = new TableBuilder();
  for (const record of records) builder.addFeature(null, record);
  return builder.finish();
}
const typeOf = (values: unknown[]) => tableOf(values.map((v) => ({ v }))).columns[0].type;

describe('column types come from all values', () => {
  test.each<[string, unknown[], string]>([
    ['numbers', [1, 2.5, null], 'number'],
    ['numbers with an empty text', [1, '', 2], 'number'],
    ['a late text', [1, 2, 'n/a'], 'text'],
    ['booleans', [true, null], 'boolean'],
    ['booleans and numbers', [true, 1], 'text'],
    ['dates', ['2020-02-29', '', null], 'date'],
    ['dates and years', ['2020-02-29', '1987', '1990-05'], 'date'],
    ['years only', ['1987', '1990'], 'text'],
    ['no such day', ['2021-02-29'], 'text'],
    ['date-times', ['2020-02-29T12:00:00Z', '2020-02-29T12:00:00+02:00'], 'datetime'],
    ['dates and date-times', ['2020-02-29', '2020-02-29T12:00:00Z'], 'text'],
    ['texts that look like numbers', ['12', '13'], 'text'],
    ['nothing', [null], 'text'],
  ])('%s', (_what, values, type) => expect(typeOf(values)).toBe(type));
});

test('values come back as they were, whatever the type turned out to be', () => {
  const value = fc.oneof(
    fc.integer(),
    fc.double({ noNaN: true, noDefaultInfinity: true }),
    fc.string(),
    fc.boolean(),
    fc.constant(null),
    fc.constantFrom('2020-01-01', '1999'),
  );
  fc.assert(
    fc.property(fc.array(value, { minLength: 1, maxLength: 30 }), (values) => {
      const column = columnNamed(tableOf(values.map((v) => ({ v }))), 'v')!;
      const back = values.map((_, row) => valueAt(column, row));
      const expected = values.map((v) => (column.type === 'text' && v !== null ? String(v) : v === '' ? null : v));
      expect(back).toEqual(expected);
    }),
    { numRuns: 300 },
  );
});

test('odd column names are names like any other', () => {
  const record = JSON.parse('{"__proto__": 1, "constructor": 2, "a \\"b\\"": 3, "": 4}') as Record<string, unknown>;
  const table = tableOf([record]);
  expect(table.columns.map((column) => [column.name, valueAt(column, 0)])).toEqual([
    ['__proto__', 1],
    ['constructor', 2],
    ['a "b"', 3],
    ['', 4],
  ]);
});

const shapes: (Geometry | null)[] = [
  { type: 'Point', coordinates: [1, 2, 3] },
  null,
  { type: 'Point', coordinates: [] },
  {
    type: 'LineString',
    coordinates: [
      [0, 0],
      [1, 1],
    ],
  },
  {
    type: 'Polygon',
    coordinates: [
      [
        [0, 0],
        [4, 0],
        [4, 4],
        [0, 0],
      ],
      [
        [1, 0.5],
        [2, 0.5],
        [2, 1],
        [1, 0.5],
      ],
    ],
  },
  {
    type: 'MultiPoint',
    coordinates: [
      [5, 6],
      [7, 8],
    ],
  },
  {
    type: 'MultiPolygon',
    coordinates: [
      [
        [
          [0, 0],
          [1, 0],
          [1, 1],
          [0, 0],
        ],
      ],
      [
        [
          [5, 5],
          [6, 5],
          [6, 6],
          [5, 5],
        ],
      ],
    ],
  },
  {
    type: 'GeometryCollection',
    geometries: [
      { type: 'Point', coordinates: [9, 9] },
      {
        type: 'LineString',
        coordinates: [
          [1, 1],
          [2, 2],
        ],
      },
    ],
  },
];

test('geometries come back as they were, also from a subset', () => {
  const builder = new TableBuilder();
  shapes.forEach((shape, i) => builder.addFeature(shape, { i }));
  const table = builder.finish();
  expect(shapes.map((_, row) => geometryAt(table, row))).toEqual(shapes);
  expect(lonLatExtentOf(table)).toEqual([0, 0, 9, 9]);
  const part = takeRows(table, Uint32Array.of(7, 1, 4));
  expect([0, 1, 2].map((row) => geometryAt(part, row))).toEqual([shapes[7], shapes[1], shapes[4]]);
  expect([0, 1, 2].map((row) => valueAt(part.columns[0], row))).toEqual([7, 1, 4]);
});

test('chunks meet without a seam', () => {
  const builder = new TableBuilder();
  const rows = CHUNK_ROWS + 100;
  for (let i = 0; i < rows; i++)
    builder.addFeature({ type: 'Point', coordinates: [i % 180, 0] }, i % 3 === 0 ? { t: `x${i % 7}` } : { n: i, t: null });
  const table = builder.finish();
  expect(table.geometry).toHaveLength(2);
  for (const row of [0, 1, CHUNK_ROWS - 1, CHUNK_ROWS, CHUNK_ROWS + 1, rows - 1]) {
    expect(valueAt(columnNamed(table, 'n')!, row)).toBe(row % 3 === 0 ? null : row);
    expect(valueAt(columnNamed(table, 't')!, row)).toBe(row % 3 === 0 ? `x${row % 7}` : null);
    expect(geometryAt(table, row)).toEqual({ type: 'Point', coordinates: [row % 180, 0] });
  }
});

test('rows are sorted by value with missing ones last', () => {
  const table = tableOf([{ v: 3 }, { v: null }, { v: 1 }, { v: 3 }, { v: 2 }]);
  const order = (descending: boolean) => [0, 1, 2, 3, 4].sort(compareRows(table.columns[0], descending));
  expect(order(false)).toEqual([2, 4, 0, 3, 1]);
  expect(order(true)).toEqual([0, 3, 4, 2, 1]);
});
