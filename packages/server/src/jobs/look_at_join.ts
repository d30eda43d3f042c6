import { checkAtTimes, likelyPairs, likenessOffers, matchReport, matchTables } from '@clean-sieve/core';
import type { JoinLook, JoinLookRequest } from '../api/contract.ts';
import { entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';

/** How a source and a table fit together. Throws a FilterError where a column is not there. */
export async function lookAtJoin(
  orm: Store,
  sourceId: number,
  { table, pairs, like }: JoinLookRequest,
  report: (share: number, progress: string) => void,
): Promise<JoinLook> {
  const em = entities(orm);
  const [own, other] = [await loadTable(em, sourceId), await loadTable(em, table)];
  checkAtTimes(() => report(0.5, `Comparing ${own.rows.toLocaleString('en-GB')} keys with ${other.rows.toLocaleString('en-GB')}`));
  try {
    const used = pairs.length > 0 ? pairs : likelyPairs(own, other).slice(0, 1);
    if (used.length === 0) return { pairs: used, report: null, offers: [] };
    return { pairs: used, report: matchReport(matchTables(own, other, used, like)), offers: likenessOffers(own, other, used, like) };
  } finally {
    checkAtTimes(null);
  }
}
