import { datePrecision, CHUNK_ROWS, NO_OFFSET, valueAt, type Column, type Value } from '../features/column.ts';
import { emptyBox, GEOMETRY_TYPES, growBox, type Box, type GeometryType } from '../features/geometry.ts';
import { has } from '../features/mask.ts';
import type { Loss } from './losses.ts';
import { ReadError } from './read_error.ts';
import type { FeatureTable } from '../features/table.ts';

/** What a column is called and means, for readers who see the file alone. */
export interface ColumnAbout {
  title: string | null;
  description: string | null;
}

/** One layer to be written: rows of a table, in order, with the columns and coordinates as they are to stand in the file. */
export interface WrittenLayer {
  name: string;
  description: string | null;
  table: FeatureTable;
  rows: Uint32Array;
  /** False where only the attributes are written. */
  shapes: boolean;
  about: ReadonlyMap<string, ColumnAbout>;
  /** Colour of what is drawn, `#rrggbb`, for formats that carry one. */
  colour: string;
  /** The system of the coordinates as well-known text (the dialect of OGC 01-009); null where none is known. */
  wkt: string | null;
  /** Shapes in a table of cells: two columns of coordinates or well-known text; null for what suits the shapes. */
  coordinates: 'columns' | 'wkt' | null;
  /** Whether texts that a spreadsheet would take for formulas are kept from that. */
  guarded: boolean;
  /** When it is made; what a format has room for. */
  made: Date;
}

export type Pieces = Iterable<string | Uint8Array> | AsyncIterable<string | Uint8Array>;

/** A database file that is being made. */
export interface MadeDatabase {
  /** Runs statements without values. */
  run(sql: string): void;
  /** A statement to be run many times. */
  statement(sql: string): (...values: (string | number | bigint | null | Uint8Array)[]) => void;
}

/** How a format is written: as one file, as several that belong together, or as a database with a table a layer. */
export type Writing = {
  extension: string;
  mediaType: string;
  /** The format knows longitude and latitude (WGS 84) only. */
  lonLatOnly?: boolean;
  /** A table of cells, in which shapes are columns; where these can be guarded, texts that a spreadsheet takes for formulas. */
  cells?: { guard: boolean };
  /** What one should know before choosing it. */
  note?: string;
  /** Rows without shapes cannot be written. */
  needsShapes?: boolean;
  /**
   * As many columns as a layer has room for: 255 in dBASE files (common practice), 2,000 in SQLite as it is usually built,
   * 16,384 in a sheet; identifiers and shapes take some of them.
   */
  mostColumns?: number;
  /** What a file of the layer does not hold as it is; nothing where it holds everything. */
  losses?: (layer: WrittenLayer) => Loss[];
} & (
  | { kind: 'file'; pieces(layer: WrittenLayer): Pieces }
  | { kind: 'files'; parts(layer: WrittenLayer): { name: string; pieces: Pieces }[] }
  | { kind: 'database'; fill(layers: readonly WrittenLayer[], database: MadeDatabase): Iterable<number> }
);

/** Throws a ReadError where a layer has more columns than its format has room for. */
export function refuseTooWide({ table }: WrittenLayer, label: string, { mostColumns = Infinity }: Writing): void {
  const { length } = table.columns;
  if (length > mostColumns)
    throw new ReadError(
      `${label} has room for ${mostColumns.toLocaleString('en-GB')} columns, and these are ${length.toLocaleString('en-GB')}`,
      'Choose fewer columns, or another format',
    );
}

/** Types that files of several formats tell apart; `integer` fits in 32 bits, `long` is exact in a double. */
export type FileType = 'integer' | 'long' | 'double' | 'text' | 'boolean' | 'date' | 'datetime';

/** What the values of a column in some rows are in a file; dates not all known to the day are texts. */
export function fileTypeOf(column: Column, rows: Uint32Array): FileType {
  if (column.type === 'number') return numberTypeOf(column, rows);
  if (column.type !== 'date') return column.type;
  const precise = rows.every((row) => {
    const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
    const i = row % CHUNK_ROWS;
    return chunk.type !== 'date' || (chunk.validity && !has(chunk.validity, i)) || datePrecision(chunk, i) === 'day';
  });
  return precise ? 'date' : 'text';
}

function numberTypeOf(column: Column, rows: Uint32Array): FileType {
  let type: FileType = 'integer';
  for (const row of rows) {
    const value = valueAt(column, row) as number | null;
    if (value === null) continue;
    if (!Number.isSafeInteger(value) || Object.is(value, -0)) return 'double';
    if (value > 0x7fffffff || value < -0x80000000) type = 'long';
  }
  return type;
}

/** Whether date-times of a column come without an offset, and so are taken for UTC where a format wants that. */
export function lacksOffsets(column: Column): boolean {
  return column.chunks.some((chunk) => chunk.type === 'datetime' && chunk.offsets.includes(NO_OFFSET));
}

/** A reader of one column's values in rows. */
export function valuesOf(column: Column): (row: number) => Value {
  return (row) => valueAt(column, row);
}

export const SINGLE: Partial<Record<GeometryType, GeometryType>> = {
  Point: 'MultiPoint',
  LineString: 'MultiLineString',
  Polygon: 'MultiPolygon',
};

/** The geometry types that occur in rows, `None` among them. */
export function typesIn(table: FeatureTable, rows: Uint32Array): Set<GeometryType> {
  const seen = new Uint8Array(GEOMETRY_TYPES.length);
  for (const row of rows) seen[table.geometry[Math.floor(row / CHUNK_ROWS)].types[row % CHUNK_ROWS]] = 1;
  return new Set(GEOMETRY_TYPES.filter((_, code) => seen[code]));
}

/**
 * The one type that holds every shape of the rows, single shapes as multiple ones of one part where both occur;
 * `null` when kinds are mixed or there is no shape.
 */
export function commonType(table: FeatureTable, rows: Uint32Array): GeometryType | null {
  const types = typesIn(table, rows);
  types.delete('None');
  const [first, ...others] = types;
  if (first === undefined) return null;
  if (others.length === 0) return first;
  const [multi, ...rest] = new Set([...types].map((type) => SINGLE[type] ?? type));
  return rest.length === 0 ? multi : null;
}

/** x and y range of the shapes of rows. */
export function boxOfRows(table: FeatureTable, rows: Uint32Array): Box {
  const box = emptyBox();
  for (const row of rows) {
    const [x1, y1, x2, y2] = table.geometry[Math.floor(row / CHUNK_ROWS)].boxOf(row % CHUNK_ROWS);
    if (!(x1 <= x2)) continue;
    growBox(box, x1, y1);
    growBox(box, x2, y2);
  }
  return box;
}

/** Whether any vertex of the rows has a height. */
export function hasHeights(table: FeatureTable, rows: Uint32Array): boolean {
  return rows.some((row) => {
    const chunk = table.geometry[Math.floor(row / CHUNK_ROWS)];
    if (chunk.z.length === 0) return false;
    const [from, to] = chunk.vertexRange(row % CHUNK_ROWS);
    for (let v = from; v < to; v++) if (!Number.isNaN(chunk.z[v])) return true;
    return false;
  });
}

/** Text in batches of this many characters on its way to a file. */
export const PIECE = 65_536;
