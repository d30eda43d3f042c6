import { exprOfTree, Geos } from '@clean-sieve/core';
import { openSources, prepare } from '../sifting/named_layers.ts';
import type { Store } from '../store/store.ts';
import { keptBySifter, type Keeping, type Kept, type Report } from './keep.ts';

let opened: Promise<Geos> | null = null;
/** The geometry engine of this thread. */
export function geos(): Promise<Geos> {
  return (opened ??= Geos.open());
}

/** What a tree keeps of a stored source, with the columns that it shows, cut if that is asked. */
export async function keptRows(
  orm: Store,
  { sourceId, asOf, ...keeping }: Keeping & { sourceId: number; asOf: number },
  report: Report,
): Promise<Kept> {
  // prettier-ignore
  const engine = await geos();
  const open = await openSources(orm, asOf, engine);
  const { sifter } = await open.sifter(sourceId);
  await prepare(sifter, exprOfTree(keeping.tree) ?? true, open);
  return keptBySifter(sifter, keeping, engine, report);
}
