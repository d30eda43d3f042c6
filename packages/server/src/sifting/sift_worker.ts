import { workerData } from 'node:worker_threads';
import {
  boundCurve,
  checkFilter,
  columnNamed,
  compareRows,
  count,
  CRS84,
  displayGeometry,
  emptiness,
  distinctValues,
  figuresOf,
  explainFeature,
  exprOfTree,
  FilterError,
  findingsOf,
  geometryAt,
  Geos,
  has,
  histogram,
  keptBy,
  keptWithout,
  lonLatBoxOf,
  nearMisses,
  nodesIn,
  packDisplay,
  profileOf,
  rowsOf,
  Sifter,
  siftTree,
  timeCounts,
  typeOffers,
  valueAt,
  type AreaShapes,
  type Column,
  type FeatureTable,
  type Group,
  type Mask,
} from '@clean-sieve/core';
import type {
  CountsAnswer,
  CurveAnswer,
  EmptinessAnswer,
  FeatureAnswer,
  FiguresAnswer,
  HistogramAnswer,
  OffersAnswer,
  ProfileAnswer,
  Order,
  RowsAnswer,
  TimesAnswer,
  Selection,
  ValuesAnswer,
} from '../api/contract.ts';
import { packSift } from '../api/sift_frame.ts';
import { entities, openStore, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';
import { areaShapes } from '../workspace.ts';
import type { SiftTask } from './tasks.ts';

/** The thread that holds the opened sources and answers every question about them. */

const { database } = workerData as { database: string };
const OPEN_SOURCES = 12;

interface OpenSource {
  table: FeatureTable;
  sifters: Map<number, Sifter>;
  /** The last order of rows asked for, so that scrolling does not sort again. */
  sorted: { key: string; rows: Uint32Array } | null;
}

let store: Promise<Store> | null = null;
let geos: Promise<Geos> | null = null;
const open = new Map<number, OpenSource>();
let areas: Promise<AreaShapes> | null = null;

const theStore = () => (store ??= openStore(database, { migrate: false }));

async function opened(sourceId: number): Promise<OpenSource> {
  let source = open.get(sourceId);
  if (source) open.delete(sourceId);
  else {
    source = { table: await loadTable(entities(await theStore()), sourceId), sifters: new Map(), sorted: null };
    if (open.size >= OPEN_SOURCES) open.delete(open.keys().next().value!);
  }
  open.set(sourceId, source);
  return source;
}

/** The answer, or what is wrong with the question: an error would lose its class on the way between threads. */
export default async function run(task: SiftTask): Promise<{ answer: unknown } | { refused: string }> {
  try {
    return { answer: await answer(task) };
  } catch (error) {
    if (error instanceof FilterError) return { refused: error.line };
    throw error;
  }
}

async function answer(task: SiftTask): Promise<unknown> {
  if (task.kind === 'forget') return void open.delete(task.sourceId);
  if (task.kind === 'areas') return void (areas = null);
  const source = await opened(task.sourceId);
  let sifter = source.sifters.get(task.asOf);
  if (!sifter) {
    sifter = new Sifter(source.table, task.asOf, CRS84, await (geos ??= Geos.open()));
    source.sifters.clear();
    source.sifters.set(task.asOf, sifter);
  }
  const trees = 'tree' in task ? [task.tree] : 'trees' in task ? task.trees : [];
  sifter.areas = await (areas ??= theStore().then((orm) => areaShapes(entities(orm))));
  for (const tree of trees) checkTree(tree, source.table, sifter.areas);
  switch (task.kind) {
    case 'sift':
      return siftFrame(sifter, task, task.today);
    case 'rows':
      return rowsPage(source, sifter, task, task.order, task.offset, task.limit);
    case 'place':
      return { place: sortedRows(source, sifter, task, task.order).indexOf(task.row) };
    case 'why':
      return featureAnswer(sifter, task.tree, task.row);
    case 'values':
      return {
        values: distinctValues(known(source.table, task.column), source.table.rows, siftTree(sifter, task.tree).mask),
      } satisfies ValuesAnswer;
    case 'histogram':
      return {
        histogram: histogram(known(source.table, task.column), task.bins, siftTree(sifter, task.tree).mask),
      } satisfies HistogramAnswer;
    case 'curve':
      return {
        curve: boundCurve(sifter, task.tree, task.condition, task.side),
      } satisfies CurveAnswer;
    case 'emptiness':
      return { emptiness: emptiness(sifter, task.tree) } satisfies EmptinessAnswer;
    case 'counts':
      return { kept: task.trees.map((tree) => keptBy(sifter, tree)) } satisfies CountsAnswer;
    case 'times':
      return {
        times: timeCounts(known(source.table, task.column), source.table.rows, siftTree(sifter, task.tree).mask),
      } satisfies TimesAnswer;
    case 'figures': {
      const column = known(source.table, task.column);
      return {
        all: figuresOf(source.table, column, null),
        kept: figuresOf(source.table, column, siftTree(sifter, task.tree).mask),
      } satisfies FiguresAnswer;
    }
    case 'profile':
      return profileOf(source.table, known(source.table, task.column)) satisfies ProfileAnswer;
    case 'offers':
      return { offers: typeOffers(known(source.table, task.column)) } satisfies OffersAnswer;
    case 'pairs':
      return { entries: pairs(source.table, task.code, task.meaning) };
    case 'display':
      return packDisplay(displayGeometry(source.table));
    case 'check':
      return null;
  }
}

function checkTree(tree: Group, table: FeatureTable, areas: AreaShapes): void {
  for (const { node } of nodesIn(tree))
    if (node.kind === 'condition' && !node.off) checkFilter(node.expr, table.columns, { areas });
}

function known(table: FeatureTable, name: string): Column {
  const column = columnNamed(table, name);
  if (!column) throw new Error(`There is no column ${name}`);
  return column;
}

/** Each code of one column with the first meaning that another gives it, by code. */
function pairs(table: FeatureTable, code: string, meaning: string): [string, string][] {
  const [codes, meanings] = [known(table, code), known(table, meaning)];
  const found = new Map<string, string>();
  for (let row = 0; row < table.rows; row++) {
    const [key, value] = [valueAt(codes, row), valueAt(meanings, row)];
    if (key !== null && value !== null && !found.has(String(key))) found.set(String(key), String(value));
  }
  return [...found].sort(([a], [b]) => (a < b ? -1 : 1));
}

function siftFrame(sifter: Sifter, selection: Selection, today: number | null): Uint8Array {
  const { tree } = selection;
  const { total, kept, unknown, rows } = siftTree(sifter, tree);
  const missed: Record<string, number> = {};
  const without: Record<string, number> = {};
  for (const { node } of nodesIn(tree)) {
    if (exprOfTree(node) === null) continue;
    without[node.id] = keptWithout(sifter, tree, node.id);
    if (node.kind === 'condition') missed[node.id] = count(nearMisses(sifter, tree, node.id));
  }
  return packSift(
    { total, kept, unknown, rows, nearMisses: missed, without, findings: findingsOf(sifter, tree, rows, today) },
    selected(sifter, selection),
  );
}

function selected(sifter: Sifter, { tree, nearMissesOf }: Selection): Mask {
  return nearMissesOf === undefined ? siftTree(sifter, tree).mask : nearMisses(sifter, tree, nearMissesOf);
}

function sortedRows(source: OpenSource, sifter: Sifter, selection: Selection, order: Order): Uint32Array {
  const key = JSON.stringify([
    sifter.asOf,
    exprOfTree(selection.tree),
    selection.nearMissesOf,
    selection.nearMissesOf && selection.tree,
    order,
  ]);
  if (source.sorted?.key === key) return source.sorted.rows;
  const rows = rowsOf(selected(sifter, selection));
  if (order) rows.sort(compareRows(known(source.table, order.column), order.descending));
  source.sorted = { key, rows };
  return rows;
}

function cells(table: FeatureTable, row: number) {
  return table.columns.map((column) => valueAt(column, row));
}

function rowsPage(
  source: OpenSource,
  sifter: Sifter,
  selection: Selection,
  order: Order,
  offset: number,
  limit: number,
): RowsAnswer {
  const rows = sortedRows(source, sifter, selection, order);
  const page = [...rows.subarray(offset, offset + limit)];
  return { total: rows.length, rows: page.map((row) => ({ row, cells: cells(source.table, row) })) };
}

function featureAnswer(sifter: Sifter, tree: Group, row: number): FeatureAnswer {
  const { table } = sifter;
  if (row >= table.rows) throw new Error(`There is no feature ${row}`);
  const box = lonLatBoxOf(table, row);
  return {
    row,
    kept: has(siftTree(sifter, tree).mask, row),
    cells: cells(table, row),
    box: box[0] <= box[2] ? box : null,
    geometryType: geometryAt(table, row)?.type ?? 'no geometry',
    reasons: explainFeature(sifter, tree, row),
  };
}
