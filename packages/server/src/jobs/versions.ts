import {
  checkFilter,
  columnNamed,
  count,
  CRS84,
  differenceOf,
  differenceRows,
  exprOfTree,
  FilterError,
  Geos,
  keyCandidates,
  Sifter,
  typedColumn,
  type CheckOptions,
  type Derivation,
  type DifferenceRows,
  type FeatureTable,
  type Group,
} from '@clean-sieve/core';
import type { VersionAnswer } from '../api/contract.ts';
import { Sieve, Source, SourceColumn } from '../store/entities.ts';
import { entities, type Store } from '../store/store.ts';
import { checkOptions, openSources, prepare, type OpenSources } from '../sifting/named_layers.ts';
import { addColumn, exchangeVersions, loadTable } from '../store/table_store.ts';
import { step } from '../steps.ts';

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
  const after = withDerived(plain, await derivationsOf(orm, sourceId));
  const engine = await Geos.open();
  const keys = keyCandidates(before, after);
  const used = key ?? keys[0] ?? null;
  const sieves = await em.find(Sieve, { source: sourceId });
  const open = await openSources(orm, asOf, engine);
  const options = await checkOptions(em);
  const version = await em.findOneOrFail(Source, { id: versionId });
  return {
    versionId,
    fileName: version.fileName,
    rows: { before: before.rows, after: after.rows },
    keys: used === null || keys.includes(used) ? keys : [...keys, used],
    key: used,
    difference: used === null ? null : differenceOf(before, after, used),
    sieves: await Promise.all(
      sieves.map(async ({ id, tree }) => {
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
): Promise<{ sourceId: number; rows: number[] }> {
  const em = entities(orm);
  const [before, plain] = [await loadTable(em, sourceId), await loadTable(em, versionId)];
  const after = withDerived(plain, await derivationsOf(orm, sourceId));
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

async function derivationsOf(orm: Store, sourceId: number): Promise<{ name: string; derivation: Derivation }[]> {
  const columns = await entities(orm).find(SourceColumn, { source: sourceId }, { orderBy: { ordinal: 'asc' } });
  return columns.flatMap(({ name, derivation }) => (derivation ? [{ name, derivation }] : []));
}

/** The derived columns that the version can have too, made from its own text columns. */
function derivedColumns(table: FeatureTable, wanted: { name: string; derivation: Derivation }[]) {
  return wanted.flatMap(({ name, derivation }) => {
    const from = columnNamed(table, derivation.from);
    return from?.dictionary && !columnNamed(table, name) ? [{ column: typedColumn(from, derivation, name), derivation }] : [];
  });
}

function withDerived(table: FeatureTable, wanted: { name: string; derivation: Derivation }[]): FeatureTable {
  return { ...table, columns: [...table.columns, ...derivedColumns(table, wanted).map(({ column }) => column)] };
}

/** Puts another version to use; the one that was in use becomes an older one, which can be put back the same way. */
export async function acceptVersion(orm: Store, sourceId: number, versionId: number): Promise<void> {
  const em = entities(orm);
  const version = await loadTable(em, versionId);
  for (const { column, derivation } of derivedColumns(version, await derivationsOf(orm, sourceId)))
    await addColumn(entities(orm), versionId, column, derivation);
  await exchangeVersions(entities(orm), sourceId, versionId);
  step('versions exchanged');
}
