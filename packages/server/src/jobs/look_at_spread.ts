import { checkAtTimes, checkSpread, columnNamed, FilterError, has, spreadValues } from '@clean-sieve/core';
import type { SpreadLook, SpreadLookRequest } from '../api/contract.ts';
import { geos } from '../export/kept_of_source.ts';
import { openSources } from '../sifting/named_operands.ts';
import { entities, type Store } from '../store/store.ts';
import { calledOf, zonedFeatures } from './derive_columns.ts';

/** Values told of a column. */
const MOST_VALUES = 200;

/** The values that features are told apart by, and how many have each. Throws a FilterError where they cannot be. */
export async function lookAtSpread(
  orm: Store,
  { features, column: name, by }: SpreadLookRequest,
  asOf: number,
  report: (share: number, progress: string) => void,
): Promise<SpreadLook> {
  const open = await openSources(orm, asOf, await geos.get());
  checkAtTimes(() => report(0.5, `Telling the values of ${name} apart`));
  try {
    const { table, kept } = await zonedFeatures(open, { ...features, called: await calledOf(entities(orm), features) });
    const column = columnNamed(table, name);
    if (!column) throw new FilterError(`There is no column ${name}`);
    checkSpread(column, by);
    const { values, of } = spreadValues(column, table.rows, by);
    const counts = new Uint32Array(values.length);
    of.forEach((value, row) => {
      if (kept === null || has(kept, row)) counts[value]++;
    });
    const told = values.map((value, i) => ({ value, rows: counts[i] })).filter(({ rows }) => rows > 0);
    const least = told.map(({ rows }) => rows).sort((a, b) => b - a)[MOST_VALUES - 1] ?? 0;
    return {
      values: told.filter(({ rows }) => rows >= least).slice(0, MOST_VALUES),
      distinct: told.length,
      rows: told.reduce((sum, { rows }) => sum + rows, 0),
    };
  } finally {
    checkAtTimes(null);
  }
}
