import {
  checkFilter,
  conditionsIn,
  countsOthers,
  extentOfRows,
  GEOMETRY_NAME,
  has,
  isGeographic,
  nodesIn,
  partFilter,
  ReadError,
  readLayer,
  rowsOf,
  Sifter,
  takeRows,
  withKnownColumns,
  withShapes,
  CRS84,
  type AreaShapes,
  type Asked,
  type Box,
  type ColumnSchema,
  type DecidedBy,
  type Declared,
  type Expr,
  type FeatureTable,
  type Group,
  type Operand,
  type TreeNode,
} from '@clean-sieve/core';
import type { WholeCounts } from '../api/contract.ts';
import { geos } from '../export/kept_of_source.ts';
import { keyFor } from '../fetching/kept_keys.ts';
import type { Report } from '../fetching/listening.ts';
import { fitting } from '../fetching/meant.ts';
import { host } from '../files/file_input.ts';
import { openSources, operandNames, operandsOf } from '../sifting/named_operands.ts';
import type { SourceRow } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { areaShapes } from '../workspace_state.ts';
import { databaseAddressOf } from './database_address.ts';
import type { Database } from './database.ts';
import { LACKS_HOLES, mayLackHoles, withDatabase } from './database_jobs.ts';
import { countOf } from './read_rows.ts';
import { alongThere, stackThere } from './stack_there.ts';
import type { DecidingHere } from './decided_here.ts';
import { layerOf, tableOf } from './table_layer.ts';
import { declaredOfTable, typeHere, type DescribedTable } from './tables.ts';

/** What is told of the whole of a source of which only a sample is held: by the database, at this moment. */

/** The table that a source is a sample of, and what of it the source is about. */
export interface Whole {
  database: Database;
  table: DescribedTable;
  /** What the source is asked for, which the database decides. */
  own: Asked;
  areas: AreaShapes;
  tell: Report;
}

export async function withWhole<T>(em: Entities, source: SourceRow, report: Report, work: (whole: Whole) => Promise<T>): Promise<T> {
  const { address: text, collection, filter } = source.fetchedFrom!;
  const { address } = databaseAddressOf(text);
  const key = await keyFor(em, new URL(text));
  return withDatabase(address, key?.value ?? null, report, async (database, tell) => {
    const table = await tableOf(database, collection);
    const { asked: own, conditions } = fitting(filter, columnsThere(table, source), new Map(), declaredHere(table, source));
    if (conditions.some(({ by }) => by !== 'there'))
      throw new ReadError(`${collection} is not as it was: the database no longer decides what ${source.name} is asked for`, 'Ask it anew');
    return work({ database, table, own, areas: await areaShapes(em), tell });
  });
}

/**
 * The numbers of a stack over the whole table. Where too many rows would have to come to tell what a condition does alone, only what
 * conditions that all have to hold leave one after the other; null where that cannot be told either.
 * @param tree by names
 */
export function countWhole(
  orm: Store,
  source: SourceRow,
  { tree, asOf, most }: { tree: Group; asOf: number; most?: number },
  report: Report,
): Promise<WholeCounts | null> {
  return withWhole(entities(orm), source, report, async ({ database, table, own, areas, tell }) => {
    // Columns that are of another type there than here mean something else in conditions: those are not asked there.
    const alike = { ...table, columns: table.columns.filter((column) => isAlike(column, source)) };
    const conditions = conditionsIn(tree).map(({ expr }) => expr);
    const open = await openSources(orm, asOf, await geos.get());
    for (const expr of conditions) checkFilter(expr, columnsOf(source), { areas, operands: await operandNames(open.em) });
    const { operands } = await operandsOf(conditions, open);
    const places = placesOf(operands);
    const here = { ...{ asOf, geos: await geos.get(), operands, places, tell }, ...(most === undefined ? {} : { most }) };
    const shaped = inConditions(tree, (expr) => withShapes(expr, areas));
    const counted =
      (await stackThere(database, alike, shaped, here, own.filter)) ?? (await alongOf(database, alike, shaped, here, own.filter));
    return counted && { ...counted, decided: decidedIn(shaped, { ...declaredOfTable(alike), places }) };
  });
}

/** The boxes in which sources and sieves lie that have features with shapes. */
export function placesOf(operands: ReadonlyMap<string, Operand>): ReadonlyMap<string, Box> {
  const boxes = [...operands].map(([name, { table, rows }]) => [name, extentOfRows(table, rows)] as const);
  return new Map(boxes.flatMap(([name, box]) => (box === null ? [] : [[name, box]])));
}

/** The numbers along the conditions of a stack that all have to hold; null for any other. */
async function alongOf(database: Database, table: DescribedTable, tree: Group, here: DecidingHere, among: Expr | null) {
  const conditions = tree.children.flatMap((node) => (node.off ? [] : [node]));
  const exprs = conditions.flatMap((node) => (node.kind === 'condition' ? [node.expr] : []));
  if (tree.combine !== 'all' || tree.off || exprs.length < conditions.length) return null;
  const along = await alongThere(database, table, exprs, here, among);
  if (!along) return null;
  const { total, kept, unknown, came } = along;
  const rows = along.rows.map((row, i) => ({ id: conditions[i].id, reach: i === 0 ? total : along.rows[i - 1].left, ...row }));
  return { total, kept, unknown, came, rows: [{ id: tree.id, reach: total, left: kept, unknown }, ...rows] };
}

/** Rows of the whole table, and how they came. */
export interface ReadWhole {
  /** At least all that the conditions keep, with the columns of the source. */
  table: FeatureTable;
  /** Features that the source is about, of which these are some. */
  of: number;
  askedAt: string;
  remarks: string[];
}

/** Where features are wanted: in one of these boxes, in degrees, and no more than so many. */
export interface Wherein {
  boxes: readonly Box[];
  most: number;
}

/**
 * Reads what a filter can keep of the whole table. Throws a ReadError.
 * @param expr about the source's columns, by names; null keeps everything
 * @param wherein in which part of it; everywhere where it is null
 */
export function readWhole(
  orm: Store,
  source: SourceRow,
  { expr, asOf, wherein = null }: { expr: Expr | null; asOf: number; wherein?: Wherein | null },
  report: Report,
): Promise<ReadWhole> {
  return withWhole(entities(orm), source, report, async ({ database, table, own, areas, tell }) => {
    const part = bothOf(own, partOfFilter(expr, areas, declaredHere(table, source)));
    const askedAt = new Date().toISOString();
    tell(0, 'Counting');
    const asked = wherein === null ? part : bothOf(lyingIn(table, wherein), part);
    // How many there are without the conditions is told of all; it takes long, and nobody asks of a part.
    const of = wherein === null ? await countOf(database, table, own) : 0;
    const matched = await countOf(database, table, asked);
    const words = matched.toLocaleString('en-GB');
    if (wherein !== null && matched > wherein.most)
      throw new ReadError(
        `${words} features of ${source.name} lie so near, and no more than ${wherein.most.toLocaleString('en-GB')} are brought here`,
        'Choose a smaller distance, or ask for less of it',
      );
    const progress = (rows: number) =>
      tell(Math.min(1, rows / Math.max(1, matched)), `${rows.toLocaleString('en-GB')} of ${words} rows read from ${database.address.host}`);
    const read = await readLayer(layerOf(database, table, asked), { progress }, host);
    return {
      ...{ table: await asHere(read.table, source, asOf), of, askedAt },
      remarks: mayLackHoles(asked, table) ? [LACKS_HOLES] : [],
    };
  });
}

/** What came with the columns of a source, and of it only what that is asked for, decided here once more. */
async function asHere(read: FeatureTable, source: SourceRow, asOf: number): Promise<FeatureTable> {
  const wanted = columnsOf(source);
  const table = withKnownColumns(read, wanted);
  const columns = wanted.map(({ name, type }) => {
    const column = table.columns.find((one) => one.name === name)!;
    if (column.type === type) return column;
    throw new ReadError(
      `${name} is a column of ${column.type} in all that came, and of ${type} in the sample`,
      `Ask ${source.name} anew, or for less so that all of it can be held`,
    );
  });
  const { expr } = fitting(source.fetchedFrom!.filter, table.columns, new Map(), NOTHING_DECLARED);
  if (expr === null) return { ...table, columns };
  const verdict = new Sifter(table, asOf, CRS84, await geos.get()).verdict(expr).yes;
  const rows = Array.from({ length: table.rows }, (_, row) => row);
  if (rows.every((row) => has(verdict, row))) return { ...table, columns };
  return takeRows({ ...table, columns }, rowsOf(verdict));
}

const NOTHING_DECLARED: Declared = {
  ...{ columns: new Map(), wholes: new Set(), geometry: null, filter: null, values: false, time: null, projected: false },
};

export const columnsOf = (source: SourceRow) =>
  source.columns
    .getItems()
    .sort((a, b) => a.ordinal - b.ordinal)
    .map(({ name, type }) => ({ name, type }));

/** The columns of the table, as the source has them where it does. */
const columnsThere = (table: DescribedTable, source: SourceRow): ColumnSchema[] =>
  table.columns.flatMap((column) => {
    const type = columnsOf(source).find(({ name }) => name === column.name)?.type ?? typeHere(column);
    return type === null ? [] : [{ name: column.name, type }];
  });

/** Whether a column is of the type that it has in a source. */
const isAlike = (column: DescribedTable['columns'][number], source: SourceRow): boolean =>
  columnsOf(source).every(({ name, type }) => name !== column.name || type === typeHere(column));

/** What the database can be asked about the columns of a source. */
export function declaredHere(table: DescribedTable, source: SourceRow): Declared {
  return declaredOfTable({ ...table, columns: table.columns.filter((column) => isAlike(column, source)) });
}

/** What of a filter the database can be asked: where a condition hangs on other features, nothing of it may be missing. */
export function partOfFilter(expr: Expr | null, areas: AreaShapes, declared: Declared): Asked {
  const all = expr === null ? [] : typeof expr === 'object' && 'op' in expr && expr.op === 'and' ? expr.args : [expr];
  if (all.some(countsOthers)) return partFilter(null, declared).asked;
  const own = all.map((one) => withShapes(one, areas));
  return partFilter(own.length === 0 ? null : { op: 'and', args: own }, declared).asked;
}

function bothOf(a: Asked, b: Asked): Asked {
  const filters = [a.filter, b.filter].filter((one) => one !== null);
  return { ...b, filter: filters.length === 0 ? null : { op: 'and', args: filters } };
}
const meets = (box: Box): Expr => ({ op: 's_intersects', args: [{ property: GEOMETRY_NAME }, { bbox: [...box] }] });

/** Features that may lie in one of some boxes. */
function lyingIn(table: DescribedTable, { boxes }: Wherein): Asked {
  const everywhere: Asked = { filter: null, bbox: null, datetime: null, values: [] };
  if (declaredOfTable(table).geometry === null) return everywhere;
  // What one table has at 190° another has at −170°.
  const turns = table.crs !== null && isGeographic(table.crs) ? [-360, 0, 360] : [0];
  const turned = boxes.flatMap(([west, south, east, north]) => turns.map((turn): Box => [west + turn, south, east + turn, north]));
  return { ...everywhere, filter: { op: 'or', args: turned.map(meets) } };
}

/** Of each condition where it is decided. */
function decidedIn(tree: Group, declared: Declared): Record<string, DecidedBy> {
  const by = (expr: Expr): DecidedBy => {
    const { here, there } = partFilter(expr, declared);
    return here === null ? 'there' : there === null ? 'here' : 'both';
  };
  return Object.fromEntries([...nodesIn(tree)].flatMap(({ node }) => (node.kind === 'condition' ? [[node.id, by(node.expr)]] : [])));
}

/** The tree with other conditions. */
function inConditions(tree: Group, change: (expr: Expr) => Expr): Group {
  const walk = (node: TreeNode): TreeNode =>
    node.kind === 'condition' ? { ...node, expr: change(node.expr) } : inConditions(node, change);
  return { ...tree, children: tree.children.map(walk) };
}
