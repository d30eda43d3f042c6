import {
  boxOfTile,
  checkpoint,
  classesOf,
  countsOthers,
  CRS84,
  displayTile,
  EMPTY_TILE,
  exprOfTree,
  FilterError,
  GEOMETRY_NAME,
  partFilter,
  propertiesIn,
  ReadError,
  rowsOf,
  sampledOf,
  Sifter,
  sqlOf,
  takeRows,
  withKnownColumns,
  withShapes,
  type Asked,
  type Box,
  type DisplayTile,
  type Expr,
  type FeatureTable,
} from '@clean-sieve/core';
import type { Asked as AskedOf } from '../sifting/answers.ts';
import type { SiftQuestion } from '../sifting/sift_tasks.ts';
import { Source, type SourceRow } from '../store/entities.ts';
import type { Database } from './database.ts';
import { partsOf } from './read_rows.ts';
import { boxIn, sqlTable, type DescribedTable } from './tables.ts';
import { columnsOf, declaredHere, partOfFilter, placesOf, withWhole } from './whole_table.ts';

/** More features than these are not drawn in one tile. */
const MOST_ROWS = 40_000;
/** Milliseconds that the database may take for one. */
const LONGEST = 10_000;
/** Half a pixel where a tile is 512 wide: what lies nearer together is not told apart. */
const HALF_PIXELS = 1024;

/** With what it is answered. */
type AskedHere = Pick<AskedOf, 'sourceId' | 'sifter' | 'geos' | 'em'>;

/**
 * What is drawn in a tile of the map of all that a source holds only a sample of: asked of the database, for this tile alone. Rows of
 * the tile are numbers of classes, or 0 where there are none. Throws a FilterError where that cannot be told.
 */
export async function wholeTile(asked: AskedHere, question: SiftQuestion<'wholeTile'>): Promise<DisplayTile> {
  try {
    return await tileThere(asked, question);
  } catch (error) {
    if (error instanceof ReadError) throw new FilterError(error.message, null, error.hint);
    throw error;
  }
}

async function tileThere(
  { sourceId, sifter, geos, em }: AskedHere,
  { tree, classing, plane, z, x, y }: SiftQuestion<'wholeTile'>,
): Promise<DisplayTile> {
  const source = await em.findOneOrFail(Source, { id: sourceId }, { populate: ['columns'] });
  if (sampledOf(source.fetchedFrom ?? null) === null)
    throw new FilterError(`${source.name} is no sample of a table`, null, 'Its tiles are those of what is held');
  const expr = exprOfTree(tree);
  if (expr !== null && countsOthers(expr))
    throw new FilterError('A condition hangs on other features, which a part of the map does not tell');
  const table = await withWhole(em, source, checkpoint, async ({ database, table: there, own, areas }) => {
    const declared = { ...declaredHere(there, source), places: placesOf(sifter.operands) };
    const shaped = expr === null ? null : withShapes(expr, areas);
    const decided = shaped === null || partFilter(shaped, declared).here === null ? null : shaped;
    const box = withinTurn(boxOfTile(z, x, y, plane));
    const asked = inBox([own, partOfFilter(shaped, areas, declared)], box);
    const read = await readTile(database, there, source, { asked, box, decided, column: classing?.column ?? null });
    if (read === null || decided === null) return read;
    const here = new Sifter(read, sifter.asOf, CRS84, geos);
    [here.areas, here.operands, here.systems] = [sifter.areas, sifter.operands, sifter.systems];
    return takeRows(read, rowsOf(here.verdict(decided).yes));
  });
  if (table === null) return EMPTY_TILE;
  return byClass(displayTile(table, z, x, y, plane), classing === null ? null : classesOf(table, classing));
}

/** The rows that lie in a tile, with the columns that are needed, as the source has them; null where there are none. */
async function readTile(
  database: Database,
  table: DescribedTable,
  source: SourceRow,
  { asked, box, decided, column }: { asked: Expr; box: Box; decided: Expr | null; column: string | null },
): Promise<FeatureTable | null> {
  await database.rows(`select set_config('statement_timeout', $1, true)`, [String(LONGEST)]);
  const names = [...(decided === null ? [] : propertiesIn(decided)), ...(column === null ? [] : [column])];
  const columns = columnsOf(source).filter(({ name }) => names.includes(name));
  const wanted = {
    ...{ id: `''`, columns: names, where: sqlOf(asked, sqlTable(table)), most: MOST_ROWS + 1 },
    // What is decided here by its shape is decided by all of it.
    shapes: (decided !== null && JSON.stringify(decided).includes(GEOMETRY_NAME)) || { coarse: halfPixel(table, box) },
  };
  let read: FeatureTable | null = null;
  for await (const part of partsOf(database, table, table.crs ?? CRS84, wanted)) read = part.table;
  if (read === null) return null;
  if (read.rows > MOST_ROWS)
    throw new FilterError(`More than ${MOST_ROWS.toLocaleString('en-GB')} features lie in a part of the map`, null, 'Zoom in');
  const known = withKnownColumns(read, columns);
  for (const { name, type } of columns) {
    const came = known.columns.find((one) => one.name === name)!;
    if (came.type !== type)
      throw new FilterError(`${name} is a column of ${came.type} in the database, and of ${type} in the sample`, null, 'Ask it anew');
  }
  return known;
}

/** What all of several questions ask for, in a box. */
function inBox(questions: readonly Asked[], bbox: Box): Expr {
  const meets = (box: Box): Expr => ({ op: 's_intersects', args: [{ property: GEOMETRY_NAME }, { bbox: [...box] }] });
  const asked = questions.flatMap(({ filter, bbox: own }) => [...(filter === null ? [] : [filter]), ...(own === null ? [] : [meets(own)])]);
  return { op: 'and', args: [meets(bbox), ...asked] };
}

/** A box whose longitudes go on beyond 180° comes round again. */
function withinTurn([west, south, east, north]: Box): Box {
  if (east - west >= 360) return [-180, south, 180, north];
  return [west < -180 ? west + 360 : west, south, east > 180 ? east - 360 : east, north];
}

/** Half a pixel of a tile in units of the table's system; 0 where that does not reach all of the tile. */
function halfPixel({ crs }: DescribedTable, box: Box): number {
  const own = boxIn(crs ?? CRS84, box);
  return own === null ? 0 : Math.min(own[2] - own[0], own[3] - own[1]) / HALF_PIXELS;
}

/** A tile in which rows are numbers of their classes. */
function byClass(tile: DisplayTile, classes: Uint8Array | null): DisplayTile {
  const numbered = (rows: Uint32Array) => rows.map((row) => classes?.[row] ?? 0);
  return {
    ...{ ...tile, pointRows: numbered(tile.pointRows), dotRows: numbered(tile.dotRows) },
    partRows: numbered(tile.partRows),
  };
}
