import { quantileSorted } from 'd3';
import fc from 'fast-check';
import { maskOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { boxesOf, spreadOf } from './boxes.ts';
import { pairsOf } from './pairs.ts';
import { valueOrder } from './value_order.ts';

// D3's quantiles are those of R's default, definition 7 of Hyndman and Fan (d3-array's documentation of `quantile`).
test('quartiles are those of a reference library, and whiskers end at values within one and a half boxes', () => {
  fc.assert(
    fc.property(fc.array(fc.double({ min: -1e9, max: 1e9, noNaN: true }), { minLength: 1, maxLength: 70 }), (numbers) => {
      const sorted = Float64Array.from(numbers).sort();
      const spread = spreadOf(sorted)!;
      [spread.lower, spread.median, spread.upper].forEach((value, i) => {
        expect(value).toBeCloseTo(quantileSorted([...sorted], (i + 1) / 4)!, 5);
      });
      const reach = 1.5 * (spread.upper - spread.lower);
      const near = [...sorted].filter((value) => value >= spread.lower - reach && value <= spread.upper + reach);
      expect([spread.low, spread.high]).toEqual([near[0], near[near.length - 1]]);
      expect([spread.count, spread.least, spread.most]).toEqual([sorted.length, sorted[0], sorted[sorted.length - 1]]);
    }),
  );
  expect(spreadOf(new Float64Array(0))).toBeNull();
  // Apart by more than a double holds.
  expect(spreadOf(Float64Array.of(-1.7e308, 1.7e308))).toMatchObject({ median: 0, low: -1.7e308, high: 1.7e308 });
});

function tableOf(records: Record<string, unknown>[]) {
  const builder = new TableBuilder();
  for (const record of records) builder.addFeature(null, record);
  return builder.finish();
}

test('a box a value, blanks last, and kept ones apart; of no column one box of all', () => {
  const { columns, rows } = tableOf([
    { t: 'b', n: 1 },
    { t: 'a', n: 10 },
    { t: 'b', n: 3 },
    { t: null, n: 7 },
    { t: 'a', n: null },
    { t: 'c', n: null },
  ]);
  const [t, n] = columns;
  const boxes = boxesOf(rows, t, n, maskOf([0, 3, 4], rows));
  expect(boxes.map(({ by, all, kept }) => [by, all?.count, kept?.median])).toEqual([
    ['a', 1, undefined],
    ['b', 2, 1],
    ['c', undefined, undefined],
    [null, 1, 7],
  ]);
  expect(boxesOf(rows, null, n, maskOf([1], rows))).toMatchObject([{ by: null, all: { count: 4, median: 5 }, kept: { median: 10 } }]);
  const { rows: ordered, keys } = valueOrder(n, rows);
  expect([[...ordered], [...keys]]).toEqual([
    [0, 2, 3, 1],
    [1, 3, 7, 10],
  ]);
});

test('pairs count only what has both values; cells without a feature are not told', () => {
  const { columns, rows } = tableOf([
    { x: 0, y: 0.5 },
    { x: 9, y: 2.5 },
    { x: 9, y: 2.4 },
    { x: 4, y: null },
    { x: null, y: 1 },
  ]);
  const [x, y] = columns;
  expect(pairsOf(x, y, [5, 2], maskOf([1, 3, 4], rows))).toEqual({
    x: { low: 0, high: 10, whole: true, bins: 5 },
    y: { low: 0.5, high: 2.5, whole: false, bins: 2 },
    cells: [
      [0, 0, 1, 0],
      [4, 1, 2, 1],
    ],
  });
});
