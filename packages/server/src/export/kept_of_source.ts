import { exprOfTree, Geos, type NearTold } from '@clean-sieve/core';
import { prepare, type OpenSources } from '../sifting/named_operands.ts';
import { once } from '../once.ts';
import { keptBySifter, type Keeping, type Kept, type Report } from './kept.ts';

/** The geometry engine of this thread. */
export const geos = once(() => Geos.open());

/** What a tree keeps of an opened source, with the columns that it shows, cut if that is asked. */
export async function keptRows(
  open: OpenSources,
  sourceId: number,
  keeping: Keeping,
  report: Report,
): Promise<{ kept: Kept; near: NearTold[] }> {
  const { sifter } = await open.sifter(sourceId);
  const near = await prepare(sifter, exprOfTree(keeping.tree) ?? true, open, sourceId);
  return { kept: keptBySifter(sifter, keeping, await geos.get(), report), near };
}
