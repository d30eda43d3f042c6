import { CRS84, exprOfTree, ReadError, Sifter } from '@clean-sieve/core';
import { readWhole } from '../postgis/whole_table.ts';
import { prepare, type OpenSources } from '../sifting/named_operands.ts';
import type { SourceRow } from '../store/entities.ts';
import type { Store } from '../store/store.ts';
import { keptBySifter, type Keeping, type Kept, type Report } from './kept.ts';
import { geos } from './kept_of_source.ts';

/** How it came that the whole of a source was asked, of which a sample is held. */
export interface AskedWhole {
  askedAt: string;
  /** Features that the source is about, and those that came for the conditions. */
  of: number;
  came: number;
  remarks: string[];
}

/** What a tree keeps of the whole of a source of which a sample is held, as `keptRows` of one that is here. Throws a ReadError. */
export async function keptOfWhole(
  orm: Store,
  open: OpenSources,
  source: SourceRow,
  { keeping, asOf }: { keeping: Keeping; asOf: number },
  report: Report,
): Promise<{ kept: Kept; asked: AskedWhole }> {
  if (keeping.picks)
    throw new ReadError(
      `Of ${source.name} only a sample is held, and features picked in it are not all there are`,
      'Hand over what conditions keep, or ask for less so that all of it can be held',
    );
  const expr = exprOfTree(keeping.tree);
  const { table, of, askedAt, remarks } = await readWhole(orm, source, { expr, asOf }, report);
  const sifter = new Sifter(table, asOf, CRS84, await geos.get());
  await prepare(sifter, expr ?? true, open);
  const kept = keptBySifter(sifter, keeping, await geos.get(), report);
  return { kept: { ...kept, of }, asked: { askedAt, of, came: table.rows, remarks } };
}
