import {
  checkFilter,
  columnNamed,
  count,
  CRS84,
  differenceOf,
  exprOfTree,
  FilterError,
  Geos,
  keyCandidates,
  Sifter,
  typedColumn,
  type AreaShapes,
  type Derivation,
  type FeatureTable,
  type Group,
} from '@clean-sieve/core';
import type { VersionAnswer } from '../api/contract.ts';
import { Sieve, Source, SourceColumn } from '../store/entities.ts';
import { entities, type Store } from '../store/store.ts';
import { areaShapes } from '../workspace.ts';
import { addColumn, exchangeVersions, loadTable } from '../store/table_store.ts';

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
  const areas = await areaShapes(em);
  const version = await em.findOneOrFail(Source, { id: versionId });
  return {
    versionId,
    fileName: version.fileName,
    rows: { before: before.rows, after: after.rows },
    keys: used === null || keys.includes(used) ? keys : [...keys, used],
    key: used,
    difference: used === null ? null : differenceOf(before, after, used),
    sieves: sieves.map(({ id, tree }) => {
      const [was, is] = [keptBy(tree, before, asOf, engine, areas), keptBy(tree, after, asOf, engine, areas)];
      return { id, before: was.kept, after: is.kept, problem: is.problem };
    }),
  };
}

function keptBy(
  tree: Group,
  table: FeatureTable,
  asOf: number,
  geos: Geos,
  areas: AreaShapes,
): { kept: number | null; problem: string | null } {
  const expr = exprOfTree(tree);
  if (expr === null) return { kept: table.rows, problem: null };
  try {
    checkFilter(expr, table.columns, { areas });
    const sifter = new Sifter(table, asOf, CRS84, geos);
    sifter.areas = areas;
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
    return from?.dictionary && !columnNamed(table, name)
      ? [{ column: typedColumn(from, derivation, name), derivation }]
      : [];
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
}
