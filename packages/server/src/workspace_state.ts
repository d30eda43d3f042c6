import { current } from './crs/epsg.ts';
import {
  columnInWords,
  DAY_MILLIS,
  directoryOf,
  formatDay,
  parseDate,
  sampledOf,
  type AreaShapes,
  type Directory,
  type Wording,
} from '@clean-sieve/core';
import type { AreaInfo, ColumnInfo, ExtractInfo, FeedInfo, SieveInfo, SourceInfo, WorkspaceState } from './api/contract.ts';
import {
  Area,
  CodeList,
  Feed,
  Sieve,
  Source,
  Workspace,
  type AreaRow,
  type ExtractRow,
  type FeedRow,
  type SieveRow,
  type SourceRow,
} from './store/entities.ts';
import type { Entities } from './store/store.ts';

export async function workspaceOf(em: Entities) {
  return em.findOneOrFail(Workspace, { id: { $gt: 0 } });
}

export function today(): number {
  return Math.floor(Date.now() / DAY_MILLIS);
}

/** The day that is fixed, ISO 8601; null for today. Every question asks it: nothing is made an object of. */
async function fixedDay(em: Entities): Promise<string | null> {
  const [row] = await em.execute<{ as_of: string | null }[]>('select as_of from workspace limit 1');
  return row.as_of;
}

const dayOf = (fixed: string | null): number => (fixed === null ? today() : parseDate(fixed)!.day);

/** The day that relative dates count from, as days since 1970-01-01. */
export async function asOfDay(em: Entities): Promise<number> {
  return dayOf(await fixedDay(em));
}

/** The same for a question about a source; null where there is no such source. */
export async function asOfDayFor(em: Entities, sourceId: number): Promise<number | null> {
  const sql = "select as_of from workspace where exists (select 1 from source where id = ? and role <> 'making') limit 1";
  const rows = await em.execute<{ as_of: string | null }[]>(sql, [sourceId]);
  return rows.length === 0 ? null : dayOf(rows[0].as_of);
}

/** Today, where relative dates count from a fixed day instead; null where they count from today. */
export async function todayBesideFixed(em: Entities): Promise<number | null> {
  return (await fixedDay(em)) === null ? null : today();
}

let feedsAddress: string | null = null;
/** Says where others reach the feeds, beside this machine. */
export function feedsAreAt(address: string): void {
  feedsAddress = address;
}

let simulatedAddress: string | null = null;
/** Says where the simulated service of the demo is. */
export function simulatedServiceIsAt(address: string): void {
  simulatedAddress = address;
}

export const simulatedServiceAddress = (): string | null => simulatedAddress;

export async function workspaceState(em: Entities): Promise<WorkspaceState> {
  const workspace = await workspaceOf(em);
  const all = await em.find(Source, {}, { orderBy: { id: 'asc' }, populate: ['columns'] });
  const sources = all.filter(({ role }) => role === 'layer' || role === 'ground');
  const sieves = await em.find(Sieve, {}, { orderBy: { id: 'asc' } });
  const codeLists = await em.find(CodeList, {}, { orderBy: { id: 'asc' } });
  const areas = await em.find(Area, {}, { orderBy: { id: 'asc' } });
  return {
    name: workspace.name,
    asOf: workspace.asOf ?? null,
    today: formatDay(today()),
    sources: sources.map((source) => ({ ...sourceInfo(source), older: olderOf(source.id, all) })),
    sieves: sieves.map(sieveInfo),
    areas: areas.map(areaInfo),
    feeds: (await em.find(Feed, {}, { orderBy: { madeAt: 'asc' } })).map(feedInfo),
    feedsAt: feedsAddress,
    simulatedAt: simulatedAddress,
    codeLists: codeLists.map(({ id, name, entries }) => ({ id, name, entries })),
  };
}

function olderOf(sourceId: number, all: SourceRow[]): SourceInfo['older'] {
  return all
    .filter((source) => source.role === 'older' && source.versionOf === sourceId)
    .map(({ id, takenAt, rowCount, fileName }) => ({ id, takenAt, rows: rowCount, fileName }))
    .sort((a, b) => (a.takenAt < b.takenAt ? 1 : -1));
}

export function sourceInfo(source: SourceRow): SourceInfo {
  const { id, name, fileName, format, crs, role, notes, geometryTypes } = source;
  if (role === 'making') throw new Error('A source that is not whole yet cannot be told of');
  const [layer, encoding] = [source.layer ?? null, source.encoding ?? null];
  const columns = source.columns.getItems().sort((a, b) => a.ordinal - b.ordinal);
  return {
    invalidShapes: source.invalidShapes,
    shapes: source.shapes,
    style: source.style ?? null,
    view: source.view ?? null,
    below: source.below,
    takenAt: source.takenAt,
    older: [],
    ...{ id, name, fileName, format, layer, encoding, crs: current(crs), role, notes, geometryTypes },
    rows: sampledOf(source.fetchedFrom ?? null) ?? source.rowCount,
    held: source.rowCount,
    fetchedFrom: source.fetchedFrom ?? null,
    extent: source.extent ?? null,
    columns: columns.map((column) => ({
      name: column.name,
      type: column.type,
      ...(column.role ? { role: column.role as ColumnInfo['role'] } : {}),
      ...column.summary,
      title: column.title ?? null,
      description: column.description ?? null,
      hidden: column.hidden,
      derivation: column.derivation ?? null,
      codeList: column.codeList?.id ?? null,
    })),
  };
}

/** What sentences about a source need. */
export function wordingOf(source: SourceRow, codeLists: readonly { id: number; entries: [string, string][] }[], asOf: number): Wording {
  const { columns, geometryTypes } = sourceInfo(source);
  const meanings = meaningsOf(source, codeLists);
  return {
    columns,
    asOf,
    points: Object.keys(geometryTypes).every((type) => /Point$/.test(type)),
    label: (name) => columns.find((column) => column.name === name)?.title ?? columnInWords(name),
    meaning: (column, value) => meanings.get(column)?.get(String(value)),
  };
}

/** Code → meaning of the columns of a source that have a code list. */
export function meaningsOf(
  source: SourceRow,
  codeLists: readonly { id: number; entries: [string, string][] }[],
): Map<string, Map<string, string>> {
  return new Map(
    source.columns.getItems().flatMap(({ name, codeList }) => {
      const list = codeLists.find(({ id }) => id === codeList?.id);
      return list ? [[name, new Map(list.entries)] as const] : [];
    }),
  );
}

export function feedInfo({ id, sieve, madeAt, frozen }: FeedRow): FeedInfo {
  return { id, sieveId: sieve.id, madeAt, frozen: (frozen ?? null) !== null };
}

export function extractInfo({ id, title, madeAt, format, features, of, files, again }: ExtractRow): ExtractInfo {
  return { id, title, madeAt, format, features, of, files, again: again ?? null };
}

export function areaInfo({ id, name, shape }: AreaRow): AreaInfo {
  return { id, name, shape };
}

/** The shapes that filters of the workspace can name. */
export async function areaShapes(em: Entities): Promise<AreaShapes> {
  return new Map((await em.find(Area, {})).map(({ name, shape }) => [name, shape]));
}

/** What trees by identity and by name are told apart by. */
export async function directory(em: Entities): Promise<Directory> {
  // Only that: shapes and trees can be large.
  const sieves = await em.find(Sieve, {}, { fields: ['id', 'name'], disableIdentityMap: true });
  return directoryOf({
    AREA: await em.find(Area, {}, { fields: ['id', 'name'], disableIdentityMap: true }),
    SOURCE: await em.find(Source, { role: 'layer' }, { fields: ['id', 'name'], disableIdentityMap: true }),
    SIEVE: sieves.map(({ id, name }) => ({ id, name: name ?? null })),
  });
}

/** The tree is by identity. */
export function sieveInfo(sieve: SieveRow): SieveInfo {
  const { id, name, tree, colour, visible, style, view, mentions, version } = sieve;
  const shown = { colour, visible, style: style ?? null, view: view ?? null };
  return { id, sourceId: sieve.source.id, name: name ?? null, tree, ...shown, mentions, version };
}
