import { isGeographic } from '../../crs/crs.ts';
import { CHUNK_ROWS, type Column } from '../../features/column.ts';
import { has } from '../../features/mask.ts';
import { wkbOfRow } from '../geometry/row_wkb.ts';
import { inserter } from './inserter.ts';
import { fillRTree } from './packed_rtree.ts';
import {
  boxOfRows,
  commonType,
  fileTypeOf,
  hasHeights,
  valuesOf,
  type FileType,
  type MadeDatabase,
  type WrittenLayer,
} from '../writing.ts';
import { quotedName } from '../../sql_name.ts';

/** Requirement 2: "GPKG", and version 1.3.0. */
const APPLICATION_ID = 0x47504b47;
const USER_VERSION = 10_300;

const SQL_TYPES: Record<FileType, string> = {
  integer: 'MEDIUMINT',
  long: 'INTEGER',
  double: 'DOUBLE',
  text: 'TEXT',
  boolean: 'BOOLEAN',
  date: 'DATE',
  datetime: 'DATETIME',
};
const WGS84 =
  'GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563,AUTHORITY["EPSG","7030"]],AUTHORITY["EPSG","6326"]],PRIMEM["Greenwich",0,AUTHORITY["EPSG","8901"]],UNIT["degree",0.0174532925199433,AUTHORITY["EPSG","9122"]],AUTHORITY["EPSG","4326"]]';

/** The tables of OGC 12-128r17 (GeoPackage 1.3), annex C, and of its schema and R-tree extensions. */
const TABLES = `
CREATE TABLE gpkg_spatial_ref_sys (srs_name TEXT NOT NULL, srs_id INTEGER NOT NULL PRIMARY KEY, organization TEXT NOT NULL, organization_coordsys_id INTEGER NOT NULL, definition TEXT NOT NULL, description TEXT);
CREATE TABLE gpkg_contents (table_name TEXT NOT NULL PRIMARY KEY, data_type TEXT NOT NULL, identifier TEXT UNIQUE, description TEXT DEFAULT '', last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')), min_x DOUBLE, min_y DOUBLE, max_x DOUBLE, max_y DOUBLE, srs_id INTEGER, CONSTRAINT fk_gc_r_srs_id FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id));
CREATE TABLE gpkg_geometry_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, geometry_type_name TEXT NOT NULL, srs_id INTEGER NOT NULL, z TINYINT NOT NULL, m TINYINT NOT NULL, CONSTRAINT pk_geom_cols PRIMARY KEY (table_name, column_name), CONSTRAINT uk_gc_table_name UNIQUE (table_name), CONSTRAINT fk_gc_tn FOREIGN KEY (table_name) REFERENCES gpkg_contents(table_name), CONSTRAINT fk_gc_srs FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys (srs_id));
CREATE TABLE gpkg_extensions (table_name TEXT, column_name TEXT, extension_name TEXT NOT NULL, definition TEXT NOT NULL, scope TEXT NOT NULL, CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name));
CREATE TABLE gpkg_data_columns (table_name TEXT NOT NULL, column_name TEXT NOT NULL, name TEXT, title TEXT, description TEXT, mime_type TEXT, constraint_name TEXT, CONSTRAINT pk_gdc PRIMARY KEY (table_name, column_name), CONSTRAINT gdc_tn UNIQUE (table_name, name));
CREATE TABLE gpkg_data_column_constraints (constraint_name TEXT NOT NULL, constraint_type TEXT NOT NULL, value TEXT, min NUMERIC, min_is_inclusive BOOLEAN, max NUMERIC, max_is_inclusive BOOLEAN, description TEXT, CONSTRAINT gdcc_ntv UNIQUE (constraint_name, constraint_type, value))`;

/**
 * Fills a database as a GeoPackage (OGC 12-128r17) with a table a layer: descriptions of the columns, an R-tree over the shapes.
 * Single and multiple shapes in one layer all become multiple ones, so that the table has one geometry type.
 * @returns rows done, now and then
 */
export function* fillGeoPackage(layers: readonly WrittenLayer[], database: MadeDatabase): Iterable<number> {
  database.run(`PRAGMA application_id = ${APPLICATION_ID}; PRAGMA user_version = ${USER_VERSION};${TABLES}`);
  const system = database.statement('INSERT INTO gpkg_spatial_ref_sys VALUES (?, ?, ?, ?, ?, ?)');
  system('Undefined Cartesian SRS', -1, 'NONE', -1, 'undefined', 'undefined Cartesian coordinate reference system');
  system('Undefined geographic SRS', 0, 'NONE', 0, 'undefined', 'undefined geographic coordinate reference system');
  system('WGS 84', 4326, 'EPSG', 4326, WGS84, 'longitude, latitude');
  for (const name of ['gpkg_data_columns', 'gpkg_data_column_constraints'])
    database.statement('INSERT INTO gpkg_extensions VALUES (?, ?, ?, ?, ?)')(
      name,
      null,
      'gpkg_schema',
      'http://www.geopackage.org/spec121/#extension_schema',
      'read-write',
    );
  const systems = new Map<string, number>();
  const taken = new Set<string>();
  let done = 0;
  for (const layer of layers) {
    const name = anyCaseFree(tableName(layer.name), taken);
    const srs = systemOf(layer, systems, system);
    for (const rows of fillTable(layer, name, srs, database)) yield done + rows;
    done += layer.rows.length;
  }
}

/** Requirements leave table names free; those that begin with gpkg_, rtree_ or sqlite_ are taken. */
function tableName(name: string): string {
  const plain = name.replaceAll('"', '').trim() || 'features';
  return /^(gpkg|rtree|sqlite)_/i.test(plain) ? `layer_${plain}` : plain;
}

function systemOf(
  { table: { crs }, wkt }: WrittenLayer,
  systems: Map<string, number>,
  add: (...values: (string | number | null)[]) => void,
): number {
  if (crs.definition === null) return 4326;
  const key = `${crs.name} ${crs.definition}`;
  const known = systems.get(key);
  if (known !== undefined) return known;
  const code = /^EPSG:(\d+)$/.exec(crs.name)?.[1];
  const id = code ? Number(code) : 100_000 + systems.size;
  systems.set(key, id);
  if (code !== '4326')
    add(crs.label || crs.name, id, code ? 'EPSG' : 'NONE', id, wkt ?? 'undefined', isGeographic(crs) ? 'longitude, latitude' : null);
  return id;
}

/** A name that is not taken in any case, which SQLite does not tell apart; it is taken from then on. */
function anyCaseFree(name: string, taken: Set<string>): string {
  let free = name;
  for (let n = 2; taken.has(free.toLowerCase()); n++) free = `${name}_${n}`;
  taken.add(free.toLowerCase());
  return free;
}

function* fillTable(layer: WrittenLayer, name: string, srs: number, database: MadeDatabase): Iterable<number> {
  const { table, rows, shapes } = layer;
  const taken = new Set<string>(['fid', 'geom']);
  const columns = table.columns.map((column) => ({ column, name: anyCaseFree(column.name, taken), type: fileTypeOf(column, rows) }));
  const common = shapes ? commonType(table, rows) : null;
  const z = shapes && hasHeights(table, rows);
  const fields = columns.map(({ name: field, type }) => `${quotedName(field)} ${SQL_TYPES[type]}`);
  const geometry = shapes ? [`geom ${common?.toUpperCase() ?? 'GEOMETRY'}`] : [];
  database.run(
    `CREATE TABLE ${quotedName(name)} (${['fid INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL', ...geometry, ...fields].join(', ')})`,
  );
  const box = shapes ? boxOfRows(table, rows) : null;
  const extent = box && box[0] <= box[2] ? box : [null, null, null, null];
  const contents = database.statement(
    'INSERT INTO gpkg_contents (table_name, data_type, identifier, description, last_change, min_x, min_y, max_x, max_y, srs_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
  );
  contents(
    name,
    shapes ? 'features' : 'attributes',
    name,
    layer.description ?? '',
    layer.made.toISOString(),
    ...extent,
    shapes ? srs : null,
  );
  const about = database.statement(
    'INSERT INTO gpkg_data_columns (table_name, column_name, name, title, description) VALUES (?, ?, ?, ?, ?)',
  );
  for (const { column, name: field } of columns) {
    const { title = null, description = null } = layer.about.get(column.name) ?? {};
    if (title !== null || description !== null) about(name, field, null, title, description);
  }
  if (shapes) {
    database.statement('INSERT INTO gpkg_geometry_columns VALUES (?, ?, ?, ?, ?, ?)')(
      name,
      'geom',
      common?.toUpperCase() ?? 'GEOMETRY',
      srs,
      z ? 2 : 0,
      0,
    );
    database.statement('INSERT INTO gpkg_extensions VALUES (?, ?, ?, ?, ?)')(
      name,
      'geom',
      'gpkg_rtree_index',
      'http://www.geopackage.org/spec120/#extension_rtree',
      'write-only',
    );
    database.run(`CREATE VIRTUAL TABLE ${quotedName(`rtree_${name}_geom`)} USING rtree(id, minx, maxx, miny, maxy)`);
  }
  const insert = inserter(database, quotedName(name), columns.length + (shapes ? 2 : 1));
  const readers = columns.map(({ column, type }) => cellReader(column, type));
  const multi = common !== null && common.startsWith('Multi');
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i];
    const cells = readers.map((read) => read(row));
    if (!shapes) insert.add([i + 1, ...cells]);
    else {
      const chunk = table.geometry[Math.floor(row / CHUNK_ROWS)];
      const at = row % CHUNK_ROWS;
      const bounds = chunk.boxOf(at);
      insert.add([i + 1, geometryBlob(chunk, at, bounds[0] <= bounds[2] ? bounds : null, srs, multi, z), ...cells]);
    }
    if ((i & 1023) === 1023) yield i + 1;
  }
  insert.end();
  if (box) {
    fillRTree(database, `rtree_${name}_geom`, table, rows, box);
    database.run(indexTriggers(name));
  }
  yield rows.length;
}

/** Clause 2.1.3: a header with the envelope (none for points, whose coordinates say the same), then well-known binary. */
function geometryBlob(
  chunk: Parameters<typeof wkbOfRow>[0],
  row: number,
  box: number[] | null,
  srs: number,
  multi: boolean,
  z: boolean,
): Uint8Array | null {
  const point = chunk.types[row] === 1;
  const room = box && !point ? 40 : 8;
  const bytes = wkbOfRow(chunk, row, { multi: multi && chunk.types[row] <= 3, z, room });
  if (!bytes) return null;
  const view = new DataView(bytes.buffer);
  bytes.set([0x47, 0x50, 0, (box ? 0 : 0x10) | (room === 40 ? 2 : 0) | 1]);
  view.setInt32(4, srs, true);
  if (room === 40 && box) [box[0], box[2], box[1], box[3]].forEach((side, i) => view.setFloat64(8 + 8 * i, side, true));
  return bytes;
}

function cellReader(column: Column, type: FileType): (row: number) => string | number | null {
  if (type === 'boolean') {
    const read = valuesOf(column);
    return (row) => {
      const value = read(row);
      return value === null ? null : Number(value);
    };
  }
  if (type === 'datetime') return utcReader(column);
  return valuesOf(column) as (row: number) => string | number | null;
}

/** Date-times as the standard has them: in UTC, to the millisecond (table 1). */
function utcReader(column: Column): (row: number) => string | null {
  return (row) => {
    const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
    const i = row % CHUNK_ROWS;
    if (chunk.type !== 'datetime' || (chunk.validity && !has(chunk.validity, i))) return null;
    return new Date(chunk.millis[i]).toISOString();
  };
}

/** The triggers that the R-tree extension asks for (annex F.3), by which other programs keep the index when they edit. */
function indexTriggers(table: string): string {
  const [t, i] = [quotedName(table), quotedName(`rtree_${table}_geom`)];
  const trigger = (name: string) => quotedName(`rtree_${table}_geom_${name}`);
  const entry = 'NEW.fid, ST_MinX(NEW.geom), ST_MaxX(NEW.geom), ST_MinY(NEW.geom), ST_MaxY(NEW.geom)';
  const filled = 'NEW.geom NOTNULL AND NOT ST_IsEmpty(NEW.geom)';
  const blank = '(NEW.geom ISNULL OR ST_IsEmpty(NEW.geom))';
  return `
CREATE TRIGGER ${trigger('insert')} AFTER INSERT ON ${t} WHEN (${filled}) BEGIN INSERT OR REPLACE INTO ${i} VALUES (${entry}); END;
CREATE TRIGGER ${trigger('update1')} AFTER UPDATE OF geom ON ${t} WHEN OLD.fid = NEW.fid AND (${filled}) BEGIN INSERT OR REPLACE INTO ${i} VALUES (${entry}); END;
CREATE TRIGGER ${trigger('update2')} AFTER UPDATE OF geom ON ${t} WHEN OLD.fid = NEW.fid AND ${blank} BEGIN DELETE FROM ${i} WHERE id = OLD.fid; END;
CREATE TRIGGER ${trigger('update3')} AFTER UPDATE ON ${t} WHEN OLD.fid != NEW.fid AND (${filled}) BEGIN DELETE FROM ${i} WHERE id = OLD.fid; INSERT OR REPLACE INTO ${i} VALUES (${entry}); END;
CREATE TRIGGER ${trigger('update4')} AFTER UPDATE ON ${t} WHEN OLD.fid != NEW.fid AND ${blank} BEGIN DELETE FROM ${i} WHERE id IN (OLD.fid, NEW.fid); END;
CREATE TRIGGER ${trigger('delete')} AFTER DELETE ON ${t} WHEN OLD.geom NOT NULL BEGIN DELETE FROM ${i} WHERE id = OLD.fid; END;`;
}
