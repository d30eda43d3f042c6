import { current } from './crs/epsg.ts';
import { columnInWords, DAY_MILLIS, formatDay, parseDate, type AreaShapes, type Wording } from '@clean-sieve/core';
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

/** The day that relative dates count from, as days since 1970-01-01. */
export async function asOfDay(em: Entities): Promise<number> {
  const { asOf } = await workspaceOf(em);
  return asOf === null || asOf === undefined ? today() : parseDate(asOf)!.day;
}

/** Today, where relative dates count from a fixed day instead; null where they count from today. */
export async function todayBesideFixed(em: Entities): Promise<number | null> {
  const { asOf } = await workspaceOf(em);
  return asOf === null || asOf === undefined ? null : today();
}

let feedsAddress: string | null = null;
/** Says where others reach the feeds, beside this machine. */
export function feedsAreAt(address: string): void {
  feedsAddress = address;
}

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
    takenAt: source.takenAt,
    older: [],
    ...{ id, name, fileName, format, layer, encoding, crs: current(crs), role, notes, geometryTypes },
    rows: source.rowCount,
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

export function sieveInfo(sieve: SieveRow): SieveInfo {
  const { id, name, tree, colour, visible, mentions, version } = sieve;
  return { id, sourceId: sieve.source.id, name: name ?? null, tree, colour, visible, mentions, version };
}
