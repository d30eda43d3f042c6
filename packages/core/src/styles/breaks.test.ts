import fc from 'fast-check';
import { ckmeans, quantileSorted, sampleStandardDeviation } from 'simple-statistics';
import { formatDay, parseDate } from '../time/calendar.ts';
import { quantile } from '../profiles/quantile.ts';
import { breaksOf, calendarBreaks, roundBreaks } from './breaks.ts';

const sorted = (values: readonly number[]) => Float64Array.from(values).sort();
const anyValues = fc.array(fc.oneof(fc.integer({ min: -20, max: 20 }), fc.double({ min: -1e4, max: 1e4, noNaN: true })), {
  minLength: 1,
  maxLength: 71,
});
const anyCount = fc.integer({ min: 2, max: 9 });

/** Sum of squared distances from the means of the classes that bounds make. */
function within(values: Float64Array, bounds: readonly number[]): number {
  const classes = new Map<number, number[]>();
  for (const value of values) {
    const at = bounds.filter((bound) => bound <= value).length;
    classes.set(at, [...(classes.get(at) ?? []), value]);
  }
  return [...classes.values()].reduce((sum, members) => {
    const mean = members.reduce((a, b) => a + b, 0) / members.length;
    return sum + members.reduce((a, b) => a + (b - mean) ** 2, 0);
  }, 0);
}

test('natural breaks are as good as those of a statistics package, which finds the best too (simple-statistics, ckmeans)', () => {
  fc.assert(
    fc.property(anyValues, anyCount, (list, count) => {
      const values = sorted(list);
      const classes = ckmeans([...values], Math.min(count, new Set(values).size));
      const theirs = within(
        values,
        classes.slice(1).map(([first]) => first),
      );
      expect(within(values, breaksOf(values, 'natural', count))).toBeLessThanOrEqual(theirs * (1 + 1e-9) + 1e-6);
    }),
    { numRuns: 300 },
  );
});

test('natural breaks of few values are the best of all there are', () => {
  fc.assert(
    fc.property(fc.uniqueArray(fc.integer({ min: 0, max: 60 }), { minLength: 3, maxLength: 9 }), (list) => {
      const values = sorted(list);
      const pairs = [...values].flatMap((a, i) => [...values].slice(i + 1).map((b) => [a, b])).filter(([a]) => a > values[0]);
      const best = Math.min(...pairs.map((bounds) => within(values, bounds)));
      expect(within(values, breaksOf(values, 'natural', 3))).toBeCloseTo(best, 6);
    }),
  );
});

test('quantiles are those of a statistics package between its own ranks, and half of the values lie on each side of the middle', () => {
  fc.assert(
    fc.property(anyValues, (list) => {
      const values = sorted(list);
      expect(quantile(values, 0.5)).toBeCloseTo(quantileSorted([...values], 0.5), 6);
      expect([quantile(values, 0), quantile(values, 1)]).toEqual([values[0], values[values.length - 1]]);
    }),
  );
  // Type 7 of Hyndman and Fan, The American Statistician 50, 1996, by its definition: 1 + (n − 1)p.
  expect(quantile(Float64Array.of(1, 2, 4, 8), 0.25)).toBe(1.75);
});

test('classes of a standard deviation lie about the mean', () => {
  const values = sorted([2, 4, 4, 4, 5, 5, 7, 9]);
  const step = sampleStandardDeviation([...values]);
  const near = (bounds: number[]) => bounds.map((bound): unknown => expect.closeTo(bound, 12));
  expect(breaksOf(values, 'deviation', 4)).toEqual(near([5 - step, 5, 5 + step]));
  expect(breaksOf(values, 'deviation', 3)).toEqual(near([5 - step / 2, 5 + step / 2]));
});

test('equal intervals, and fewer bounds where there is nothing to tell apart', () => {
  expect(breaksOf(Float64Array.of(0, 1, 10), 'equal', 5)).toEqual([2, 4, 6, 8]);
  expect(breaksOf(Float64Array.of(3, 3, 3), 'quantile', 5)).toEqual([]);
  expect(breaksOf(new Float64Array(0), 'natural', 5)).toEqual([]);
  expect(breaksOf(Float64Array.of(1, 1, 1, 1, 2), 'quantile', 4)).toEqual([]);
});

test('whatever the method, bounds ascend, each has values on both sides, and there are not more than asked for', () => {
  fc.assert(
    fc.property(anyValues, anyCount, fc.constantFrom('natural', 'quantile', 'equal', 'deviation'), (list, count, method) => {
      const values = sorted(list);
      const bounds = breaksOf(values, method, count);
      expect(bounds.length).toBeLessThan(count);
      expect(bounds).toEqual([...new Set(bounds)].sort((a, b) => a - b));
      for (const bound of bounds) {
        expect(values[0]).toBeLessThan(bound);
        expect(values[values.length - 1]).toBeGreaterThanOrEqual(bound);
      }
    }),
  );
});

test.each([
  [0, 100, 5, [20, 40, 60, 80]],
  [3, 97, 5, [20, 40, 60, 80]],
  [0.12, 0.61, 5, [0.2, 0.3, 0.4, 0.5, 0.6]],
  [-1200, 900, 4, [-1000, -500, 0, 500]],
  [5, 5, 5, []],
])('round steps from %d to %d in about %d classes: %j', (low, high, count, bounds) =>
  expect(roundBreaks(low, high, count)).toEqual(bounds),
);

test.each([
  ['1951-03-02', '2024-11-20', 5, ['1960-01-01', '1980-01-01', '2000-01-01', '2020-01-01']],
  ['2024-01-15', '2024-12-20', 4, ['2024-04-01', '2024-07-01', '2024-10-01']],
  ['2024-06-03', '2024-06-30', 4, ['2024-06-10', '2024-06-17', '2024-06-24']],
])('dates from %s to %s in about %d classes: %j', (from, to, count, bounds) => {
  const [low, high] = [from, to].map((text) => parseDate(text)!.day);
  expect(calendarBreaks(low, high, count).map((day) => formatDay(day))).toEqual(bounds);
});
