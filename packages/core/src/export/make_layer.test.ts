import type { Geometry } from 'geojson';
import fc from 'fast-check';
import { CRS84, type Crs } from '../crs/crs.ts';
import { valueAt } from '../features/column.ts';
import { geometryAt, type FeatureTable } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { Geos } from '../geos/geos.ts';
import { makeTable, type Meanings } from './make_layer.ts';
import type { ColumnChoice, Recipe } from './recipe.ts';

let geos: Geos;
beforeAll(async () => {
  geos = await Geos.open();
});

const SQUARE: Geometry = {
  type: 'Polygon',
  coordinates: [
    [
      [8, 47],
      [8.001, 47],
      [8.001, 47.001],
      [8, 47.001],
      [8, 47],
    ],
  ],
};
function tableOf(rows: { kind: string | null; n: number | null; shape?: Geometry | null }[]): FeatureTable {
  const builder = new TableBuilder();
  builder.column('kind');
  builder.column('n');
  rows.forEach(({ kind, n, shape }, i) =>
    builder.addFeature(shape === undefined ? { type: 'Point', coordinates: [8 + i / 1000, 47] } : shape, { kind, n }),
  );
  return builder.finish();
}
const choice = (name: string, as = name, codes: ColumnChoice['codes'] = 'code'): ColumnChoice => ({ name, as, codes });
const recipe = (more: Partial<Recipe> = {}): Recipe => ({
  columns: [choice('kind'), choice('n')],
  shape: { kind: 'as-is' },
  crs: null,
  order: null,
  ...more,
});
const every = (table: FeatureTable) => Uint32Array.from({ length: table.rows }, (_, i) => i);
const made = (table: FeatureTable, more: Partial<Recipe> = {}, meanings: Meanings = new Map(), rows = every(table)) => {
  const result = makeTable(table, rows, recipe(more), meanings, geos);
  const cells = Array.from(result.rows, (row) => result.table.columns.map((column) => valueAt(column, row)));
  const shapes = Array.from(result.rows, (row) => geometryAt(result.table, row));
  return { ...result, names: result.table.columns.map(({ name }) => name), cells, shapes };
};
const MEANINGS: Meanings = new Map([
  [
    'kind',
    new Map([
      ['1', 'oak'],
      ['2', 'ash'],
    ]),
  ],
]);
const TREES = tableOf([
  { kind: '2', n: 3 },
  { kind: '1', n: null },
  { kind: null, n: 1 },
  { kind: '9', n: 2 },
]);

test('columns are chosen, named and ordered; codes stand beside their meanings or give way to them', () => {
  const beside = made(TREES, { columns: [choice('n', 'number'), choice('kind', 'species', 'both')] }, MEANINGS);
  expect(beside.names).toEqual(['number', 'species', 'species_meaning']);
  expect(beside.cells).toEqual([
    [3, '2', 'ash'],
    [null, '1', 'oak'],
    [1, null, null],
    [2, '9', '9'],
  ]);
  expect(beside.report.unmeant).toEqual([{ column: 'kind', values: 1 }]);
  const instead = made(TREES, { columns: [choice('kind', 'kind', 'meaning')] }, MEANINGS);
  expect(instead.cells.flat()).toEqual(['ash', 'oak', null, '9']);
  // Without a code list there are no meanings to give.
  expect(made(TREES, { columns: [choice('kind', 'kind', 'both')] }).names).toEqual(['kind']);
});

test('two columns of one name, and columns that are not there, are refused by name', () => {
  expect(() => made(TREES, { columns: [choice('kind', 'x'), choice('n', 'x')] })).toThrow('Two columns would be called x');
  expect(() => made(TREES, { columns: [choice('kind', 'a', 'both'), choice('n', 'a_meaning')] }, MEANINGS)).toThrow(
    'Two columns would be called a_meaning',
  );
  expect(() => made(TREES, { columns: [choice('gone')] })).toThrow('There is no column gone');
  expect(() => made(TREES, { order: { column: 'gone', descending: false } })).toThrow('There is no column gone');
});

test('rows are ordered with blanks last either way, equal ones as in the source; of kept rows only', () => {
  const by = (descending: boolean, rows = every(TREES)) =>
    made(TREES, { order: { column: 'n', descending } }, new Map(), rows).cells.map(([, n]) => n);
  expect(by(false)).toEqual([1, 2, 3, null]);
  expect(by(true)).toEqual([3, 2, 1, null]);
  expect(by(false, Uint32Array.of(0, 3))).toEqual([2, 3]);
});

test('an order is the stable sort of the values, whatever the rows', () => {
  const row = fc.record({ kind: fc.constant('1'), n: fc.option(fc.integer({ min: 0, max: 4 })) });
  fc.assert(
    fc.property(fc.array(row, { minLength: 1, maxLength: 40 }), fc.boolean(), (rows, descending) => {
      const table = tableOf(rows.map((one, i) => ({ ...one, kind: String(i) })));
      const expected = rows
        .map(({ n }, i) => ({ n, i }))
        .sort((a, b) => (a.n === null || b.n === null ? Number(a.n === null) - Number(b.n === null) : descending ? b.n - a.n : a.n - b.n));
      const found = made(table, { order: { column: 'n', descending } }).cells.map(([kind]) => Number(kind));
      expect(found).toEqual(expected.map(({ i }) => i));
    }),
  );
});

test('shapes as points, widened, simplified or left out go with the values of their rows', () => {
  const table = tableOf([
    { kind: 'a', n: 1, shape: SQUARE },
    { kind: 'b', n: 2, shape: null },
  ]);
  const back = { order: { column: 'n', descending: true } };
  const centre = made(table, { ...back, shape: { kind: 'centroid' } });
  expect(centre.cells.map(([kind]) => kind)).toEqual(['b', 'a']);
  expect(centre.shapes[0]).toBeNull();
  const [x, y] = (centre.shapes[1] as { coordinates: number[] }).coordinates;
  expect([x, y]).toEqual([expect.closeTo(8.0005, 9), expect.closeTo(47.0005, 9)]);
  const inside = made(table, { shape: { kind: 'inside' } }).shapes[0] as { coordinates: number[] };
  expect(inside.coordinates[0]).toBeGreaterThan(8);
  expect(inside.coordinates[0]).toBeLessThan(8.001);
  const wide = made(table, { shape: { kind: 'buffer', metres: 100 } });
  expect(wide.report.error).toBeGreaterThan(0);
  expect(wide.report.error).toBeLessThanOrEqual(0.1);
  const ring = (wide.shapes[0] as { coordinates: number[][][] }).coordinates[0];
  // A degree of latitude is 111.17 km there (common practice): 100 m are 0.0009 of it.
  expect(Math.min(...ring.map(([, lat]) => lat))).toBeCloseTo(47 - 100 / 111_170, 6);
  expect(made(table, { shape: { kind: 'none' } }).rows).toHaveLength(2);
});

test('simplifying keeps vertices of the shape itself, and no vertex left out lies farther off than the tolerance', () => {
  const line: Geometry = { type: 'LineString', coordinates: Array.from({ length: 200 }, (_, i) => [8 + i * 1e-5, 47 + (i % 2) * 1e-6]) };
  const [fewer] = made(tableOf([{ kind: 'a', n: 1, shape: line }]), { shape: { kind: 'simplify', metres: 1 } }).shapes as {
    coordinates: number[][];
  }[];
  const own = new Set(line.coordinates.map(String));
  expect(fewer.coordinates.every((position) => own.has(String(position)))).toBe(true);
  expect(fewer.coordinates).toHaveLength(2);
});

test('heights are kept as they are, told when they are lost, and a place outside a system is refused', () => {
  const table = tableOf([
    {
      kind: 'a',
      n: 1,
      shape: {
        type: 'LineString',
        coordinates: [
          [8, 47, 300],
          [8.1, 47, 310],
        ],
      },
    },
  ]);
  expect(made(table).shapes[0]).toEqual({
    type: 'LineString',
    coordinates: [
      [8, 47, 300],
      [8.1, 47, 310],
    ],
  });
  expect(made(table, { shape: { kind: 'centroid' } }).report.flattened).toBe(1);
  const mercator: Crs = {
    ...CRS84,
    name: 'EPSG:3857',
    label: 'web maps',
    definition: '+proj=merc +a=6378137 +b=6378137 +lat_ts=0 +lon_0=0 +x_0=0 +y_0=0 +k=1 +units=m +nadgrids=@null +no_defs',
  };
  const there = made(table, { crs: mercator }).shapes[0] as { coordinates: number[][] };
  expect(there.coordinates[0][0]).toBeCloseTo((8 * Math.PI * 6_378_137) / 180, 3);
  const pole = tableOf([{ kind: 'a', n: 1, shape: { type: 'Point', coordinates: [0, 90] } }]);
  expect(() => made(pole, { crs: mercator })).toThrow(/where web maps has no coordinates/);
});
