import { maskOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { distinctValues, histogram, summarise } from './profile.ts';

const builder = new TableBuilder();
const records = [
  { t: 'b', n: 0, d: '2020-01-01' },
  { t: 'a', n: 10, d: '2020-01-31' },
  { t: 'b', n: 5, d: null },
  { t: '', n: null, d: '2020-01-11' },
];
for (const record of records) builder.addFeature(null, record);
const { columns, rows } = builder.finish();
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
  expect(histogram(n, 2, maskOf([1], rows))).toEqual({ low: 0, high: 10, all: [1, 2], kept: [0, 1] });
  expect(histogram(d, 3, null)!.all).toEqual([1, 1, 1]);
  expect(histogram(t, 3, null)).toBeNull();
});

test('blanks of both kinds are counted apart', () => {
  expect(summarise(t, rows)).toEqual({ nulls: 0, empty: 1, distinct: 3, min: '', max: 'b' });
  expect(summarise(n, rows)).toEqual({ nulls: 1, empty: 0, distinct: 3, min: 0, max: 10 });
  expect(summarise(d, rows)).toMatchObject({ nulls: 1, min: '2020-01-01', max: '2020-01-31' });
});
