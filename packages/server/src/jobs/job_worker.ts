import { join } from 'node:path';
import { workerData } from 'node:worker_threads';
import {
  Cancelled,
  chosenLayer,
  cutPlaceOf,
  cutRows,
  exprOfTree,
  findNode,
  formOfExpr,
  Geos,
  invalidRows,
  fullMask,
  layersIn,
  measureOf,
  LONGEST_REPORT,
  printFilter,
  ReadError,
  readLayer,
  repairedGeometry,
  rowsOf,
  takeRows,
  toLonLat,
  withMatchColumns,
  writtenFormatNamed,
  type CutReport,
  type FeatureTable,
  type Group,
  type Remark,
} from '@clean-sieve/core';
import { givenCrs, look, readOptions } from './look.ts';
import { fileInput, host } from '../files/file_input.ts';
import { writeLayers } from '../extracts/write_layers.ts';
import { Source } from '../store/entities.ts';
import { entities, openStore, type Store } from '../store/store.ts';
import { loadTable, saveRepaired, saveTable, type SourceDescription } from '../store/table_store.ts';
import { openSources, prepare } from '../sifting/named_layers.ts';
import { acceptVersion, compareVersions } from './versions.ts';
import type { Cut, LayerChoice } from '../api/contract.ts';
import type { JobMessage, JobOutcome, JobResult, JobTask } from './tasks.ts';

const { database } = workerData as { database: string };
let store: Promise<Store> | null = null;

type Report = (share: number, progress: string) => void;

/** Runs one job. Nothing it makes can be seen before it is complete. */
export default async function run({ task, port, stop }: JobMessage): Promise<JobOutcome> {
  const flag = new Int32Array(stop);
  let last = 0;
  const report: Report = (share, progress) => {
    if (Atomics.load(flag, 0) !== 0) throw new Cancelled();
    const now = Date.now();
    if (now - last < 80) return;
    last = now;
    port.postMessage({ share, progress });
  };
  try {
    store ??= openStore(database, { migrate: false });
    return { done: await perform(task, await store, report) };
  } catch (error) {
    if (error instanceof Cancelled) return { cancelled: true };
    return { failed: error instanceof ReadError ? `${error.line}.` : (error as Error).message };
  } finally {
    port.close();
  }
}

async function perform(task: JobTask, orm: Store, report: Report): Promise<JobResult> {
  switch (task.kind) {
    case 'look':
      return { looks: await look(task.folder, task.files, task.reading, report) };
    case 'import':
      return importLayers(task, orm, report);
    case 'version': {
      const as = { role: 'candidate' as const, versionOf: task.sourceId };
      const { id } = await importLayer(task.folder, task.layer, as, orm, report);
      return { version: await compareVersions(orm, task.sourceId, id, null, task.asOf) };
    }
    case 'compare':
      return { version: await compareVersions(orm, task.sourceId, task.versionId, task.key, task.asOf) };
    case 'accept':
      await acceptVersion(orm, task.sourceId, task.versionId);
      return { sourceId: task.sourceId };
    case 'measure': {
      const table = await loadTable(entities(orm), task.sourceId);
      const measure = measureOf(table, (row) =>
        report(row / table.rows, `${row.toLocaleString('en-GB')} features measured`),
      );
      return { measure };
    }
    case 'repair':
      return repair(task.sourceId, orm, report);
    case 'extract':
      return extract(task, orm, report);
    case 'subset':
      return subset(task, orm, report);
  }
}

async function importLayers(
  task: Extract<JobTask, { kind: 'import' }>,
  orm: Store,
  report: Report,
): Promise<JobResult> {
  const sourceIds: number[] = [];
  let features = 0;
  const share = 1 / task.layers.length;
  try {
    for (const [i, choice] of task.layers.entries()) {
      const part: Report = (done, progress) => report(share * (i + done), progress);
      const { id, rows } = await importLayer(task.folder, choice, { role: task.role }, orm, part);
      sourceIds.push(id);
      features += rows;
    }
  } catch (error) {
    // Several layers come in together or not at all.
    await entities(orm).nativeDelete(Source, { id: { $in: sourceIds } });
    throw error;
  }
  return { sourceId: sourceIds[0], sourceIds, features };
}

async function importLayer(
  folder: string,
  choice: LayerChoice,
  as: Pick<SourceDescription, 'role' | 'versionOf'>,
  orm: Store,
  report: Report,
): Promise<{ id: number; rows: number }> {
  const input = await fileInput(join(folder, choice.file));
  const layer = chosenLayer(await layersIn(input, host), choice.layer, choice.file);
  // Readers tell now the features, now the bytes; the bar never runs back.
  let furthest = 0;
  const progress = (count: number, bytes: number) => {
    const done = layer.features ? count / layer.features : bytes / Math.max(1, layer.input.size);
    furthest = Math.max(furthest, Math.min(1, done));
    report(0.8 * furthest, `${choice.name}: ${count.toLocaleString('en-GB')} features read`);
  };
  const { table, notes, remarks, encoding } = await readLayer(
    layer,
    { ...readOptions(choice), progress },
    host,
    givenCrs(choice),
  );
  const invalid = await invalidShapes(table, (row) =>
    report(0.85, `${choice.name}: ${row.toLocaleString('en-GB')} shapes checked`),
  );
  report(0.95, `Storing ${table.rows.toLocaleString('en-GB')} features of ${choice.name}`);
  const id = await saveTable(entities(orm), table, {
    ...as,
    ...{ name: choice.name, fileName: choice.file, layer: choice.layer, notes },
    remarks: [...remarks, ...invalid.remarks],
    invalidShapes: invalid.count,
    format: layer.format.name,
    encoding: encoding ?? null,
  });
  return { id, rows: table.rows };
}

let geos: Promise<Geos> | null = null;

/** The invalid shapes of a table as remarks with reason and place; at most LONGEST_REPORT of them, all counted. */
async function invalidShapes(
  table: FeatureTable,
  report: (row: number) => void,
): Promise<{ count: number; remarks: Remark[] }> {
  if (table.geometry.every((chunk) => chunk.types.every((type) => type <= 1))) return { count: 0, remarks: [] };
  const engine = await (geos ??= Geos.open());
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
async function repair(sourceId: number, orm: Store, report: Report): Promise<JobResult> {
  report(0, 'Checking the shapes');
  const table = await loadTable(entities(orm), sourceId, 'original');
  const engine = await (geos ??= Geos.open());
  const rows = new Set<number>();
  for (const { row } of invalidRows(table, engine, (checked) =>
    report((0.5 * checked) / table.rows, 'Checking the shapes'),
  ))
    rows.add(row);
  report(0.6, `Repairing ${rows.size.toLocaleString('en-GB')} shapes`);
  await saveRepaired(entities(orm), sourceId, repairedGeometry(table, rows, engine));
  return { sourceId, features: rows.size };
}

interface Kept {
  table: FeatureTable;
  rows: Uint32Array;
  /** Features of the source. */
  of: number;
  cut: CutReport | null;
}

/** What a tree keeps, with the columns that it shows, cut if that is asked. */
async function keptRows(
  orm: Store,
  { sourceId, tree, asOf, cut }: { sourceId: number; tree: Group; asOf: number; cut: Cut },
  report: Report,
): Promise<Kept> {
  const engine = await (geos ??= Geos.open());
  const open = await openSources(orm, asOf, engine);
  const { sifter } = await open.sifter(sourceId);
  const expr = exprOfTree(tree);
  await prepare(sifter, expr ?? true, open);
  const mask = expr === null ? fullMask(sifter.table.rows) : sifter.verdict(expr).yes;
  const [table, rows, of] = [withMatchColumns(sifter, tree, mask), rowsOf(mask), sifter.table.rows];
  const node = cut && findNode(tree, cut.condition)?.node;
  const place = node?.kind === 'condition' ? cutPlaceOf(formOfExpr(node.expr, sifter.table.columns)) : null;
  if (!cut || !place) {
    if (cut) throw new Error('What is kept cannot be cut by this condition');
    return { table, rows, of, cut: null };
  }
  const done = cutRows(sifter, table, rows, place, cut.tolerance, engine, (row) =>
    report((0.3 * row) / Math.max(1, rows.length), `${row.toLocaleString('en-GB')} of ${rows.length.toLocaleString('en-GB')} features cut`),
  ); // prettier-ignore
  return {
    table: done.table,
    rows: Uint32Array.from({ length: done.table.rows }, (_, row) => row),
    of,
    cut: done.report,
  };
}

/** What cutting did, for the notes of what was made. */
function cutInWords({ cut, whole, gone, slivers, flattened }: CutReport, tolerance: number): string {
  const count = (value: number, what: string) => `${value.toLocaleString('en-GB')} ${what}`;
  return [
    `Cut: ${count(cut, cut === 1 ? 'feature' : 'features')} cut, ${count(whole, 'wholly within')}`,
    ...(gone > 0 ? [`${count(gone, 'that only touch left out')}`] : []),
    ...(flattened > 0 ? [`heights of ${count(flattened, 'left out')}`] : []),
    ...(tolerance > 0 ? [`${count(slivers, `parts below ${tolerance} m² or m`)}`] : []),
  ].join(', ');
}

function plainLayer(table: FeatureTable, rows: Uint32Array) {
  return { name: 'features', description: null, table, rows, shapes: true, about: new Map(), colour: '#2c5b4b', wkt: null, coordinates: null, guarded: true, made: new Date() };
}

async function extract(task: Extract<JobTask, { kind: 'extract' }>, orm: Store, report: Report): Promise<JobResult> {
  report(0, 'Sifting');
  const { table, rows, cut } = await keptRows(orm, task, report);
  const bytes = await writeLayers(task.path, writtenFormatNamed(task.format), [plainLayer(table, rows)], report);
  return { features: rows.length, bytes, ...(cut ? { cut } : {}) };
}

async function subset(task: Extract<JobTask, { kind: 'subset' }>, orm: Store, report: Report): Promise<JobResult> {
  report(0, 'Sifting');
  const { table, rows, of, cut } = await keptRows(orm, task, report);
  report(0.3, `Copying ${rows.length.toLocaleString('en-GB')} features`);
  const kept = takeRows(table, rows);
  report(0.8, 'Storing');
  const em = entities(orm);
  const source = await em.findOneOrFail(Source, { id: task.sourceId });
  const expr = exprOfTree(task.tree);
  const sourceId = await saveTable(em, kept, {
    name: task.name,
    fileName: source.fileName,
    format: source.format,
    layer: source.layer ?? null,
    encoding: source.encoding ?? null,
    remarks: [],
    invalidShapes: 0,
    role: 'layer',
    notes: [
      `Taken on ${new Date().toISOString().slice(0, 10)} from ${source.name}: ${rows.length} of ${of} features. It does not follow later changes.`,
      `Kept: ${task.sentence}`,
      ...(expr === null ? [] : [`Filter: ${printFilter(expr)}`]),
      ...(cut ? [cutInWords(cut, task.cut!.tolerance)] : []),
    ],
  });
  return { sourceId, features: rows.length, ...(cut ? { cut } : {}) };
}
