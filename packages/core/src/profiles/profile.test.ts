import fc from 'fast-check';
import { maskOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { figuresOf } from './column_profile.ts';
import { distinctValues, histogram, summarise } from './profile.ts';

const builder = new TableBuilder();
const records = [
  { t: 'b', n: 0, d: '2020-01-01' },
  { t: 'a', n: 10, d: '2020-01-31' },
  { t: 'b', n: 5, d: null },
  { t: '', n: null, d: '2020-01-11' },
];
for (const record of records) builder.addFeature(null, record);
const finished = builder.finish();
const { columns, rows } = finished;
const [t, n, d] = columns;

test('every value is listed with its counts, most frequent first', () => {
  expect(distinctValues(t, rows, maskOf([0, 1], rows))).toEqual([
    { value: 'b', count: 2, kept: 1 },
    { value: '', count: 1, kept: 0 },
    { value: 'a', count: 1, kept: 1 },
  ]);
  expect(distinctValues(n, rows, null).map(({ value }) => value)).toEqual([0, 5, 10]);
});

test('histograms cover all values, the largest in the last bin', () => {
  expect(histogram(n, 2, maskOf([1], rows))).toEqual({ low: 0, high: 12, whole: true, all: [2, 1], kept: [0, 1] });
  expect(histogram(d, 3, null)!.all).toEqual([2, 0, 1]);
  expect(histogram(t, 3, null)).toBeNull();
});

test('bins of whole numbers hold equally many of them: no comb where there is none in the data', () => {
  const even = new TableBuilder();
  for (let i = 0; i <= 100; i++) for (let times = 0; times < 3; times++) even.addFeature(null, { n: i });
  const { all, low, high, whole } = histogram(even.finish().columns[0], 73, null)!;
  expect([low, high, whole]).toEqual([0, 102, true]);
  // Two numbers a bin, and the one that is left over in the last.
  expect(all).toEqual([...Array<number>(50).fill(6), 3]);
  const broken = new TableBuilder();
  for (const n of [0, 0.5, 1]) broken.addFeature(null, { n });
  expect(histogram(broken.finish().columns[0], 4, null)).toMatchObject({ low: 0, high: 1, whole: false, all: [1, 0, 1, 1] });
});

test('blanks of both kinds are counted apart', () => {
  expect(summarise(t, rows)).toEqual({ nulls: 0, empty: 1, distinct: 3, min: '', max: 'b' });
  expect(summarise(n, rows)).toEqual({ nulls: 1, empty: 0, distinct: 3, min: 0, max: 10 });
  expect(summarise(d, rows)).toMatchObject({ nulls: 1, min: '2020-01-01', max: '2020-01-31' });
});

test('a small question: one column of some features in a few numbers', () => {
  const table = finished;
  const mask = maskOf([0, 1, 3], table.rows);
  expect(figuresOf(table, table.columns[1], mask)).toEqual({ rows: 3, blank: 1, min: 0, max: 10, mean: 5, sum: 10, median: 5 });
  expect(figuresOf(table, table.columns[2], null)).toMatchObject({
    rows: 4,
    blank: 1,
    min: '2020-01-01',
    max: '2020-01-31',
    median: '2020-01-11',
    sum: null,
  });
  expect(figuresOf(table, table.columns[0], mask)).toMatchObject({ rows: 3, blank: 1, min: 'a', max: 'b' });
  expect(figuresOf(table, table.columns[1], maskOf([], table.rows))).toMatchObject({ rows: 0, blank: 0, min: null, mean: null });
});

test('figures of any numbers are those of plain arithmetic', () => {
  fc.assert(
    fc.property(fc.array(fc.option(fc.integer({ min: -1000, max: 1000 })), { minLength: 1, maxLength: 40 }), (values) => {
      const builder = new TableBuilder();
      for (const v of values) builder.addFeature(null, { v, other: 1 });
      const table = builder.finish();
      const known = values.filter((v) => v !== null).sort((a, b) => a - b);
      const figures = figuresOf(
        table,
        table.columns.find(({ name }) => name === 'v')!,
        null,
      );
      expect(figures.blank).toBe(values.length - known.length);
      if (known.length === 0) return;
      const sum = known.reduce((a, b) => a + b, 0);
      const middle = known.length >> 1;
      const median = known.length % 2 ? known[middle] : (known[middle - 1] + known[middle]) / 2;
      expect(figures).toMatchObject({
        min: known[0],
        max: known[known.length - 1],
        sum,
        mean: sum / known.length,
        median,
      });
    }),
  );
});
