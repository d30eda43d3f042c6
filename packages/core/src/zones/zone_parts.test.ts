import fc from 'fast-check';
import { CRS84 } from '../crs/crs.ts';
import { valueAt, type Value } from '../features/column.ts';
import { rowsOf } from '../features/mask.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { parseFilter } from '../filters/parser.ts';
import { Sifter } from '../sifting/sifter.ts';
import { figureInWords } from './figure_words.ts';
import { membershipOf } from './membership.ts';
import { zoneFigure, zoneFigureType, type ZoneFigure } from './zone_figures.ts';
import { spreadValues, spreadValueInWords, type SpreadBy, type ZonePart } from './zone_parts.ts';

interface Row {
  x: number;
  s: string | null;
  d: string | null;
  t: string | null;
}
function tableOf(rows: readonly Row[]): FeatureTable {
  const builder = new TableBuilder();
  for (const name of ['s', 'd', 't']) builder.column(name);
  for (const { x, ...values } of rows) builder.addFeature({ type: 'Point', coordinates: [x, 0.5] }, values);
  return builder.finish();
}
const builder = new TableBuilder();
for (const x of [0, 1, 2]) {
  const ring = [
    [x, 0],
    [x + 1, 0],
    [x + 1, 1],
    [x, 1],
    [x, 0],
  ];
  builder.addFeature({ type: 'Polygon', coordinates: [ring] }, {});
}
const zones = builder.finish();
const PLAIN: ZoneFigure = { kind: 'count', column: null, weight: null, unit: null, several: 'each' };
function figure(features: FeatureTable, more: Partial<ZoneFigure>): Value[] {
  const column = zoneFigure(features, membershipOf(features, zones, null), null, { ...PLAIN, ...more }, 'made');
  return Array.from({ length: zones.rows }, (_, row) => valueAt(column, row));
}
const valuesOf = (table: FeatureTable, name: string, by: SpreadBy) => spreadValues(columnNamed(table, name)!, table.rows, by).values;

const some = tableOf([
  { x: 0.5, s: 'ash', d: '2019-05-01', t: '2019-12-31T23:30:00-02:00' },
  { x: 0.6, s: 'ash', d: '2019', t: '2020-01-01T00:30:00+02:00' },
  { x: 1.5, s: '', d: '2020-05', t: null },
  { x: 1.6, s: null, d: null, t: null },
  { x: 9, s: 'elm', d: '2020-01-02', t: null },
]);

test('values are told apart as they are, times by year and month in UTC; what is blank or not known so closely comes last', () => {
  expect(valuesOf(some, 's', 'value')).toEqual(['', 'ash', 'elm', null]);
  expect(valuesOf(some, 'd', 'year')).toEqual([2019, 2020, null]);
  expect(valuesOf(some, 'd', 'month')).toEqual(['2019-05', '2020-01', '2020-05', null]);
  expect(valuesOf(some, 'd', 'monthOfYear')).toEqual([1, 5, null]);
  expect(valuesOf(some, 't', 'year')).toEqual([2019, 2020, null]);
  expect(() => zoneFigureType(some.columns, { ...PLAIN, part: { column: 's', by: 'year', values: [2019], others: false } })).toThrow(
    's holds no times',
  );
  expect(() => zoneFigureType(some.columns, { ...PLAIN, part: { column: 'q', by: 'value', values: [], others: false } })).toThrow(
    'There is no column q',
  );
});

test('a figure of a part; its share is of all that lie in the zone', () => {
  const part = (values: Value[], others = false): ZonePart => ({ column: 's', by: 'value', values, others });
  expect(figure(some, { part: part(['ash']) })).toEqual([2, 0, 0]);
  expect(figure(some, { part: part(['ash'], true) })).toEqual([0, 2, 0]);
  expect(figure(some, { part: part([null, '']) })).toEqual([0, 2, 0]);
  expect(figure(some, { kind: 'share', part: part([null]) })).toEqual([0, 0.5, null]);
  expect(figure(some, { kind: 'max', column: 'd', part: { column: 'd', by: 'year', values: [2019], others: false } })).toEqual([
    '2019-05-01',
    null,
    null,
  ]);
});

test('in words', () => {
  const of = (part: ZonePart) => figureInWords({ ...PLAIN, part }, 'Trees');
  expect(of({ column: 's', by: 'value', values: ['ash'], others: false })).toBe('number of Trees whose s is ash in each zone');
  expect(of({ column: 'd', by: 'month', values: ['2019-05'], others: false })).toBe(
    'number of Trees whose month of d is May 2019 in each zone',
  );
  expect(of({ column: 'd', by: 'year', values: [2019, null], others: true })).toBe(
    'number of Trees whose year of d is none of 2019, not known in each zone',
  );
  expect(spreadValueInWords(12, 'monthOfYear')).toBe('December');
  expect([null, '', true, 7].map((value) => spreadValueInWords(value, 'value'))).toEqual(['blank', 'empty text', 'yes', '7']);
});

test('parts and all others make the whole, and each is what the filter language keeps', () => {
  const row: fc.Arbitrary<Row> = fc.record({
    x: fc.integer({ min: 0, max: 6 }).map((x) => x / 2 + 0.25),
    s: fc.constantFrom('a', 'b', '', null),
    d: fc.constantFrom('2019', '2019-02', '2019-02-03', '2021-02-01', '2021-12-31', null),
    t: fc.constantFrom('2019-12-31T23:59:59Z', '2019-12-31T23:59:59-01:00', '2020-06-01T00:00:00+03:00', null),
  });
  const filters: Record<SpreadBy, (name: string, value: Value) => string> = {
    value: (name, value) => (value === null ? `${name} IS NULL` : `${name} = '${value}'`),
    year: (name, value) => (value === null ? `${name} IS NULL` : `YEAR(${name}) = ${value}`),
    month: (name, value) => `YEAR(${name}) = ${String(value).slice(0, 4)} AND MONTH(${name}) = ${Number(String(value).slice(5))}`,
    monthOfYear: (name, value) => `MONTH(${name}) = ${value}`,
  };
  const spread = fc.constantFrom<[string, SpreadBy][]>(
    ['s', 'value'],
    ['d', 'year'],
    ['d', 'month'],
    ['d', 'monthOfYear'],
    ['t', 'year'],
    ['t', 'month'],
  );
  fc.assert(
    fc.property(fc.array(row, { minLength: 1, maxLength: 40 }), spread, fc.nat(4), (random, [column, by], named) => {
      // The first tells the types.
      const rows: Row[] = [{ x: 9, s: 'z', d: '2001-01-01', t: '2001-01-01T00:00:00Z' }, ...random];
      const table = tableOf(rows);
      const values = valuesOf(table, column, by);
      const chosen = values.slice(0, named);
      const whole = figure(table, {});
      const parts = chosen.map((value) => figure(table, { part: { column, by, values: [value], others: false } }));
      const others = figure(table, { part: { column, by, values: chosen, others: true } });
      whole.forEach((count, zone) => {
        expect([...parts, others].reduce((sum, part) => sum + Number(part[zone]), 0)).toBe(count);
      });
      chosen.forEach((value, i) => {
        if (value === null && by !== 'value' && by !== 'year') return;
        const { yes } = new Sifter(table, 0, CRS84).verdict(parseFilter(filters[by](column, value)).expr);
        const kept = [0, 1, 2].map((x) => [...rowsOf(yes)].filter((at) => rows[at].x >= x && rows[at].x <= x + 1).length);
        expect(parts[i]).toEqual(kept);
      });
    }),
    { numRuns: 80 },
  );
});
