import { accountOf, checkAtTimes, has, membershipOf } from '@clean-sieve/core';
import type { ZonedLook, ZonedLookRequest } from '../api/contract.ts';
import { geos } from '../export/kept_of_source.ts';
import { openSources } from '../sifting/named_operands.ts';
import { entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';
import { calledOf, zonedFeatures } from './derive_columns.ts';

/** How features and zones lie to each other. Throws a FilterError where the features cannot be sifted or the zones are none. */
export async function lookAtZoned(
  orm: Store,
  sourceId: number,
  { features }: ZonedLookRequest,
  asOf: number,
  report: (share: number, progress: string) => void,
): Promise<ZonedLook> {
  const em = entities(orm);
  const zones = await loadTable(em, sourceId);
  const open = await openSources(orm, asOf, await geos.get());
  checkAtTimes(() => report(0.5, `Finding what lies in ${zones.rows.toLocaleString('en-GB')} zones`));
  try {
    const { table, kept } = await zonedFeatures(open, { ...features, called: await calledOf(em, features) });
    return { zones: zones.rows, account: accountOf(membershipOf(table, zones, null), kept && ((row) => has(kept, row))) };
  } finally {
    checkAtTimes(null);
  }
}
