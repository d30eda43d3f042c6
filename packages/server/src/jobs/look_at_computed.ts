import {
  checkAtTimes,
  checkComputed,
  columnNamed,
  computedColumn,
  CRS84,
  madeFrom,
  profileOf,
  Sifter,
  valueAt,
  type Expr,
} from '@clean-sieve/core';
import type { ComputedLook } from '../api/contract.ts';
import { entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';

/** Features told with a value, and without one. */
const WITH_VALUE = 8;
const WITHOUT = 4;
/** Different values that are told. */
const MOST_VALUES = 40;

/** What an expression gives of all features, before it is kept. Throws a FilterError where it cannot be computed. */
export async function lookAtComputed(
  orm: Store,
  { sourceId, expr, asOf }: { sourceId: number; expr: Expr; asOf: number },
  report: (share: number, progress: string) => void,
): Promise<ComputedLook> {
  const table = await loadTable(entities(orm), sourceId);
  checkAtTimes(() => report(0.5, `Computing it for ${table.rows.toLocaleString('en-GB')} features`));
  try {
    const type = checkComputed(expr, table);
    const { column, blanks } = computedColumn(new Sifter(table, asOf, CRS84), expr, 'preview', type);
    const from = madeFrom({ kind: 'computed', expr, unit: null, asOf: null }).filter((name) => columnNamed(table, name));
    const columns = from.map((name) => columnNamed(table, name)!);
    const samples: ComputedLook['samples'] = [];
    let [present, blank] = [0, 0];
    for (let row = 0; row < table.rows && (present < WITH_VALUE || blank < WITHOUT); row++) {
      const value = valueAt(column, row);
      if (value === null ? ++blank > WITHOUT : ++present > WITH_VALUE) continue;
      samples.push({ key: row, given: columns.map((one) => valueAt(one, row)), value });
    }
    const profile = profileOf(table, column);
    return { type, blanks, from, samples, profile: { ...profile, values: profile.values.slice(0, MOST_VALUES) } };
  } finally {
    checkAtTimes(null);
  }
}
