import { workerData } from 'node:worker_threads';
import {
  boundCurve,
  bufferedShape,
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
  featureText,
  FilterError,
  findingsOf,
  geometryAt,
  Geos,
  GROUP_ROWS,
  has,
  histogram,
  keptBy,
  keptWithout,
  lonLatBoxOf,
  lonLatChunks,
  lonLatGeometryAt,
  matchColumns,
  nearMisses,
  nodesIn,
  oneShape,
  packDisplay,
  printGeometry,
  profileOf,
  rowsOf,
  Sifter,
  siftTree,
  timeCounts,
  typeOffers,
  valueAt,
  type Box,
  type CheckOptions,
  type Column,
  type FeatureTable,
  type Group,
  type Mask,
  type ShownMatch,
} from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import type {
  BufferedAnswer,
  CountsAnswer,
  CurveAnswer,
  EmptinessAnswer,
  FeatureAnswer,
  FiguresAnswer,
  HistogramAnswer,
  NearbyAnswer,
  OffersAnswer,
  ProfileAnswer,
  Order,
  RowsAnswer,
  TimesAnswer,
  Selection,
  ValidAnswer,
  ValuesAnswer,
} from '../api/contract.ts';
import { packSift } from '../api/sift_frame.ts';
import { once } from '../once.ts';
import { entities, openStore, type ThreadData } from '../store/store.ts';
import { WriteTurn } from '../store/write_turn.ts';
import { loadTable } from '../store/table_store.ts';
import { areaShapes } from '../workspace.ts';
import { feedSystems } from '../feeds/params.ts';
import { feedItem, feedItems, feedTile, keptBits } from '../feeds/items.ts';
import { layerRows, previewLayer } from '../extracts/preview.ts';
import { CodeList, Source } from '../store/entities.ts';
import { layerNames, nameLayers, prepare } from './named_layers.ts';
import type { SiftTask } from './tasks.ts';

/** The thread that holds the opened sources and answers every question about them. */

const { database, turn } = workerData as ThreadData;
const OPEN_SOURCES = 12;

interface OpenSource {
  table: FeatureTable;
  /** Another one whenever the source is opened anew. */
  state: string;
  sifters: Map<number, Sifter>;
  /** The last order of rows asked for, so that scrolling does not sort again. */
  sorted: { key: string; rows: Uint32Array } | null;
  /** The last columns that conditions showed. */
  matched: { key: string; columns: ShownMatch[] } | null;
}
let loads = 0;

const store = once(() => openStore(database, { migrate: false, turn: new WriteTurn(turn) }));
const geos = once(() => Geos.open());
const open = new Map<number, OpenSource>();
const areas = once(async () => areaShapes(entities(await store.get())));

async function opened(sourceId: number): Promise<OpenSource> {
  let source = open.get(sourceId);
  if (source) open.delete(sourceId);
  else {
    const table = await loadTable(entities(await store.get()), sourceId);
    source = { table, state: String(++loads), sifters: new Map(), sorted: null, matched: null };
    if (open.size >= OPEN_SOURCES) open.delete(open.keys().next().value!);
  }
  open.set(sourceId, source);
  return source;
}

async function sifterOf(source: OpenSource, asOf: number): Promise<Sifter> {
  let sifter = source.sifters.get(asOf);
  if (!sifter) {
    sifter = new Sifter(source.table, asOf, CRS84, await geos.get());
    sifter.systems = feedSystems(source.table.crs).map(({ crs }) => crs);
    source.sifters.clear();
    source.sifters.set(asOf, sifter);
  }
  return sifter;
}

/** The answer, or what is wrong with the question: an error would lose its class on the way between threads. */
export default async function run(task: SiftTask): Promise<{ answer: unknown } | { refused: string }> {
  try {
    return { answer: await answer(task) };
  } catch (error) {
    if (error instanceof FilterError) return { refused: error.line };
    if ((error as Error).name === 'NotFoundError') return { refused: 'The source is no longer there' };
    throw error;
  }
}

async function answer(task: SiftTask): Promise<unknown> {
  if (task.kind === 'forget') return void open.delete(task.sourceId);
  if (task.kind === 'areas') return areas.forget();
  if (task.kind === 'valid') return oneShape(task.shapes, await geos.get()) satisfies ValidAnswer;
  if (task.kind === 'buffered')
    return bufferedShape(task.geometry, task.metres, await geos.get()) satisfies BufferedAnswer;
  const source = await opened(task.sourceId);
  const sifter = await sifterOf(source, task.asOf);
  const trees = 'tree' in task ? [task.tree] : 'trees' in task ? task.trees : [];
  const em = entities(await store.get());
  const shapes = await areas.get();
  const layers = nameLayers(trees) ? await layerNames(em) : undefined;
  for (const tree of trees) checkTree(tree, source.table, { areas: shapes, layers });
  const sifterById = async (id: number) => {
    const other = await opened(id);
    return { sifter: await sifterOf(other, task.asOf), state: other.state };
  };
  await prepare(sifter, trees.map((tree) => exprOfTree(tree) ?? true), { em, areas: shapes, sifter: sifterById }); // prettier-ignore
  switch (task.kind) {
    case 'sift':
      return siftFrame(sifter, task, task.today);
    case 'rows':
      return rowsPage(source, sifter, task, task.order, task.offset, task.limit);
    case 'rowNumbers':
      return {
        rows: [...sortedRows(source, sifter, task, task.order).subarray(task.offset, task.offset + task.count)],
      };
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
    case 'shape':
      return shapeOf(sifter, task.row === null ? [...rowsOf(siftTree(sifter, task.tree).mask)] : [task.row]);
    case 'nearby':
      return { shapes: nearbyShapes(source.table, task.box) } satisfies NearbyAnswer;
    case 'rowsOfLayer':
    case 'preview': {
      const row = await em.findOneOrFail(Source, { id: task.sourceId }, { populate: ['columns'] });
      const codeLists = await em.find(CodeList, {});
      const work = task.kind === 'preview' ? previewLayer : layerRows;
      return work(sifter, task.layer, task.request, row, codeLists, await geos.get());
    }
    case 'feature': {
      if (task.row >= source.table.rows) throw new FilterError('There is no such feature', null);
      const geometry = lonLatGeometryAt(source.table, task.row);
      return { geojson: featureText(source.table, task.row), wkt: geometry ? printGeometry(geometry) : '' };
    }
    case 'kept':
      return keptBits(sifter, task.tree);
    case 'items':
      return feedItems(sifter, task);
    case 'item':
      return feedItem(sifter, task);
    case 'tile':
      return feedTile(sifter, task);
    case 'check':
      return null;
  }
}

/** A shape of more vertices is better used as the source or sieve that it comes from. */
const MOST_VERTICES = 200_000;

/** Features as one valid shape in longitude and latitude. */
async function shapeOf(sifter: Sifter, rows: number[]): Promise<ValidAnswer> {
  const { table } = sifter;
  const chunks = lonLatChunks(table);
  let vertices = 0;
  const shapes = rows.flatMap((row) => {
    const chunk = chunks[Math.floor(row / GROUP_ROWS)];
    const [from, to] = chunk.vertexRange(row % GROUP_ROWS);
    vertices += to - from;
    if (vertices > MOST_VERTICES)
      throw new FilterError(
        `These features have more than ${MOST_VERTICES.toLocaleString('en-GB')} corners`,
        null,
        'Use the source or the sieve itself as the place of a condition',
      );
    return chunk.geometryAt(row % GROUP_ROWS) ?? [];
  });
  if (shapes.length === 0) throw new FilterError('There is no shape to make an area of', null);
  return oneShape(shapes, await geos.get());
}

/** More features nearby are none worth snapping to. */
const MOST_NEARBY = 400;

/** Exact shapes of the features in a box, in longitude and latitude; none where there are too many to tell apart. */
function nearbyShapes(table: FeatureTable, box: Box): Geometry[] {
  const found = lonLatChunks(table).flatMap((chunk) => chunk.rowsInBox(box).map((row) => ({ chunk, row })));
  return found.length > MOST_NEARBY ? [] : found.flatMap(({ chunk, row }) => chunk.geometryAt(row) ?? []);
}

function checkTree(tree: Group, table: FeatureTable, options: CheckOptions): void {
  for (const { node } of nodesIn(tree))
    if (node.kind === 'condition' && !node.off) checkFilter(node.expr, table.columns, options);
}

function known(table: FeatureTable, name: string): Column {
  const column = columnNamed(table, name);
  if (!column) throw new FilterError(`There is no column ${name}`, null);
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

/** Columns that the conditions show of what they are about; a look at near misses shows how far those are. */
function shownMatches(source: OpenSource, sifter: Sifter, selection: Selection): ShownMatch[] {
  const { tree, nearMissesOf } = selection;
  const asked = [...nodesIn(tree)].map(({ node }) => (node.kind === 'condition' && node.shows ? [node.id, node.shows] : null)); // prettier-ignore
  if (nearMissesOf === undefined && asked.every((one) => one === null)) return [];
  const key = JSON.stringify([sifter.asOf, sifter.resolve(exprOfTree(tree) ?? true), asked, nearMissesOf]);
  if (source.matched?.key === key) return source.matched.columns;
  const also = nearMissesOf === undefined ? undefined : { condition: nearMissesOf, shows: ['nearest' as const] };
  const columns = matchColumns(sifter, tree, selected(sifter, selection), also);
  source.matched = { key, columns };
  return columns;
}

function sortedRows(source: OpenSource, sifter: Sifter, selection: Selection, order: Order): Uint32Array {
  const matches = shownMatches(source, sifter, selection);
  const key = JSON.stringify([
    sifter.asOf,
    sifter.resolve(exprOfTree(selection.tree) ?? true),
    selection.nearMissesOf,
    selection.nearMissesOf && selection.tree,
    order,
    matches.map(({ column }) => column.name),
  ]);
  if (source.sorted?.key === key) return source.sorted.rows;
  const rows = rowsOf(selected(sifter, selection));
  // A column that a condition showed a moment ago is gone with it: the source's own order then.
  const by = order && (matches.find(({ column }) => column.name === order.column)?.column ?? columnNamed(source.table, order.column)); // prettier-ignore
  if (by) rows.sort(compareRows(by, order.descending));
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
  const matches = shownMatches(source, sifter, selection);
  const rows = sortedRows(source, sifter, selection, order);
  const page = [...rows.subarray(offset, offset + limit)];
  return {
    total: rows.length,
    matches: matches.map(({ condition, shows, column: { name, type } }) => ({ condition, shows, name, type })),
    rows: page.map((row) => ({
      row,
      cells: [...cells(source.table, row), ...matches.map(({ column }) => valueAt(column, row))],
    })),
  };
}

function featureAnswer(sifter: Sifter, tree: Group, row: number): FeatureAnswer {
  const { table } = sifter;
  if (row >= table.rows) throw new FilterError(`There is no feature ${row}`, null);
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
