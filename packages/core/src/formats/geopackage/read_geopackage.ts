import type { Geometry } from 'geojson';
import type { CrsClue } from '../../crs/crs.ts';
import type { LayerInfo, ReadOptions, ReadResult } from '../format.ts';
import { geometryOfWkb } from '../geometry/wkb.ts';
import type { Input, SqliteFile } from '../input.ts';
import { ReadError } from '../read_error.ts';
import { emptyProperties, Taking } from '../taking.ts';
import { quotedName } from '../../sql_name.ts';

/** Tables that hold features or attributes (OGC 12-128r19, clause 1.1.3, gpkg_contents). */
export async function layersOfGeoPackage(input: Input): Promise<LayerInfo[]> {
  return using(input, (database) =>
    contents(database).map(({ name, type, geometry, view }) => ({
      name,
      // To count a view is to make it, which may take long.
      features: view === null ? Number([...database.rows(`select count(*) as n from ${quotedName(name)}`)][0].n) : null,
      geometry,
      attributesOnly: type === 'attributes',
    })),
  );
}

/** Reads one table of a GeoPackage. Binary columns are left out, and it is said. */
export async function readGeoPackage(input: Input, options: ReadOptions): Promise<ReadResult> {
  return using(input, (database) => {
    const all = contents(database);
    const layer = all.find(({ name }) => options.layer === undefined || name === options.layer);
    if (!layer)
      throw new ReadError(
        `There is no layer ${options.layer} in ${input.name}`,
        `Its layers are ${all.map(({ name }) => name).join(', ')}`,
      );
    return readTable(database, layer, options);
  });
}

interface Content {
  name: string;
  type: 'features' | 'attributes';
  geometry: string | null;
  geometryColumn: string | null;
  srs: number | null;
  /** 0: M values are prohibited, 1: mandatory, 2: optional. */
  measures: number | null;
  /** What a view is made by; null for a table. */
  view: string | null;
}

async function using<T>(input: Input, work: (database: SqliteFile) => T): Promise<T> {
  let database: SqliteFile | null = null;
  try {
    database = await input.database();
    return work(database);
  } finally {
    database?.close();
  }
}

function contents(database: SqliteFile): Content[] {
  const made = [...database.rows("select name, type, sql from sqlite_master where type in ('table', 'view')")] as unknown as {
    name: string;
    type: 'table' | 'view';
    sql: string;
  }[];
  const tables = new Map(made.map(({ name, type, sql }) => [name, type === 'view' ? sql : null]));
  if (!tables.has('gpkg_contents')) {
    throw new ReadError(
      'This is an SQLite database but not a GeoPackage: it has no table gpkg_contents',
      'Save the layer as a GeoPackage and try again',
    );
  }
  const geometries = tables.has('gpkg_geometry_columns')
    ? 'left join gpkg_geometry_columns g on g.table_name = c.table_name'
    : 'left join (select null as table_name, null as column_name, null as geometry_type_name, null as srs_id, null as m) g on 0';
  const rows = database.rows(
    `select c.table_name as name, c.data_type as type, g.column_name as geometryColumn, g.geometry_type_name as geometry, g.srs_id as srs, g.m as measures from gpkg_contents c ${geometries} where c.data_type in ('features', 'attributes') order by c.rowid`,
  );
  const found = ([...rows] as unknown as Omit<Content, 'view'>[]).flatMap((row) => {
    const view = tables.get(row.name);
    return view === undefined ? [] : [{ ...row, view }];
  });
  if (found.length === 0) throw new ReadError('The GeoPackage has no layer with features', 'Tiles and rasters are not read here');
  return found;
}

function readTable(database: SqliteFile, layer: Content, options: ReadOptions): ReadResult {
  if (layer.view !== null && /\brecursive\b/i.test(layer.view))
    throw new ReadError(
      `${layer.name} is a view that refers to itself, which may go on for ever`,
      'Store what it gives as a table of its own',
    );
  const taking = new Taking(options);
  const columns = [...database.rows(`pragma table_xinfo(${quotedName(layer.name)})`)] as unknown as {
    name: string;
    type: string;
    pk: number;
    /** 1: of a virtual table's own; 2 and 3: generated from other columns. */
    hidden: number;
  }[];
  const key = columns.find(({ pk, type }) => pk === 1 && /INT/i.test(type))?.name ?? null;
  const plain = columns.filter(({ name, type, hidden }) => {
    if (name === layer.geometryColumn || name === key || hidden === 1) return false;
    if (!/^BLOB/i.test(type)) return true;
    taking.notes.push(`The column ${name} holds binary data and was left out.`);
    return false;
  });
  plain.forEach(({ name }) => taking.builder.column(name));
  const chosen = [key, layer.geometryColumn, ...plain.map(({ name }) => name)].filter((name) => name !== null);
  const sql = `select ${chosen.map(quotedName).join(', ')} from ${quotedName(layer.name)}${options.most === undefined ? '' : ` limit ${options.most}`}`;
  if (layer.measures) taking.notes.push('M values, where the shapes have any, were left out.');
  let row = 0;
  for (const record of database.rows(sql)) {
    row++;
    const id = key === null ? undefined : Number(record[key]);
    const where = id === undefined ? `Row ${row}` : `Row ${row} (${key} ${id})`;
    const properties = emptyProperties();
    for (const { name, type } of plain) {
      if (record[name] instanceof Uint8Array) taking.remark('refused', where, `the value of ${name} is binary and was left out`);
      properties[name] = valueOf(record[name], type);
    }
    taking.feature(geometryIn(layer.geometryColumn && record[layer.geometryColumn], where), properties, where, id);
  }
  return taking.result(crsOf(database, layer));
}

function valueOf(value: unknown, type: string): unknown {
  if (value === null || value === undefined) return null;
  if (/^BOOL/i.test(type)) return Number(value) !== 0;
  if (value instanceof Uint8Array || value instanceof ArrayBuffer) return null;
  return value;
}

/** GeoPackage binary (OGC 12-128r19, clause 2.1.3): a header of flags, system and envelope, then well-known binary. */
function geometryIn(value: unknown, where: string): Geometry | null {
  if (value === null || value === undefined) return null;
  const bytes = value instanceof ArrayBuffer ? new Uint8Array(value) : (value as Uint8Array);
  if (bytes[0] !== 0x47 || bytes[1] !== 0x50) throw new ReadError(`${where}: the geometry is not in GeoPackage binary`);
  const flags = bytes[3];
  const envelope = [0, 32, 48, 48, 64][(flags >> 1) & 7];
  if (envelope === undefined) throw new ReadError(`${where}: the geometry has an unknown envelope`);
  if ((flags & 0x20) !== 0) throw new ReadError(`${where}: the geometry is of an extended type`, 'It needs the program that made it');
  try {
    return geometryOfWkb(bytes.subarray(8 + envelope));
  } catch (error) {
    if (error instanceof ReadError) throw new ReadError(`${where}: ${error.message}`, error.hint);
    throw error;
  }
}

function crsOf(database: SqliteFile, { srs }: Content): CrsClue {
  if (srs === null || srs === 0 || srs === -1) return { kind: 'unknown' };
  const [row] = database.rows(
    'select organization, organization_coordsys_id as code, definition from gpkg_spatial_ref_sys where srs_id = ?',
    srs,
  );
  if (!row) return { kind: 'unknown' };
  if (String(row.organization).toUpperCase() === 'EPSG') return { kind: 'epsg', code: Number(row.code) };
  return typeof row.definition === 'string' && row.definition !== 'undefined' ? { kind: 'wkt', wkt: row.definition } : { kind: 'unknown' };
}
