import {
  FilterError,
  geometryTypeCounts,
  lonLatExtentOf,
  sampledOf,
  summarise,
  type Column,
  type Derived,
  type FeatureTable,
  type GeometryChunk,
  type NamedDerivation,
  type Remark,
} from '@clean-sieve/core';
import { randomUUID } from 'node:crypto';
import { GeometryGroup, Source, SourceColumn, Workspace, type SourceColumnRow, type SourceRole, type SourceRow } from './entities.ts';
import { current } from '../crs/epsg.ts';
import { heldAnswer, holdAnswer } from './held_answers.ts';
import type { Entities } from './store.ts';
import { step } from '../steps.ts';
import {
  chunkBytes,
  dictionaryBytes,
  factsOf,
  geometryBytes,
  openChunk,
  openColumn,
  openDictionary,
  openGeometry,
  type ChunkFacts,
} from './table_blobs.ts';
import type { FetchedFrom, ReadingChoice } from '../api/contract.ts';

/** What is known of a source beside its features. */
export interface SourceDescription {
  name: string;
  fileName: string;
  format: string;
  layer: string | null;
  encoding: string | null;
  role: SourceRole;
  versionOf?: number;
  notes: string[];
  remarks: Remark[];
  invalidShapes: number;
  hash?: string | null;
  reading?: ReadingChoice | null;
  fetchedFrom?: FetchedFrom | null;
}

/** Stores a table as a source, all or nothing. @returns id of the source */
export async function saveTable(em: Entities, table: FeatureTable, description: SourceDescription): Promise<number> {
  const id = await storeTable(em, table, description);
  await putToUse(em, [{ id, role: description.role }]);
  return id;
}

/** So many bytes go to the disk in one transaction, so that nobody waits long for their turn to write. */
const BATCH_BYTES = 8 << 20;

/**
 * Stores a table as a source that nobody sees before it is put to use; where anything fails, nothing stays. Blobs are
 * values of statements, because those that pass an entity are escaped into the statement's text.
 * @param told `made` is called with the source once there is something of it, `step` between transactions; may throw to stop
 * @returns id of the source
 */
export async function storeTable(
  em: Entities,
  table: FeatureTable,
  { role: _, ...known }: SourceDescription,
  told: { made?: (id: number) => void; step?: () => void } = {},
): Promise<number> {
  // Summaries take time; they are made before anything is written.
  const isLive = known.fetchedFrom?.live !== undefined;
  const summaries = table.columns.map((column) => {
    const summary = summarise(column, table.rows);
    // Of what is live no text is stored either.
    return isLive && column.type === 'text' ? { ...summary, min: null, max: null } : summary;
  });
  const extent = lonLatExtentOf(table);
  const { id, columns } = await em.transactional(async (tx) => {
    const workspace = await tx.findOneOrFail(Workspace, { id: { $gt: 0 } });
    const source = tx.create(Source, {
      ...known,
      workspace,
      role: 'making',
      rowCount: table.rows,
      crs: table.crs,
      extent: extent[0] <= extent[2] ? extent : null,
      geometryTypes: geometryTypeCounts(table),
      shapes: 'original',
      takenAt: new Date().toISOString(),
    });
    const made = table.columns.map((column, ordinal) =>
      tx.create(SourceColumn, {
        source,
        ordinal,
        name: column.name,
        type: column.type,
        role: column.role ?? null,
        summary: summaries[ordinal],
        hidden: false,
        stamp: randomUUID(),
        dictionary: null,
      }),
    );
    await tx.flush();
    return { id: source.id, columns: made.map((column) => column.id) };
  });
  try {
    told.made?.(id);
    const between = told.step ?? (() => undefined);
    const held = known.fetchedFrom?.live?.held;
    if (held) {
      await holdAnswer(em, held, table, between);
      step('answer held');
    } else {
      const values = table.columns.flatMap((column, c) => valuesToSave(columns[c], column));
      await saveInBatches(em, [...values, ...geometryToSave(id, 'original', table.geometry)], between);
    }
  } catch (error) {
    await em.nativeDelete(Source, { id });
    throw error;
  }
  return id;
}

async function saveInBatches(em: Entities, saves: readonly Save[], step: () => void): Promise<void> {
  for (let next = 0; next < saves.length;) {
    step();
    await em.transactional(async (tx) => {
      const run = runIn(tx);
      for (let bytes = 0; next < saves.length && bytes < BATCH_BYTES; next++) bytes += await saves[next](run);
    });
  }
}

/** Sources of their own, beside versions and what is being made. */
export const IN_USE: { role: { $in: SourceRole[] } } = { role: { $in: ['layer', 'ground'] } };

/**
 * Lets stored tables be seen, all at once. One that would bear a name that another source has gets a number behind it: filters
 * name sources, so each has its own name. A version came in after those that were there, whatever the clock says.
 */
export async function putToUse(em: Entities, made: readonly { id: number; role: SourceRole }[]): Promise<void> {
  await em.transactional(async (tx) => {
    const taken = new Set((await tx.find(Source, IN_USE, { fields: ['name'] })).map(({ name }) => name));
    for (const { id, role } of made) {
      const source = await tx.findOneOrFail(Source, { id });
      source.role = role;
      const { versionOf } = source;
      if (versionOf) {
        const others = await tx.find(Source, { $or: [{ id: versionOf }, { versionOf }], role: { $ne: 'making' } });
        const last = Math.max(...others.map(({ takenAt }) => Date.parse(takenAt)));
        source.takenAt = new Date(Math.max(Date.parse(source.takenAt), last + 1)).toISOString();
        continue;
      }
      const { name } = source;
      for (let n = 2; taken.has(source.name); n++) source.name = `${name} ${n}`;
      taken.add(source.name);
    }
    await tx.flush();
  });
}

/** Takes away what was being made when the program stopped, and versions that were being compared and never accepted. */
export async function removeUnfinished(em: Entities): Promise<void> {
  await em.nativeDelete(Source, { role: { $in: ['making', 'candidate'] } });
}

/** What belongs to a version rather than to the source that goes through its versions. */
const OF_THE_VERSION = [
  'fileName',
  'format',
  'layer',
  'encoding',
  'crs',
  'rowCount',
  'extent',
  'geometryTypes',
  'notes',
  'invalidShapes',
  'shapes',
  'takenAt',
  'hash',
  'reading',
  'fetchedFrom',
] as const;

/**
 * Exchanges the features of a source with those of another version of it, all or nothing. The source keeps its name, its
 * sieves and what was said of its columns; the version takes what was in use and becomes an older one.
 */
export async function exchangeVersions(em: Entities, sourceId: number, versionId: number): Promise<void> {
  await em.transactional(async (tx) => {
    const [source, version] = await Promise.all(
      [sourceId, versionId].map((id) => tx.findOneOrFail(Source, { id }, { populate: ['columns', 'remarks'] })),
    );
    for (const column of version.columns) {
      const known = source.columns.getItems().find(({ name }) => name === column.name);
      if (known)
        Object.assign(column, { title: known.title, description: known.description, hidden: known.hidden, codeList: known.codeList });
    }
    await tx.flush();
    const [ours, theirs] = [source, version].map(({ columns }) => columns.getItems().map(({ id }) => id));
    const shapes = async (source: number) => (await tx.find(GeometryGroup, { source }, { fields: ['id'] })).map(({ id }) => id);
    const [ourShapes, theirShapes] = [await shapes(sourceId), await shapes(versionId)];
    await tx.nativeUpdate(SourceColumn, { id: { $in: ours } }, { source: versionId });
    await tx.nativeUpdate(SourceColumn, { id: { $in: theirs } }, { source: sourceId });
    await tx.nativeUpdate(GeometryGroup, { id: { $in: ourShapes } }, { source: versionId });
    await tx.nativeUpdate(GeometryGroup, { id: { $in: theirShapes } }, { source: sourceId });
    const part = (row: typeof source) => Object.fromEntries(OF_THE_VERSION.map((name) => [name, row[name]]));
    const [mine, other] = [part(source), part(version)];
    const [myRemarks, otherRemarks] = [source.remarks.unwrap(), version.remarks.unwrap()];
    await tx.nativeUpdate(Source, { id: sourceId }, { ...other, remarks: otherRemarks });
    await tx.nativeUpdate(Source, { id: versionId }, { ...mine, remarks: myRemarks, role: 'older', versionOf: sourceId });
    tx.clear();
  });
}

type Run = (sql: string, values: unknown[]) => Promise<unknown>;

/** Writes one blob. @returns its bytes */
type Save = (run: Run) => Promise<number>;

const saving = (sql: string, values: unknown[], blobOf: () => Buffer): Save => {
  return async (run) => {
    const bytes = blobOf();
    await run(
      sql,
      values.map((value) => (value === BLOB ? bytes : value)),
    );
    return bytes.length;
  };
};
/** Where the blob goes among the values. */
const BLOB = Symbol('blob');

function valuesToSave(columnId: number, { dictionary, chunks }: Column): Save[] {
  const saves = chunks.map((chunk, ordinal) => {
    const { rowCount, nulls, min, max } = factsOf(chunk);
    return saving(
      'insert into row_group (column_id, ordinal, row_count, nulls, `min`, `max`, `values`) values (?, ?, ?, ?, ?, ?, ?)',
      [columnId, ordinal, rowCount, nulls, min, max, BLOB],
      () => chunkBytes(chunk),
    );
  });
  if (!dictionary) return saves;
  const texts = () => dictionaryBytes(dictionary);
  return [saving('update source_column set dictionary = ? where id = ?', [BLOB, columnId], texts), ...saves];
}

function geometryToSave(sourceId: number, variant: Variant, chunks: GeometryChunk[]): Save[] {
  return chunks.map((chunk, ordinal) =>
    saving(
      'insert into geometry (source_id, variant, ordinal, row_count, shapes) values (?, ?, ?, ?, ?)',
      [sourceId, variant, ordinal, chunk.rows, BLOB],
      () => geometryBytes(chunk),
    ),
  );
}

/** Puts the geometry as it came, or the repaired copy, to use, with the columns that are measured of it, all or nothing. */
export async function putShapes(em: Entities, sourceId: number, shapes: Variant, derived: Remade): Promise<void> {
  const made = summarised(derived.columns);
  await em.transactional(async (tx) => {
    await columnsInto(tx, sourceId, made, derived.behind);
    await tx.nativeUpdate(Source, { id: sourceId }, { shapes });
  });
}

/**
 * Stores the repaired copy of a source's geometry beside the original and puts it to use, all or nothing.
 * @param derived the columns that are measured of it
 */
export async function saveRepaired(
  em: Entities,
  sourceId: number,
  chunks: GeometryChunk[],
  derived: Remade = NOTHING_DERIVED,
): Promise<void> {
  const made = summarised(derived.columns);
  await em.transactional(async (tx) => {
    const run = runIn(tx);
    await run("delete from geometry where source_id = ? and variant = 'repaired'", [sourceId]);
    for (const save of geometryToSave(sourceId, 'repaired', chunks)) await save(run);
    await columnsInto(tx, sourceId, made, derived.behind);
    await tx.nativeUpdate(Source, { id: sourceId }, { shapes: 'repaired' });
  });
}

/** The derived columns of a source, in their order. */
export async function derivationsOf(em: Entities, sourceId: number): Promise<NamedDerivation[]> {
  const columns = await em.find(SourceColumn, { source: sourceId }, { orderBy: { ordinal: 'asc' } });
  return columns.flatMap(({ name, derivation }) => (derivation ? [{ name, derivation }] : []));
}

/** A derived column to be stored, with what is said of it where it is new. */
export interface StoredColumn extends Pick<Derived, 'column' | 'derivation'> {
  about?: Pick<SourceColumnRow, 'title' | 'description' | 'codeList'>;
}

/** Derived columns that were made anew, and those that keep their values although they should have others, with why. */
export interface Remade {
  columns: StoredColumn[];
  behind: NamedDerivation[];
}
const NOTHING_DERIVED: Remade = { columns: [], behind: [] };

/**
 * Stores derived columns, all or nothing: those that are there already in their own places, others behind the columns of the source.
 * @param behind those that keep their values
 */
export async function putColumns(
  em: Entities,
  sourceId: number,
  derived: readonly StoredColumn[],
  behind: readonly NamedDerivation[] = [],
): Promise<void> {
  const made = summarised(derived);
  await em.transactional((tx) => columnsInto(tx, sourceId, made, behind));
}

const summarised = (derived: readonly StoredColumn[]) =>
  derived.map((one) => ({ ...one, summary: summarise(one.column, rowsOf(one.column)) }));

async function columnsInto(
  tx: Entities,
  sourceId: number,
  made: ReturnType<typeof summarised>,
  behind: readonly NamedDerivation[],
): Promise<void> {
  const run = runIn(tx);
  for (const { name, derivation } of behind) await tx.nativeUpdate(SourceColumn, { source: sourceId, name }, { derivation });
  for (const { column, derivation, summary, about } of made) {
    const known = await tx.findOne(SourceColumn, { source: sourceId, name: column.name });
    const ordinal = known?.ordinal ?? (await tx.count(SourceColumn, { source: sourceId }));
    const { name, type } = column;
    const row =
      known ??
      tx.create(SourceColumn, {
        ...{ source: sourceId, ordinal, name, type, role: null, summary },
        ...{ hidden: false, derivation, stamp: randomUUID(), dictionary: null },
        ...about,
      });
    if (known) {
      Object.assign(known, { type, summary, derivation, stamp: randomUUID() });
      await run('delete from row_group where column_id = ?', [known.id]);
      await run('update source_column set dictionary = null where id = ?', [known.id]);
    }
    await tx.flush();
    for (const save of valuesToSave(row.id, column)) await save(run);
  }
}

const rowsOf = ({ chunks }: Column): number => chunks.reduce((sum, chunk) => sum + chunk.rows, 0);

/** Runs statements in the transaction of an entity manager. */
function runIn(tx: Entities): Run {
  const knex = tx.getKnex();
  const transaction: unknown = tx.getTransactionContext();
  return async (sql, values): Promise<unknown> => {
    const result: unknown = await knex.raw(sql, values as never).transacting(transaction as never);
    return result;
  };
}

interface RowGroupRow extends ChunkFacts {
  values: ArrayBuffer;
}

export type Variant = 'original' | 'repaired';

/**
 * Opens the features of a source; nothing is parsed, the stored buffers are viewed as they are.
 * @param variant geometry to open instead of the one in use
 * @param alsoSample whether it may be a sample of what there is elsewhere
 * @throws FilterError for a live source that has not been asked, and for a sample where that will not do
 */
export async function loadTable(em: Entities, sourceId: number, variant?: Variant, alsoSample = false): Promise<FeatureTable> {
  const source = await em.findOneOrFail(Source, { id: sourceId });
  const columns = await em.find(SourceColumn, { source: sourceId }, { orderBy: { ordinal: 'asc' } });
  if (!alsoSample) refuseSample(source);
  const live = source.fetchedFrom?.live;
  const answer = live?.held ? await heldAnswer(em, live.held) : null;
  if (live && !answer) {
    // It may have been asked anew just now, and the answer before let go of.
    const now = em.fork();
    if ((await now.findOneOrFail(Source, { id: sourceId })).fetchedFrom?.live?.held !== live.held)
      return loadTable(now, sourceId, variant, alsoSample);
    throw new FilterError(`${source.name} has not been asked since the program began`, null, 'Ask it anew, beside its name');
  }
  const table: FeatureTable = { rows: source.rowCount, columns: [], geometry: [], crs: current(source.crs) };
  for (const column of columns) {
    const held = column.derivation ? undefined : answer?.columns.find(({ name }) => name === column.name);
    table.columns.push(held ?? (await storedColumn(em, column)));
  }
  table.geometry = answer?.geometry ?? (await storedGeometry(em, sourceId, variant ?? source.shapes));
  return table;
}

/** Throws a FilterError for a source of which only a sample is held, where all of it is needed. */
export function refuseSample(source: Pick<SourceRow, 'name' | 'fetchedFrom'>): void {
  if (sampledOf(source.fetchedFrom ?? null) !== null) throw refusedSample(source);
}
export const refusedSample = ({ name }: Pick<SourceRow, 'name'>): FilterError =>
  new FilterError(`Of ${name} only a sample is held, and this needs all of it`, null, 'Ask for less, so that all of it can be held');

async function storedColumn(em: Entities, { id, name, type, role }: SourceColumnRow): Promise<Column> {
  const connection = em.getConnection();
  const groups = await connection.execute<RowGroupRow[]>(
    'select row_count as rowCount, nulls, `min`, `max`, `values` from row_group where column_id = ? order by ordinal',
    [id],
  );
  const [{ dictionary }] = await connection.execute<{ dictionary: ArrayBuffer | null }[]>(
    'select dictionary from source_column where id = ?',
    [id],
  );
  const chunks = groups.map((group) => openChunk(type, group, group.values));
  return openColumn(name, type, role ?? null, dictionary ? openDictionary(dictionary) : null, chunks);
}

async function storedGeometry(em: Entities, sourceId: number, variant: Variant): Promise<GeometryChunk[]> {
  const sql = 'select shapes from geometry where source_id = ? and variant = ? order by ordinal';
  const rows = await em.getConnection().execute<{ shapes: ArrayBuffer }[]>(sql, [sourceId, variant]);
  return rows.map(({ shapes }) => openGeometry(shapes));
}
