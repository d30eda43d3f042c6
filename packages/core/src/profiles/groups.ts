import { valueAt, type Column, type Value } from '../features/column.ts';
import type { Mask } from '../features/mask.ts';
import { figuresOfKeys, type Figures } from './column_profile.ts';
import { groupingOf, keysByGroup, OfAll, sizesOf } from './grouping.ts';

const ofAll = new OfAll<Figures[]>();

/** Features that have the same values, blanks among them, with figures of another column. */
export interface GroupOfFeatures {
  by: Value[];
  all: Figures;
  /** Of those, the kept ones; with no rows where none is kept. */
  kept: Figures;
}

/**
 * Figures of a column for every combination of values of others that occurs, in ascending order of those values, blanks last.
 * @param of the column that figures are of; null: only how many features there are
 * @param kept features to tell apart
 * @throws FilterError for more than 100,000 combinations
 */
export function groupsOf(rows: number, by: readonly Column[], of: Column | null, kept: Mask): GroupOfFeatures[] {
  const grouping = groupingOf(rows, by);
  const figuresOf = (some: Mask | null): Figures[] => {
    const sizes = [...sizesOf(grouping, some)];
    if (!of) return sizes.map((size) => ({ rows: size, blank: 0, min: null, max: null, mean: null, sum: null, median: null }));
    const keys = keysByGroup(grouping, of, rows, some);
    return sizes.map((size, group) => figuresOfKeys(of, size, keys[group]));
  };
  const all = ofAll.get([...by, of], () => figuresOf(null));
  const some = figuresOf(kept);
  return Array.from(grouping.sample, (row, group) => ({
    by: by.map((column) => valueAt(column, row)),
    all: all[group],
    kept: some[group],
  }));
}
