import { valueAt, type Column, type Value } from '../features/column.ts';
import type { Mask } from '../features/mask.ts';
import { groupingOf, keysByGroup, OfAll } from './grouping.ts';
import { quantile } from './quantile.ts';

const ofAll = new OfAll<(Spread | null)[]>();

/** How values spread. Times as days or milliseconds since 1970-01-01. */
export interface Spread {
  count: number;
  least: number;
  /** The smallest and largest value no farther from the box than 1.5 times its length (J. W. Tukey, Exploratory Data Analysis, 1977). */
  low: number;
  /** Quartiles by definition 7 of R. J. Hyndman and Y. Fan, Sample Quantiles in Statistical Packages (1996). */
  lower: number;
  median: number;
  upper: number;
  high: number;
  most: number;
}

/** The spread of a column among the features of one value of another. */
export interface SpreadOfGroup {
  by: Value;
  /** Null where no feature has a value. */
  all: Spread | null;
  kept: Spread | null;
}

/**
 * How a column of numbers or times spreads for each value of another, in ascending order of those, blanks last.
 * @param by null: one group of all features
 * @throws FilterError for more than 100,000 values
 */
export function boxesOf(rows: number, by: Column | null, of: Column, kept: Mask): SpreadOfGroup[] {
  const grouping = groupingOf(rows, by ? [by] : []);
  const all = ofAll.get([by, of], () => keysByGroup(grouping, of, rows, null).map(spreadOf));
  const some = keysByGroup(grouping, of, rows, kept);
  return Array.from(grouping.sample, (row, group) => ({
    by: by && valueAt(by, row),
    all: all[group],
    kept: spreadOf(some[group]),
  }));
}

/** @param sorted values, ascending */
export function spreadOf(sorted: Float64Array): Spread | null {
  if (sorted.length === 0) return null;
  const [lower, median, upper] = [0.25, 0.5, 0.75].map((part) => quantile(sorted, part));
  const reach = 1.5 * (upper - lower);
  const last = sorted.length - 1;
  return {
    count: sorted.length,
    least: sorted[0],
    low: sorted.find((value) => value >= lower - reach) ?? sorted[0],
    lower,
    median,
    upper,
    high: sorted.findLast((value) => value <= upper + reach) ?? sorted[last],
    most: sorted[last],
  };
}
