import type { Geometry } from 'geojson';
import proj4 from 'proj4';
import { CRS84, fromLonLat, isGeographic, metresPerUnit, sameCrs, toLonLat, type Crs } from '../crs/crs.ts';
import { convertGeometry, OutsideCrsError } from '../crs/convert.ts';
import { chunksIn } from '../crs/lon_lat_view.ts';
import { compareRows, CHUNK_ROWS, valueAt, type Column } from '../features/column.ts';
import { ColumnBuilder } from '../features/column_builder.ts';
import type { GeometryChunk } from '../features/geometry.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import { takeColumns } from '../features/subset.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { positionsIn } from '../operators/shape_operands.ts';
import { ReadError } from '../formats/read_error.ts';
import { bufferedShape } from '../geos/buffered.ts';
import type { Geos } from '../geos/geos.ts';
import { centroidAt } from '../space/centroid.ts';
import type { MadeReport, Recipe, ShapeChoice } from './recipe.ts';

/** Code → meaning, by column. */
export type Meanings = ReadonlyMap<string, ReadonlyMap<string, string>>;

/** A table as a recipe makes it, with the rows of it that are handed over, in order. */
export interface MadeTable {
  table: FeatureTable;
  rows: Uint32Array;
  report: MadeReport;
}

/**
 * Rows of a table as a recipe has them: columns chosen and named, shapes made, in another system, in order.
 * Throws a ReadError when shapes lie where the system has no coordinates.
 * @param progress called now and then with the rows done; may throw to stop
 */
export function makeTable(
  table: FeatureTable,
  kept: Uint32Array,
  recipe: Recipe,
  meanings: Meanings,
  geos: Geos,
  progress?: (rows: number) => void,
): MadeTable {
  const report: MadeReport = { unmeant: [], error: null, lost: 0, flattened: 0 };
  const rows = inOrder(table, kept, recipe.order);
  const columns = columnsOf(table, rows, recipe, meanings, report);
  const crs = recipe.crs ?? table.crs;
  if (recipe.shape.kind === 'none') return { table: { ...table, columns }, rows, report };
  if (recipe.shape.kind === 'as-is') {
    const made = { ...table, columns: sameCrs(crs, table.crs) ? columns : columns.map(plain), geometry: chunksIn(table, crs), crs };
    refuseOutside(made, rows, crs);
    return { table: made, rows, report };
  }
  const taken = takeColumns(columns.map(plain), rows);
  const geometry = orOutside(crs, () => madeShapes(table, rows, recipe.shape, crs, geos, report, progress));
  const made = { rows: rows.length, columns: taken, geometry, crs };
  const all = Uint32Array.from(rows, (_, i) => i);
  refuseOutside(made, all, crs);
  return { table: made, rows: all, report };
}

/** Coordinate columns tell where the shape was, not where it is now. */
function plain(column: Column): Column {
  if (column.role !== 'lon' && column.role !== 'lat') return column;
  const { name, type, chunks, dictionary } = column;
  return { name, type, chunks, dictionary };
}

function inOrder(table: FeatureTable, rows: Uint32Array, order: Recipe['order']): Uint32Array {
  if (!order) return rows;
  const column = columnNamed(table, order.column);
  if (!column) throw new ReadError(`There is no column ${order.column} to order the rows by`);
  return rows.slice().sort(compareRows(column, order.descending));
}

function columnsOf(table: FeatureTable, rows: Uint32Array, { columns }: Recipe, meanings: Meanings, report: MadeReport): Column[] {
  const taken = new Set<string>();
  return columns.flatMap(({ name, as, codes }) => {
    const column = columnNamed(table, name);
    if (!column) throw new ReadError(`There is no column ${name} to hand over`);
    const meaning = codes === 'code' ? undefined : meanings.get(name);
    const { role, ...bare } = column;
    const made: Column[] = [];
    if (!meaning || codes === 'both') made.push({ ...bare, ...(role ? { role } : {}), name: as });
    if (meaning) made.push(meaningColumn(column, rows, codes === 'both' ? `${as}_meaning` : as, meaning, report));
    for (const one of made) {
      if (taken.has(one.name)) throw new ReadError(`Two columns would be called ${one.name}`, 'Give one of them another name');
      taken.add(one.name);
    }
    return made;
  });
}

function meaningColumn(column: Column, rows: Uint32Array, name: string, meaning: ReadonlyMap<string, string>, report: MadeReport): Column {
  const builder = new ColumnBuilder({ name });
  let values = 0;
  let last = 0;
  for (const row of rows.slice().sort()) {
    const code = valueAt(column, row);
    last = row + 1;
    if (code === null || code === '') continue;
    const text = meaning.get(String(code));
    if (text === undefined) values++;
    builder.addTyped(row, text ?? String(code));
  }
  if (values > 0) report.unmeant.push({ column: column.name, values });
  return builder.finishAsText(
    Math.max(
      last,
      column.chunks.reduce((sum, chunk) => sum + chunk.rows, 0),
    ),
  );
}

function refuseOutside({ geometry }: FeatureTable, rows: Uint32Array, crs: Crs): void {
  const outside = rows.reduce((sum, row) => {
    const chunk = geometry[Math.floor(row / CHUNK_ROWS)];
    const [from, to] = chunk.vertexRange(row % CHUNK_ROWS);
    for (let v = 2 * from; v < 2 * to; v++) if (Number.isNaN(chunk.xy[v])) return sum + 1;
    return sum;
  }, 0);
  if (outside > 0)
    throw new ReadError(
      `${outside.toLocaleString('en-GB')} ${outside === 1 ? 'feature lies' : 'features lie'} where ${crs.label} has no coordinates`,
      'Choose a system that is made for this part of the earth',
    );
}

/** What cannot be expressed in a system, told as that. */
function orOutside<T>(crs: Crs, work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof OutsideCrsError)) throw error;
    throw new ReadError(
      `A feature lies where ${crs.label} has no coordinates: ${error.message}`,
      'Choose a system that is made for this part of the earth',
    );
  }
}

/** Corners of a round shape: the edge is at most a thousandth of the distance inside. */
const CORNERS = 72;

function madeShapes(
  table: FeatureTable,
  rows: Uint32Array,
  choice: ShapeChoice,
  crs: Crs,
  geos: Geos,
  report: MadeReport,
  progress?: (rows: number) => void,
): GeometryChunk[] {
  const chunks: GeometryChunk[] = [];
  let builder = new GeometryBuilder();
  const [out, back] = [toLonLat(table.crs), fromLonLat(crs)];
  const converted = (geometry: Geometry, from: Crs): Geometry => {
    if (sameCrs(from, crs)) return geometry;
    return convertGeometry(geometry, (x, y) => back(...(from === CRS84 ? ([x, y] as [number, number]) : out(x, y))), Infinity);
  };
  const shapeOf = (chunk: GeometryChunk, row: number): Geometry | null => {
    const geometry = chunk.geometryAt(row);
    if (!geometry || positionsIn(geometry).length === 0) return null;
    if (choice.kind !== 'simplify' && positionsIn(geometry).some((position) => position.length > 2)) report.flattened++;
    switch (choice.kind) {
      case 'centroid': {
        const centre = centroidAt(chunk, row);
        return centre && converted({ type: 'Point', coordinates: centre }, table.crs);
      }
      case 'inside':
        return converted(geos.pointOnSurface(geometry), table.crs);
      case 'buffer': {
        const { geometry: round, error } = bufferedShape(geometry, choice.metres, geos, {
          corners: CORNERS,
          from: table.crs,
          to: crs,
        });
        report.error = Math.max(report.error ?? 0, error);
        return round;
      }
      case 'simplify':
        return converted(simplified(geometry, table.crs, choice.metres, geos), table.crs);
      default:
        return geometry;
    }
  };
  rows.forEach((row, i) => {
    if ((i & 255) === 0) progress?.(i);
    const chunk = table.geometry[Math.floor(row / CHUNK_ROWS)];
    const missing = chunk.isMissing(row % CHUNK_ROWS);
    const shape = missing ? null : shapeOf(chunk, row % CHUNK_ROWS);
    if (!shape && !missing) report.lost++;
    builder.add(shape);
    if (builder.rows < CHUNK_ROWS) return;
    chunks.push(builder.finish());
    builder = new GeometryBuilder();
  });
  if (builder.rows > 0) chunks.push(builder.finish());
  return chunks;
}

/**
 * A shape with fewer vertices, each of them one of its own: rings stay rings and do not cross (GEOS, topology preserving). The
 * tolerance is measured in the plane of the coordinates, or for degrees in a transverse Mercator projection about the shape.
 */
function simplified(geometry: Geometry, crs: Crs, metres: number, geos: Geos): Geometry {
  if (!isGeographic(crs)) return geos.simplified(geometry, metres / metresPerUnit(crs));
  const lonLat = toLonLat(crs);
  const positions = positionsIn(geometry);
  const [lon, lat] = lonLat(positions[0][0], positions[0][1]);
  const local = proj4('EPSG:4326', `+proj=tmerc +k=1 +x_0=0 +y_0=0 +lat_0=${lat} +lon_0=${lon} +datum=WGS84 +units=m`);
  // The positions that are left are looked up, so that they are exactly those of the shape.
  const own = new Map<string, [number, number]>();
  const flat = convertGeometry(
    geometry,
    (x, y) => {
      const [fx, fy] = local.forward<[number, number]>(lonLat(x, y));
      own.set(`${fx} ${fy}`, [x, y]);
      return [fx, fy];
    },
    Infinity,
  );
  return convertGeometry(geos.simplified(flat, metres), (x, y) => own.get(`${x} ${y}`)!, Infinity);
}
