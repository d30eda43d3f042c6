import { checkAtTimes, placedBy } from '@clean-sieve/core';
import type { PlacedLook, PlacedLookRequest } from '../api/contract.ts';
import { geos } from '../export/kept_of_source.ts';
import { entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';

/** How many features find another by their place. Throws a FilterError where the other source has no zones and they are asked for. */
export async function lookAtPlaced(
  orm: Store,
  sourceId: number,
  { table, by, most }: PlacedLookRequest,
  report: (share: number, progress: string) => void,
): Promise<PlacedLook> {
  const em = entities(orm);
  const [own, other] = [await loadTable(em, sourceId), await loadTable(em, table)];
  checkAtTimes(() => report(0.5, `Finding what belongs to ${own.rows.toLocaleString('en-GB')} features`));
  try {
    const { rows, metres, several } = placedBy(own, other, by, most, await geos.get());
    const found = rows.reduce((sum, row) => sum + (row < 0 ? 0 : 1), 0);
    const far = metres.filter((one) => !Number.isNaN(one));
    return { rows: own.rows, found, several, farthest: far.length === 0 ? null : far.reduce((a, b) => Math.max(a, b)) };
  } finally {
    checkAtTimes(null);
  }
}
