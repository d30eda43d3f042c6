import { quantile } from '../profiles/quantile.ts';
import { checkpoint } from '../checkpoint.ts';
import { dayNumber, splitDay } from '../time/calendar.ts';

/** How a run of numbers is cut into classes. */
export const BREAK_METHODS = ['natural', 'quantile', 'equal', 'deviation', 'round'] as const;
export type BreakMethod = (typeof BREAK_METHODS)[number];

/**
 * Bounds between classes, ascending and each once: a value that is a bound belongs to the class above it. There can be fewer
 * than `count - 1`, as many values can be the same, or as round steps come out.
 * @param values ascending, finite
 * @param count of classes, 2 to 9
 */
export function breaksOf(values: Float64Array, method: Exclude<BreakMethod, 'round'>, count: number): number[] {
  if (values.length === 0) return [];
  const [low, high] = [values[0], values[values.length - 1]];
  const found = {
    natural: () => naturalBreaks(values, count),
    quantile: () => range(1, count).map((i) => quantile(values, i / count)),
    equal: () => range(1, count).map((i) => low + ((high - low) * i) / count),
    deviation: () => deviations(values, count),
  }[method]();
  return cleaned(found, low, high);
}

/** Whole numbers from one up to before another. */
const range = (from: number, to: number) => Array.from({ length: Math.max(0, to - from) }, (_, i) => from + i);

/** A bound that has nothing below it makes no class. */
function cleaned(bounds: readonly number[], low: number, high: number): number[] {
  return [...new Set(bounds)].filter((bound) => bound > low && bound <= high).sort((a, b) => a - b);
}

/** One standard deviation (of a sample) wide each, about the mean: it is a bound of an even number of classes, amid one of an odd. */
function deviations(values: Float64Array, count: number): number[] {
  const mean = values.reduce((sum, value) => sum + value / values.length, 0);
  const squares = values.reduce((sum, value) => sum + (value - mean) ** 2, 0);
  const step = Math.sqrt(squares / Math.max(1, values.length - 1));
  return range(1, count).map((i) => mean + (i - count / 2) * step);
}

/**
 * The cut into classes with the least sum of squared distances from the means of the classes (Fisher 1958; Jenks 1977), found
 * exactly by dynamic programming over the distinct values (Wang and Song, The R Journal 3/2, 2011).
 */
function naturalBreaks(values: Float64Array, count: number): number[] {
  const { distinct, weights } = tallied(values);
  const n = distinct.length;
  const classes = Math.min(count, n);
  if (classes < 2) return [];
  // About the middle, so that squares of large numbers do not swallow the differences.
  const middle = distinct[n >> 1];
  const [weight, sum, square] = [0, 1, 2].map(() => new Float64Array(n + 1));
  for (let i = 0; i < n; i++) {
    const x = distinct[i] - middle;
    weight[i + 1] = weight[i] + weights[i];
    sum[i + 1] = sum[i] + weights[i] * x;
    square[i + 1] = square[i] + weights[i] * x * x;
  }
  /** Sum of squared distances from their mean of the values from one up to before another. */
  const within = (from: number, to: number) => {
    const s = sum[to] - sum[from];
    return Math.max(0, square[to] - square[from] - (s * s) / (weight[to] - weight[from]));
  };
  let least = Float64Array.from({ length: n + 1 }, (_, to) => (to === 0 ? 0 : within(0, to)));
  const starts: Uint32Array[] = [];
  for (let classNumber = 1; classNumber < classes; classNumber++) {
    const [next, start] = [new Float64Array(n + 1).fill(Infinity), new Uint32Array(n + 1)];
    // Where the last class best begins only moves on with its end: the middle is found first and halves the search for the rest.
    const fill = (low: number, high: number, first: number, last: number): void => {
      if (low > high) return;
      if (high - low > 4096) checkpoint();
      const to = (low + high) >> 1;
      for (let from = Math.max(first, classNumber); from <= Math.min(last, to - 1); from++) {
        const total = least[from] + within(from, to);
        if (total < next[to]) [next[to], start[to]] = [total, from];
      }
      fill(low, to - 1, first, start[to]);
      fill(to + 1, high, start[to], last);
    };
    fill(classNumber + 1, n, classNumber, n - 1);
    starts.push(start);
    least = next;
  }
  const bounds: number[] = [];
  let end = n;
  for (const start of starts.reverse()) {
    end = start[end];
    bounds.push(distinct[end]);
  }
  return bounds;
}

function tallied(ascending: Float64Array): { distinct: Float64Array; weights: Float64Array } {
  const [distinct, weights] = [new Float64Array(ascending.length), new Float64Array(ascending.length)];
  let size = 0;
  for (const value of ascending) {
    if (size === 0 || value !== distinct[size - 1]) distinct[size++] = value;
    weights[size - 1]++;
  }
  return { distinct: distinct.slice(0, size), weights: weights.slice(0, size) };
}

const STEPS = [1, 2, 2.5, 5, 10];

/** Bounds at whole multiples of a step of 1, 2, 2½ or 5 times a power of ten, of which there are about as many as asked for. */
export function roundBreaks(low: number, high: number, count: number): number[] {
  if (!(high > low)) return [];
  const power = 10 ** Math.floor(Math.log10((high - low) / count));
  return nearest(
    STEPS.map((step) => between(multiples(low, high, step * power), low, high)),
    count - 1,
  );
}

/** A class of its own for the largest value alone would not be round. */
const between = (bounds: readonly number[], low: number, high: number) => bounds.filter((bound) => bound > low && bound < high);

function multiples(low: number, high: number, step: number): number[] {
  const first = Math.floor(low / step) + 1;
  const last = Math.floor(high / step);
  // By the number of steps, and rounded to their digits: 3 × 0.1 is 0.3.
  return range(first, last + 1).map((i) => Number((i * step).toPrecision(12)));
}

/** Of several lists the one whose length is nearest to what is wanted, the longer of two as near. */
function nearest(lists: readonly number[][], wanted: number): number[] {
  return [...lists].sort((a, b) => Math.abs(a.length - wanted) - Math.abs(b.length - wanted) || b.length - a.length)[0];
}

/** Days, weeks from Mondays on, and months that round bounds of dates lie apart. */
const DAYS = [1, 2, 7, 14];
const MONTHS = [1, 3, 6, 12, 24, 60, 120, 240, 600, 1200];

/** The same for days since 1970-01-01: bounds at the beginnings of days, weeks, months, quarters, years, decades. */
export function calendarBreaks(low: number, high: number, count: number): number[] {
  if (!(high > low)) return [];
  // 1970-01-05 was a Monday.
  const byDays = DAYS.filter((step) => (high - low) / step < 400).map((step) =>
    range(Math.floor((low - 4) / step) + 1, Math.floor((high - 4) / step) + 1).map((i) => i * step + 4),
  );
  const monthOf = (day: number) => splitDay(day).year * 12 + splitDay(day).month - 1;
  const byMonths = MONTHS.map((step) =>
    range(Math.floor(monthOf(low) / step), Math.floor(monthOf(high) / step) + 1).map((i) =>
      dayNumber(Math.floor((i * step) / 12), ((i * step) % 12) + 1, 1),
    ),
  );
  return nearest(
    [...byDays, ...byMonths].map((bounds) => between(bounds, low, high)),
    count - 1,
  );
}
