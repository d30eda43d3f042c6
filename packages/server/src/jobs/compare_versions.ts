import {
  named,
  checkFilter,
  count,
  CRS84,
  differenceOf,
  differenceRows,
  exprOfTree,
  FilterError,
  Geos,
  keyCandidates,
  ReadError,
  Sifter,
  type CheckOptions,
  type DifferenceRows,
  type Group,
} from '@clean-sieve/core';
import type { VersionAnswer } from '../api/contract.ts';
import { Sieve, Source } from '../store/entities.ts';
import { entities, type Store } from '../store/store.ts';
import { checkOptions, openSources, prepare, type OpenSources } from '../sifting/named_operands.ts';
import { derivationsOf, exchangeVersions, loadTable, putColumns } from '../store/table_store.ts';
import { deriveColumns } from './derive_columns.ts';
import { step } from '../steps.ts';
import { directory } from '../workspace_state.ts';

/** Compares another version with the source in use: features by a key, columns, and what each sieve keeps before and after. */
export async function compareVersions(
  orm: Store,
  sourceId: number,
  versionId: number,
  key: string | null,
  asOf: number,
): Promise<VersionAnswer> {
  const em = entities(orm);
  const [before, plain] = [await loadTable(em, sourceId), await loadTable(em, versionId)];
  const { table: after, left } = await deriveColumns(orm, plain, await derivationsOf(em, sourceId), asOf);
  const engine = await Geos.open();
  const keys = keyCandidates(before, after);
  const used = key ?? keys[0] ?? null;
  const sieves = await em.find(Sieve, { source: sourceId });
  const open = await openSources(orm, asOf, engine);
  const options = await checkOptions(em);
  const names = await directory(em);
  const version = await em.findOneOrFail(Source, { id: versionId });
  return {
    versionId,
    fileName: version.fileName,
    rows: { before: before.rows, after: after.rows },
    keys: used === null || keys.includes(used) ? keys : [...keys, used],
    key: used,
    difference: used === null ? null : differenceOf(before, after, used),
    lost: left.map(({ name, problem }) => ({ name, problem })),
    sieves: await Promise.all(
      sieves.map(async ({ id, tree: own }) => {
        const tree = named(own, names);
        const sifters = [before, after].map((table) => new Sifter(table, asOf, CRS84, engine));
        const [was, is] = [
          await keptBy(sourceId, tree, sifters[0], open, options),
          await keptBy(sourceId, tree, sifters[1], open, options),
        ];
        return { id, before: was.kept, after: is.kept, problem: is.problem };
      }),
    ),
  };
}

/** Rows of one part of a comparison, with the source that they are of. */
export async function partOfDifference(
  orm: Store,
  sourceId: number,
  versionId: number,
  key: string,
  part: keyof DifferenceRows,
  asOf: number,
): Promise<{ sourceId: number; rows: number[] }> {
  const em = entities(orm);
  const [before, plain] = [await loadTable(em, sourceId), await loadTable(em, versionId)];
  const { table: after } = await deriveColumns(orm, plain, await derivationsOf(em, sourceId), asOf);
  return { sourceId: part === 'gone' ? sourceId : versionId, rows: differenceRows(before, after, key)[part] };
}

async function keptBy(
  sourceId: number,
  tree: Group,
  sifter: Sifter,
  open: OpenSources,
  options: CheckOptions,
): Promise<{ kept: number | null; problem: string | null }> {
  const expr = exprOfTree(tree);
  if (expr === null) return { kept: sifter.table.rows, problem: null };
  try {
    checkFilter(expr, sifter.table.columns, options);
    // Other sieves of the same source keep what they keep of this version.
    const here = { ...open, sifter: (id: number) => (id === sourceId ? Promise.resolve({ sifter, state: 'this' }) : open.sifter(id)) };
    await prepare(sifter, expr, here);
    return { kept: count(sifter.verdict(expr).yes), problem: null };
  } catch (error) {
    if (error instanceof FilterError) return { kept: null, problem: error.line };
    throw error;
  }
}

/**
 * Puts another version to use, with the derived columns that it can have too; the one that was in use becomes an older one, which
 * can be put back the same way.
 * @param refuseLost whether a derived column that it cannot have is a ReadError, rather than left out
 */
export async function acceptVersion(
  orm: Store,
  sourceId: number,
  versionId: number,
  asOf: number,
  { refuseLost = false } = {},
): Promise<void> {
  const em = entities(orm);
  const derivations = await derivationsOf(em, sourceId);
  if (derivations.length > 0) {
    const { made, left } = await deriveColumns(orm, await loadTable(em, versionId), derivations, asOf);
    const [lost] = left;
    if (refuseLost && lost)
      throw new ReadError(
        `The column ${lost.name} cannot be made of what came: ${lost.problem.replace(/\.$/, '')}`,
        'Remove it, or change what it is made of; nothing was changed',
      );
    await putColumns(entities(orm), versionId, made);
  }
  await exchangeVersions(entities(orm), sourceId, versionId);
  step('versions exchanged');
}
