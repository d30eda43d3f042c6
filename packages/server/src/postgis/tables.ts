import {
  convertGeometry,
  CRS84,
  OutsideCrsError,
  quotedName,
  ReadError,
  shapeOfBox,
  transformBetween,
  positionsIn,
  type Box,
  type ColumnType,
  type Crs,
  type CrsClue,
  type Declared,
  type SqlColumn,
  type SqlTable,
} from '@clean-sieve/core';
import { crsOfClue } from '../crs/epsg.ts';
import type { Database } from './database.ts';

/** A table, view or the like whose features can be asked for; one with several columns of shapes is there once for each. */
export interface SpatialTable {
  /** `schema.name`, with the column of shapes where there are several. */
  id: string;
  schema: string;
  name: string;
  shapes: string;
  isGeography: boolean;
  kind: string;
  /**
   * What tells each row from the others while one state of the table is seen: its place, its key if there is one, or nothing.
   */
  rowsBy: 'place' | 'key' | null;
  /** As the database counted it last; null where it did not. */
  estimated: number | null;
  /** Number of the system in the database; 0 where the column does not tell. */
  srid: number;
  /** By the database's own word. */
  geometryType: string;
  comment: string | null;
}

/** How a column's values come over. */
export type Coming = 'whole' | 'number' | 'decimal' | 'boolean' | 'date' | 'timestamp' | 'text' | 'json' | 'leftOut';

export interface TableColumn {
  name: string;
  coming: Coming;
  /** The name of its type there. */
  typeName: string;
  /** Where it stands in the order of the key's columns; null for one that is not in it. */
  keyPlace: number | null;
}

/** A table with its columns and its system. */
export interface DescribedTable extends SpatialTable {
  /** The column does not tell its system: this is the one of a first shape. */
  isOfFirst: boolean;
  columns: TableColumn[];
  /** Columns that this user may not read. */
  forbidden: string[];
  /** Null where it is not told, or is none that can be used. */
  crs: Crs | null;
  clue: CrsClue;
  /** The schema of the functions on shapes. */
  postgis: string;
  /** Whether bytes of its texts are in the order of their characters: else texts are put in order here. */
  ordersTexts: boolean;
}

const KINDS: Record<string, string> = { r: 'table', p: 'table', v: 'view', m: 'materialised view', f: 'foreign table' };

/** The rows of a table that others inherit come from several, in which places and keys can be the same. */
function rowsBy(kind: string, hasChildren: boolean): SpatialTable['rowsBy'] {
  if (kind === 'r' && hasChildren) return null;
  return kind === 'r' || kind === 'm' ? 'place' : 'key';
}

/** Whether the shapes of a table can have holes, by what the table says of them. */
export const mayHaveHoles = ({ geometryType }: SpatialTable): boolean => !/^(Multi)?(Point|LineString)/i.test(geometryType);

/** In these encodings a text comes before another by its bytes as it does by its code points. */
const ORDERED = ['UTF8', 'LATIN1'];

/** The schema in which PostGIS is, and how texts are encoded. Throws a ReadError where it is not. */
async function postgisIn(database: Database): Promise<{ postgis: string; encoding: string }> {
  const [found] = await database.rows(
    `select n.nspname from pg_catalog.pg_extension e join pg_catalog.pg_namespace n on n.oid = e.extnamespace where e.extname = 'postgis'`,
  );
  if (!found)
    throw new ReadError(
      `The database ${database.address.database} has no PostGIS`,
      'Its tables have no shapes; take the one in which they have',
    );
  const [[encoding]] = await database.rows('show server_encoding');
  if (encoding === 'SQL_ASCII')
    throw new ReadError(
      `The database ${database.address.database} does not say how its texts are encoded (SQL_ASCII)`,
      'They could be read wrongly',
    );
  return { postgis: found[0]!, encoding: encoding! };
}

/** All tables with shapes that this user may read. Throws a ReadError where there is none. */
export async function spatialTables(database: Database): Promise<SpatialTable[]> {
  const postgis = quotedName((await postgisIn(database)).postgis);
  const rows = await database.rows(
    `select n.nspname, c.relname, a.attname, t.typname = 'geography', c.relkind, c.reltuples::int8,
            ${postgis}.postgis_typmod_srid(a.atttypmod), ${postgis}.postgis_typmod_type(a.atttypmod),
            pg_catalog.obj_description(c.oid, 'pg_class'), c.relhassubclass
       from pg_catalog.pg_attribute a
       join pg_catalog.pg_class c on c.oid = a.attrelid
       join pg_catalog.pg_namespace n on n.oid = c.relnamespace
       join pg_catalog.pg_type t on t.oid = a.atttypid
      where t.typname in ('geometry', 'geography') and a.attnum > 0 and not a.attisdropped
        and c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition
        and n.nspname not like 'pg\\_%' and n.nspname <> 'information_schema'
        and pg_catalog.has_schema_privilege(n.oid, 'USAGE')
        and pg_catalog.has_column_privilege(c.oid, a.attnum, 'SELECT')
      order by n.nspname collate "C", c.relname collate "C", a.attnum`,
  );
  const tables = rows.map(
    ([schema, name, shapes, isGeography, kind, estimated, srid, geometryType, comment, hasChildren]): SpatialTable => ({
      ...{ id: `${schema}.${name}`, schema: schema!, name: name!, shapes: shapes!, isGeography: isGeography === 't', comment },
      kind: KINDS[kind!],
      rowsBy: rowsBy(kind!, hasChildren === 't'),
      estimated: Number(estimated) > 0 ? Number(estimated) : null,
      // Without a mark of its own, geography is on WGS 84.
      srid: isGeography === 't' && Number(srid) === 0 ? 4326 : Number(srid),
      geometryType: geometryType!,
    }),
  );
  if (tables.length === 0)
    throw new ReadError(
      `The database ${database.address.database} has no table with shapes that ${database.address.user} may read`,
      'Ask who runs it for the right to',
    );
  const several = (id: string) => tables.filter((one) => one.id === id).length > 1;
  return tables.map((table) => (several(table.id) ? { ...table, id: `${table.id}.${table.shapes}` } : table));
}

/** The table that is meant by a name: with its schema, or without where only one is called so. */
export function tableNamed(tables: readonly SpatialTable[], name: string): SpatialTable | null {
  const own = tables.find(({ id }) => id === name);
  if (own) return own;
  const called = tables.filter((table) => table.name === name);
  return called.length === 1 ? called[0] : null;
}

/** A table with all that has to be known to ask for its features. */
export async function described(database: Database, table: SpatialTable): Promise<DescribedTable> {
  const { postgis, encoding } = await postgisIn(database);
  const rows = await database.rows(
    `select a.attname, coalesce(b.typname, t.typname), t.typcategory, coalesce(b.typtype, t.typtype),
            pg_catalog.has_column_privilege(c.oid, a.attnum, 'SELECT'), pg_catalog.array_position(i.indkey::int2[], a.attnum)
       from pg_catalog.pg_attribute a
       join pg_catalog.pg_class c on c.oid = a.attrelid
       join pg_catalog.pg_namespace n on n.oid = c.relnamespace
       join pg_catalog.pg_type t on t.oid = a.atttypid
       left join pg_catalog.pg_type b on t.typtype = 'd' and b.oid = t.typbasetype
       left join pg_catalog.pg_index i on i.indrelid = c.oid and i.indisprimary
      where n.nspname = $1 and c.relname = $2 and a.attnum > 0 and not a.attisdropped and a.attname <> $3
      order by a.attnum`,
    [table.schema, table.name, table.shapes],
  );
  const readable = rows.filter(([, , , , may]) => may === 't');
  const srid = table.srid || (await sridOfFirst(database, postgis, table));
  const clue = await clueOf(database, postgis, srid);
  return {
    ...{ ...table, srid, isOfFirst: table.srid === 0 },
    columns: readable.map(([name, typeName, category, kind, , place]) => ({
      name: name!,
      typeName: typeName!,
      coming: comingOf(typeName!, category!, kind!),
      keyPlace: place === null ? null : Number(place),
    })),
    forbidden: rows.filter(([, , , , may]) => may !== 't').map(([name]) => name!),
    ...{ clue, crs: crsOfClue(clue), postgis, ordersTexts: ORDERED.includes(encoding) },
  };
}

/** The system of a first shape; 0 without any. */
async function sridOfFirst(database: Database, postgis: string, { schema, name, shapes }: SpatialTable): Promise<number> {
  const shape = quotedName(shapes);
  const [found] = await database.rows(
    `select ${quotedName(postgis)}.st_srid(${shape}) from ${quotedName(schema)}.${quotedName(name)} where ${shape} is not null limit 1`,
  );
  return found ? Number(found[0]) : 0;
}

function comingOf(typeName: string, category: string, kind: string): Coming {
  if (category === 'A') return 'json';
  if (kind === 'e') return 'text';
  switch (typeName) {
    case 'int2':
    case 'int4':
    case 'int8':
      return 'whole';
    case 'float4':
    case 'float8':
      return 'number';
    case 'numeric':
      return 'decimal';
    case 'bool':
      return 'boolean';
    case 'date':
      return 'date';
    case 'timestamp':
    case 'timestamptz':
      return 'timestamp';
    case 'json':
    case 'jsonb':
      return 'json';
    case 'bytea':
    case 'geometry':
    case 'geography':
    case 'raster':
      return 'leftOut';
    default:
      return 'text';
  }
}

/** What the database says of one of its systems. */
async function clueOf(database: Database, postgis: string, srid: number): Promise<CrsClue> {
  if (srid === 0) return { kind: 'unknown' };
  const [found] = await database.rows(
    `select auth_name, auth_srid, srtext from ${quotedName(postgis)}.spatial_ref_sys where srid = $1::int4`,
    [srid],
  );
  if (!found) return { kind: 'unknown' };
  const [authority, code, definition] = found;
  if (authority?.toUpperCase() === 'EPSG' && code !== null) return { kind: 'epsg', code: Number(code) };
  return definition === null || definition === '' ? { kind: 'unknown' } : { kind: 'wkt', wkt: definition };
}

const TYPES: Record<Exclude<Coming, 'leftOut'>, ColumnType> = {
  ...{ whole: 'number', number: 'number', decimal: 'number', boolean: 'boolean', date: 'date', timestamp: 'datetime' },
  ...{ text: 'text', json: 'text' },
};

/** The type that a column has here; null for one that does not come. */
export const typeHere = ({ coming }: TableColumn): ColumnType | null => (coming === 'leftOut' ? null : TYPES[coming]);

/** What a database can be asked of a table. Lists and objects are looked at here: their text is not written alike. */
export function declaredOfTable({ columns, crs, srid, ordersTexts }: DescribedTable): Declared {
  const said = columns.filter(({ coming }) => coming !== 'leftOut' && coming !== 'json');
  return {
    columns: new Map(said.map((column) => [column.name, typeHere(column)!])),
    wholes: new Set(columns.filter(({ coming }) => coming === 'whole').map(({ name }) => name)),
    geometry: srid === 0 || crs === null ? null : 'geometry',
    filter: { language: 'sql', advanced: true, boxes: true, ...(ordersTexts ? { compares: true as const } : {}) },
    ...{ values: false, time: null },
    // A box is asked of the boxes of shapes, which it may meet where the shapes do not: never exactly.
    projected: true,
  };
}

/** The shapes of a table as geometry, on which all functions of shapes work. */
export const shapeSql = ({ shapes, isGeography, postgis }: DescribedTable): string =>
  isGeography ? `${quotedName(shapes)}::${quotedName(postgis)}.geometry` : quotedName(shapes);

/** How the conditions of a filter speak of a table. */
export function sqlTable(table: DescribedTable): SqlTable {
  const { columns, crs, isOfFirst, postgis, srid } = table;
  const shape = shapeSql(table);
  return {
    columns: new Map(columns.flatMap((column) => (column.coming === 'leftOut' ? [] : [[column.name, sqlColumn(column)] as const]))),
    meets:
      crs === null || srid === 0
        ? null
        : (box, value) => {
            const own = boxIn(crs, box);
            // A box that the table's system does not reach keeps every feature for a decision here.
            if (own === null) return 'true';
            const corners = own.map((corner) => value(corner)).join(', ');
            const meets = `${shape} operator(${quotedName(postgis)}.&&) ${quotedName(postgis)}.st_makeenvelope(${corners}, ${srid})`;
            // A shape of another system is not left out: it is met where it comes, and refused.
            return isOfFirst ? `(${meets} or ${quotedName(postgis)}.st_srid(${shape}) <> ${srid})` : `(${meets})`;
          },
  };
}

function sqlColumn(column: TableColumn): SqlColumn {
  const { name, coming, typeName } = column;
  const raw = quotedName(name);
  return {
    raw,
    value: valueSql(column),
    type: typeHere(column)!,
    whole: coming === 'whole',
    indexed: coming === 'text' && (typeName === 'text' || typeName === 'varchar'),
  };
}

/** The value of a column as it is here: no number, and moments that no calendar here reaches, are blank. */
export function valueSql({ name, coming, typeName }: TableColumn): string {
  const raw = quotedName(name);
  switch (coming) {
    case 'number':
      return `nullif(${raw}::float8, 'NaN')`;
    case 'decimal':
      return `nullif(${raw}, 'NaN')::float8`;
    case 'date':
    case 'timestamp':
      return `(case when ${raw} >= '0001-01-01' and ${raw} < '10000-01-01' then ${raw} end)`;
    case 'json':
      return `pg_catalog.to_json(${raw})::text`;
    case 'text':
      return typeName === 'text' || typeName === 'varchar' ? raw : `${raw}::text`;
    default:
      return raw;
  }
}

/** The box in a system that a box in degrees lies in; null where the system does not reach all of it. */
export function boxIn(crs: Crs, box: Box): Box | null {
  try {
    const own: Box = [Infinity, Infinity, -Infinity, -Infinity];
    for (const [x, y] of positionsIn(convertGeometry(shapeOfBox({ bbox: box }), transformBetween(CRS84, crs), 1e-3))) {
      own[0] = Math.min(own[0], x);
      own[1] = Math.min(own[1], y);
      own[2] = Math.max(own[2], x);
      own[3] = Math.max(own[3], y);
    }
    // Room for what an edge bends between its corners, and for the last digits.
    const room = Math.max(own[2] - own[0], own[3] - own[1]) * 0.01 + 1e-6;
    return [own[0] - room, own[1] - room, own[2] + room, own[3] + room];
  } catch (error) {
    if (error instanceof OutsideCrsError) return null;
    throw error;
  }
}
