import { alikeGroups, checkAtTimes, columnNamed, valueAt, type Alike } from '@clean-sieve/core';
import type { AlikeLook } from '../api/contract.ts';
import { geos } from '../export/kept_of_source.ts';
import { entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';

/** Groups told, and features told of each. */
const MOST_GROUPS = 12;
const MOST_FEATURES = 4;
/** Columns that the features are told by, those that make them alike first. */
const MOST_COLUMNS = 5;

/** Which features are alike, before it is told in columns. Throws a FilterError where that cannot be said. */
export async function lookAtAlike(
  orm: Store,
  { sourceId, alike }: { sourceId: number; alike: Alike },
  report: (share: number, progress: string) => void,
): Promise<AlikeLook> {
  const table = await loadTable(entities(orm), sourceId);
  checkAtTimes(() => report(0.5, `Comparing ${table.rows.toLocaleString('en-GB')} features`));
  try {
    const { members, unknown } = alikeGroups(table, alike, alike.within === null ? null : await geos.get());
    const others = table.columns.map(({ name }) => name).filter((name) => !alike.columns.includes(name));
    const names = [...alike.columns, ...others.slice(0, Math.max(0, MOST_COLUMNS - alike.columns.length))];
    const columns = names.map((name) => columnNamed(table, name)!);
    return {
      ...{ rows: table.rows, groups: members.length, unknown, columns: names },
      features: members.reduce((sum, all) => sum + all.length, 0),
      largest: members.reduce((most, all) => Math.max(most, all.length), 0),
      samples: members.slice(0, MOST_GROUPS).map((all) => ({
        size: all.length,
        features: all.slice(0, MOST_FEATURES).map((row) => ({ key: row, values: columns.map((column) => valueAt(column, row)) })),
      })),
    };
  } finally {
    checkAtTimes(null);
  }
}
