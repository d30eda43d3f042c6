import { failureOf } from '../api/problems.ts';
import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { threadId, workerData } from 'node:worker_threads';
import {
  Cancelled,
  chosenLayer,
  FilterError,
  hangsOnAsOf,
  invalidRows,
  layersIn,
  measureOf,
  LONGEST_REPORT,
  ReadError,
  readLayer,
  repairedGeometry,
  sampledOf,
  toLonLat,
  type ColumnSchema,
  type FeatureTable,
  type Remark,
} from '@clean-sieve/core';
import { givenCrs, look, readOptions } from './look.ts';
import { fileInput, host } from '../files/file_input.ts';
import { hashOfFile } from '../export/digest.ts';
import { askedBefore, fetchSnapshot, lookElsewhere, surveyAt } from '../fetching/fetching.ts';
import { keptOfSnapshot } from '../fetching/kept_of_snapshot.ts';
import type { LayerHere, Snapshot } from '../fetching/snapshot.ts';
import { holdPart } from '../postgis/hold_part.ts';
import { countWhole } from '../postgis/whole_table.ts';
import { withAxesOf, type OwnSystem } from '../ogc_api/own_system.ts';
import { geos } from '../export/kept_of_source.ts';
import { makeExtract } from '../export/make_extract.ts';
import { Source, type SourceColumnRow } from '../store/entities.ts';
import { entities, openStore, type Store } from '../store/store.ts';
import { WriteTurn } from '../store/write_turn.ts';
import { loadTable, putToUse, saveRepaired, storeTable, type SourceDescription } from '../store/table_store.ts';
import { once } from '../once.ts';
import { step } from '../steps.ts';
import { acceptVersion, compareVersions, partOfDifference } from './compare_versions.ts';
import { lookAtComputed } from './look_at_computed.ts';
import { lookAtAlike } from './look_at_alike.ts';
import { lookAtTyped } from './look_at_typed.ts';
import { lookAtJoin } from './look_at_join.ts';
import { lookAtPlaced } from './look_at_placed.ts';
import { lookAtSpread } from './look_at_spread.ts';
import { lookAtZoned } from './look_at_zoned.ts';
import { computeColumns, joinColumns, measuredAgain, refreshColumns, sumUpByZones, takeByPlace, useShapes } from './compute_columns.ts';
import { MADE_SOURCES } from '../made_sources/made_source_registry.ts';
import type { FetchedFrom, LayerChoice, MadeSourceKind, MadeSourceOf } from '../api/contract.ts';
import type { JobMessage, JobNews, JobOutcome, JobResult, JobTask, JobThreadData } from './job_tasks.ts';

const { database, turn, ceiling } = workerData as JobThreadData;
const store = once(() => openStore(database, { migrate: false, turn: new WriteTurn(turn) }));

type Report = (share: number, progress: string) => void;
/** Told of a source that is stored and not yet in use. */
type Made = (sourceId: number) => void;

/** Runs one job. Nothing it makes can be seen before it is complete. */
export default async function run({ task, port, stop }: JobMessage): Promise<JobOutcome> {
  const flag = new Int32Array(stop);
  const tell = (news: JobNews) => port.postMessage(news);
  tell({ thread: threadId });
  let last = 0;
  const before = memoryTaken();
  const report: Report = (share, progress) => {
    if (Atomics.load(flag, 0) !== 0) throw new Cancelled();
    const now = Date.now();
    if (now - last < 80) return;
    last = now;
    refuseTooMuch(before);
    tell({ share, progress });
  };
  try {
    return { done: await perform(task, await store.get(), report, (made) => tell({ made })) };
  } catch (error) {
    if (error instanceof Cancelled) return { cancelled: true };
    if (error instanceof ReadError || error instanceof FilterError) return { failed: `${error.line}.` };
    const { message, stack } = error as Error;
    return { failed: failureOf(error), unexpected: stack ?? message };
  } finally {
    port.close();
  }
}

const memoryTaken = () => {
  const { heapUsed, external } = process.memoryUsage();
  return heapUsed + external;
};

/**
 * The limits of the thread keep its objects below the ceiling; buffers, which those do not count, are counted here.
 * @param before bytes that the thread held when the job began
 */
function refuseTooMuch(before: number): void {
  if (memoryTaken() - before <= ceiling) return;
  // What is no longer used does not count.
  setFlagsFromString('--expose-gc');
  (runInNewContext('gc') as () => void)();
  if (memoryTaken() - before > ceiling)
    throw new ReadError(
      `This takes more than ${(ceiling / (1 << 30)).toFixed(1)} GB of memory, which is as much as one job may have`,
      'Cut the file up, or leave columns out',
    );
}

async function perform(task: JobTask, orm: Store, report: Report, made: Made): Promise<JobResult> {
  switch (task.kind) {
    case 'look':
      return { looks: await look(task.folder, task.files, task.reading, report) };
    case 'import':
      return importLayers(task, orm, report, made);
    case 'version': {
      const as = { role: 'candidate' as const, versionOf: task.sourceId };
      const { id } = await storeLayer(task.folder, task.layer, as, orm, report, made);
      return compared(orm, task.sourceId, id, task.asOf);
    }
    case 'compare':
      return { version: await compareVersions(orm, task.sourceId, task.versionId, task.key, task.asOf) };
    case 'part':
      return { part: await partOfDifference(orm, task.sourceId, task.versionId, task.key, task.part, task.asOf) };
    case 'accept':
      await acceptVersion(orm, task.sourceId, task.versionId, task.asOf);
      return { sourceId: task.sourceId };
    case 'survey':
      return { survey: await surveyAt(task.address, task.key, report) };
    case 'lookAtService':
      return { service: await lookElsewhere(orm, task, report) };
    case 'fetch': {
      const { request, asOf } = task;
      const snapshot = await fetchSnapshot(orm, request, task, part(report, 0, 0.7));
      if (request.live) makeLive(snapshot);
      const as = { role: 'layer' as const };
      const { id, rows } = await storeSnapshot(task.folder, snapshot, { name: request.name, asOf }, as, orm, part(report, 0.7, 1), made);
      await putToUse(entities(orm), [{ id, role: 'layer' }]);
      return { sourceId: id, sourceIds: [id], features: rows };
    }
    case 'fetchAgain': {
      const { sourceId, asOf, key } = task;
      const source = await entities(orm).findOneOrFail(Source, { id: sourceId });
      if (!source.fetchedFrom) throw new ReadError(`${source.name} was not fetched from a service`);
      const query = await askedBefore(source.fetchedFrom, key, report);
      const snapshot = await fetchSnapshot(orm, query, task, part(report, 0, 0.6));
      const as = { role: 'candidate' as const, versionOf: sourceId };
      const { id } = await storeSnapshot(task.folder, snapshot, { name: source.name, asOf }, as, orm, part(report, 0.6, 0.9), made);
      return compared(orm, sourceId, id, asOf);
    }
    case 'ask':
      return askAnew(task, orm, report, made);
    case 'near':
      await holdPart(orm, task, report);
      return {};
    case 'count': {
      const source = await entities(orm).findOneOrFail(Source, { id: task.sourceId }, { populate: ['columns'] });
      return { counts: await countWhole(orm, source, task, report) };
    }
    case 'measure': {
      const table = await loadTable(entities(orm), task.sourceId);
      const measure = measureOf(table, (row) => report(row / table.rows, `${row.toLocaleString('en-GB')} features measured`));
      return { measure };
    }
    case 'compute':
      await computeColumns(orm, task, report);
      return { sourceId: task.sourceId };
    case 'lookAtComputed':
      return { computed: await lookAtComputed(orm, task, report) };
    case 'lookAtTyped':
      return { typed: await lookAtTyped(orm, task, report) };
    case 'lookAtAlike':
      return { alike: await lookAtAlike(orm, task, report) };
    case 'lookAtJoin':
      return { join: await lookAtJoin(orm, task.sourceId, task.join, report) };
    case 'join':
      await joinColumns(orm, task, report);
      return { sourceId: task.sourceId };
    case 'lookAtPlaced':
      return { placed: await lookAtPlaced(orm, task.sourceId, task.placed, report) };
    case 'placed':
      await takeByPlace(orm, task, report);
      return { sourceId: task.sourceId };
    case 'lookAtZoned':
      return { zoned: await lookAtZoned(orm, task.sourceId, task.zoned, task.asOf, report) };
    case 'lookAtSpread':
      return { spread: await lookAtSpread(orm, task.spread, task.asOf, report) };
    case 'zoned':
      await sumUpByZones(orm, task, report);
      return { sourceId: task.sourceId };
    case 'refresh':
      await refreshColumns(orm, task.sourceId, task.asOf, report);
      return { sourceId: task.sourceId };
    case 'shapes':
      await useShapes(orm, task, report);
      return { sourceId: task.sourceId };
    case 'repair':
      return repair(task.sourceId, task.asOf, orm, report);
    case 'extract':
      return makeExtract(orm, task, report);
    case 'make':
      return makeSource(task.source, task.asOf, orm, report, made);
  }
}

/** A stretch of a job's progress. */
function part(report: Report, from: number, to: number): Report {
  return (share, progress) => report(from + share * (to - from), progress);
}

/**
 * Asks a live source anew, and puts what it answers in the place of what it answered before, with the columns that are derived here:
 * all of it, or nothing is changed.
 */
async function askAnew(task: Extract<JobTask, { kind: 'ask' }>, orm: Store, report: Report, made: Made): Promise<JobResult> {
  const { sourceId, otherwise, asOf, key, folder } = task;
  const em = entities(orm);
  const source = await em.findOneOrFail(Source, { id: sourceId }, { populate: ['columns'] });
  const from = source.fetchedFrom;
  if (!from?.live) throw new ReadError(`${source.name} is not live`);
  const { sample, ...other } = otherwise;
  const query = await askedBefore({ ...from, ...other }, key, report);
  if (sample !== undefined) query.sample = sample;
  const snapshot = await fetchSnapshot(orm, query, task, part(report, 0, 0.7));
  makeLive(snapshot);
  const derived = source.columns.getItems().filter(({ derivation }) => derivation !== null);
  if (sampledOf(snapshot.from) !== null && derived.length > 0)
    throw new ReadError(
      `Of a sample nothing is computed, and ${source.name} has columns that were: ${derived.map(({ name }) => name).join(', ')}`,
      'Take them out first, or ask for less so that all of it can be held',
    );
  const [columns, missing] = columnsOfAnswer(snapshot, source.columns.getItems());
  if (missing.length > 0) snapshot.remarks.push(`Columns that came before did not come now, and are blank: ${missing.join(', ')}`);
  const as = { role: 'candidate' as const, versionOf: sourceId };
  const known = { name: source.name, asOf };
  const { id, rows } = await storeSnapshot(folder, { ...snapshot, columns }, known, as, orm, part(report, 0.7, 0.9), made);
  await putToUse(entities(orm), [{ id, role: 'candidate' }]);
  try {
    report(0.95, 'Comparing with the answer before');
    // Two samples have other rows by chance.
    const isSample = [from, snapshot.from].some((one) => sampledOf(one) !== null);
    const version = from.live.held === null || isSample ? null : await compareVersions(orm, sourceId, id, null, asOf);
    await acceptVersion(orm, sourceId, id, asOf, { refuseLost: true });
    return { sourceId, features: rows, ...(version ? { version } : {}) };
  } finally {
    // What was in use before, or what could not be put to use.
    await entities(orm).nativeDelete(Source, { id });
  }
}

/** What came is to be held rather than stored. */
function makeLive({ from, filter, conditions, sample }: Snapshot): void {
  // Another as-of date would keep others, and nobody would ask for them.
  if (filter !== null && hangsOnAsOf(filter))
    throw new ReadError(
      'What is live cannot be asked for by a date that counts from the as-of date',
      'Write the date itself, or put the condition into a sieve',
    );
  from.live = { held: randomUUID(), conditions, ...(sample ? { sample } : {}) };
}

/** The columns that an answer is known to have, and of those the ones that came before and did not come now. */
function columnsOfAnswer({ columns, from }: Snapshot, before: readonly SourceColumnRow[]): [ColumnSchema[], string[]] {
  const missing = before.filter(
    ({ name, derivation, role }) =>
      !derivation && role !== 'id' && !columns.some((column) => column.name === name) && !from.leftOut.includes(name),
  );
  return [[...columns, ...missing.map(({ name, type }) => ({ name, type }))], missing.map(({ name }) => name)];
}

/** Puts another version of a source beside it, compared. */
async function compared(orm: Store, sourceId: number, versionId: number, asOf: number): Promise<JobResult> {
  await putToUse(entities(orm), [{ id: versionId, role: 'candidate' }]);
  try {
    return { version: await compareVersions(orm, sourceId, versionId, null, asOf) };
  } catch (error) {
    await entities(orm).nativeDelete(Source, { id: versionId });
    throw error;
  }
}

/** Stores what is kept of the features that were fetched, not yet in use. */
async function storeSnapshot(
  folder: string,
  snapshot: Snapshot,
  { name, asOf }: { name: string; asOf: number },
  as: Pick<SourceDescription, 'role' | 'versionOf'>,
  orm: Store,
  report: Report,
  made: Made,
): Promise<{ id: number; rows: number }> {
  const { came, from } = snapshot;
  const inFile = async (file: string, system: OwnSystem | null): Promise<LayerHere> => {
    const choice = { file, layer: file.replace(/\.[^.]*$/, ''), name, ...(system ? { crs: system.crs.name } : {}) };
    const here = await readChoice(folder, choice, report);
    return system ? { ...here, read: { ...here.read, table: withAxesOf(here.read.table, system) } } : here;
  };
  const here = 'file' in came ? await inFile(came.file, came.system) : came;
  const kept = await keptOfSnapshot(here.read.table, snapshot, asOf);
  const read = { ...here.read, table: kept.table, notes: [...kept.notes, ...here.read.notes] };
  const known = { ...as, name, fileName: placeOf(from), layer: from.collection, fetchedFrom: from };
  return storeRead({ ...here, read }, known, orm, report, made);
}

async function importLayers(task: Extract<JobTask, { kind: 'import' }>, orm: Store, report: Report, made: Made): Promise<JobResult> {
  const sourceIds: number[] = [];
  let features = 0;
  const share = 1 / task.layers.length;
  try {
    for (const [i, choice] of task.layers.entries()) {
      const part: Report = (done, progress) => report(share * (i + done), progress);
      const { id, rows } = await storeLayer(task.folder, choice, { role: task.role }, orm, part, made);
      sourceIds.push(id);
      features += rows;
    }
    // Several layers come in together or not at all.
    step('layers stored');
    await putToUse(
      entities(orm),
      sourceIds.map((id) => ({ id, role: task.role })),
    );
    step('layers put to use');
  } catch (error) {
    await entities(orm).nativeDelete(Source, { id: { $in: sourceIds } });
    throw error;
  }
  return { sourceId: sourceIds[0], sourceIds, features };
}

/** Reads a layer and stores it, not yet in use. */
async function storeLayer(
  folder: string,
  choice: LayerChoice,
  as: Pick<SourceDescription, 'role' | 'versionOf'>,
  orm: Store,
  report: Report,
  made: Made,
): Promise<{ id: number; rows: number }> {
  const here = await readChoice(folder, choice, report);
  const reading = { crs: choice.crs, longitude: choice.longitude, latitude: choice.latitude, wkt: choice.wkt, bare: choice.bare };
  return storeRead(here, { ...as, name: choice.name, fileName: choice.file, layer: choice.layer, reading }, orm, report, made);
}

async function readChoice(folder: string, choice: LayerChoice, report: Report): Promise<LayerHere> {
  const input = await fileInput(join(folder, choice.file));
  const layer = chosenLayer(await layersIn(input, host), choice.layer, choice.file);
  // Readers tell now the features, now the bytes; the bar never runs back.
  let furthest = 0;
  const progress = (count: number, bytes: number) => {
    const done = layer.features ? count / layer.features : bytes / Math.max(1, layer.input.size);
    furthest = Math.max(furthest, Math.min(1, done));
    report(0.8 * furthest, `${choice.name}: ${count.toLocaleString('en-GB')} features read`);
  };
  const read = await readLayer(layer, { ...readOptions(choice), progress }, host, givenCrs(choice));
  step('layer read');
  return { read, format: layer.format.name, hash: await hashOfFile(join(folder, choice.file)) };
}

/** Stores a layer that was read, not yet in use. */
async function storeRead(
  { read: { table, notes, remarks, encoding }, format, hash }: LayerHere,
  known: Pick<SourceDescription, 'name' | 'fileName' | 'layer' | 'role' | 'versionOf' | 'fetchedFrom' | 'reading'>,
  orm: Store,
  report: Report,
  made: Made,
): Promise<{ id: number; rows: number }> {
  const { name } = known;
  const invalid = await invalidShapes(table, (row) => report(0.85, `${name}: ${row.toLocaleString('en-GB')} shapes checked`));
  report(0.95, `Storing ${table.rows.toLocaleString('en-GB')} features of ${name}`);
  const description: SourceDescription = {
    ...{ ...known, notes, format, hash, encoding: encoding ?? null },
    ...{ remarks: [...remarks, ...invalid.remarks], invalidShapes: invalid.count },
  };
  const id = await storeTable(entities(orm), table, description, { made, step: () => report(0.97, `Storing ${name}`) });
  return { id, rows: table.rows };
}

/** Where features came from, in the place of a file's name. */
const placeOf = ({ address, collection }: FetchedFrom) => `${collection} at ${new URL(address).host}`;

/** The invalid shapes of a table as remarks with reason and place; at most LONGEST_REPORT of them, all counted. */
async function invalidShapes(table: FeatureTable, report: (row: number) => void): Promise<{ count: number; remarks: Remark[] }> {
  if (table.geometry.every((chunk) => chunk.types.every((type) => type <= 1))) return { count: 0, remarks: [] };
  const engine = await geos.get();
  const remarks: Remark[] = [];
  let count = 0;
  for (const { row, reason, location } of invalidRows(table, engine, report)) {
    count++;
    if (remarks.length >= LONGEST_REPORT) continue;
    const place = toLonLat(table.crs)(location[0], location[1]).map((degrees) => degrees.toFixed(6));
    remarks.push({ kind: 'invalid', where: `Feature ${row + 1}`, reason: `${reason} at ${place[0]} ${place[1]}` });
  }
  return { count, remarks };
}

/** Makes the repaired copy of a source's geometry and puts it to use. */
async function repair(sourceId: number, asOf: number, orm: Store, report: Report): Promise<JobResult> {
  report(0, 'Checking the shapes');
  const table = await loadTable(entities(orm), sourceId, 'original');
  const engine = await geos.get();
  const rows = new Set<number>();
  for (const { row } of invalidRows(table, engine, (checked) => report((0.5 * checked) / table.rows, 'Checking the shapes'))) rows.add(row);
  report(0.6, `Repairing ${rows.size.toLocaleString('en-GB')} shapes`);
  const geometry = repairedGeometry(table, rows, engine);
  const columns = await measuredAgain(orm, sourceId, { ...table, geometry }, asOf, report);
  await saveRepaired(entities(orm), sourceId, geometry, columns);
  return { sourceId, features: rows.size };
}

/** Makes a source of its kind and stores it. */
async function makeSource<K extends MadeSourceKind>(
  source: MadeSourceOf<K>,
  asOf: number,
  orm: Store,
  report: Report,
  made: Made,
): Promise<JobResult> {
  const { kind }: { kind: K } = source;
  const { table, description, result } = await MADE_SOURCES[kind].make(source, { orm, asOf, report });
  report(0.8, 'Storing');
  const em = entities(orm);
  const id = await storeTable(em, table, { ...description, role: 'layer' }, { made, step: () => report(0.9, 'Storing') });
  await putToUse(em, [{ id, role: 'layer' }]);
  return { sourceId: id, features: table.rows, ...result };
}
