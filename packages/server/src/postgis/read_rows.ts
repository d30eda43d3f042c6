import { createHash } from 'node:crypto';
import type { Geometry } from 'geojson';
import {
  emptyProperties,
  geometryOfWkb,
  parseJson,
  quotedName,
  ReadError,
  sqlOf,
  Taking,
  withKnownColumns,
  type Asked,
  type Crs,
  type FeatureTable,
  type ReadOptions,
  type ReadResult,
  type Sql,
} from '@clean-sieve/core';
import type { Database } from './database.ts';
import { shapeSql, sqlTable, typeHere, valueSql, type DescribedTable, type TableColumn } from './tables.ts';

/** The condition of what is asked for; of everything it is `true`. */
export function conditionSql({ filter, bbox }: Asked, table: DescribedTable): Sql {
  const own = sqlTable(table);
  const parts = [
    ...(bbox ? [{ op: 's_intersects', args: [{ property: 'geometry' }, { bbox: [...bbox] }] }] : []),
    ...(filter === null ? [] : [filter]),
  ];
  return parts.length === 0 ? { text: 'true', values: [] } : sqlOf({ op: 'and', args: parts }, own);
}

/** How many features of a table are as asked for, exactly. */
export async function countOf(database: Database, table: DescribedTable, asked: Asked): Promise<number> {
  const { text, values } = conditionSql(asked, table);
  const [[count]] = await database.rows(`select count(*) from ${nameOf(table)} where ${text}`, values);
  return Number(count);
}

export const nameOf = ({ schema, name }: DescribedTable): string => `${quotedName(schema)}.${quotedName(name)}`;

/** What came of a table, and a hash of it, as it came. */
export interface RowsRead {
  result: ReadResult;
  hash: string;
}

/**
 * Reads the features of a table that are as asked for, in the order of its key where it has one. Throws a ReadError.
 * @param progress told how many are there
 * @param share of those only so many, 0 to 1, each taken by chance
 */
export async function readRows(
  database: Database,
  table: DescribedTable,
  asked: Asked,
  options: ReadOptions,
  share = 1,
): Promise<RowsRead> {
  const hash = createHash('sha256');
  const columns = table.columns.filter(({ coming }) => coming !== 'leftOut');
  const taking = takingOf(columns, options);
  for (const { name, coming, typeName } of table.columns)
    if (coming === 'leftOut')
      taking.notes.push(
        `The column ${name} ${typeName === 'bytea' ? 'holds binary data' : `is of the type ${typeName}`} and was left out.`,
      );
  if (table.forbidden.length > 0)
    taking.notes.push(
      `${table.forbidden.join(', ')} may not be read by ${database.address.user} and ${table.forbidden.length === 1 ? 'was' : 'were'} left out.`,
    );
  const { text, values } = conditionSql(asked, table);
  // By the table's own name: what comes of the columns is text, and bears their names.
  const keys = keyOf(table.columns).map(({ name }) => `own.${quotedName(name)}`);
  const sql = [
    `select ${[...readShapeSql(table), ...columns.map(readSql)].join(', ')}`,
    `from ${nameOf(table)} as own where ${share < 1 ? `${byChance(share)} and (${text})` : text}`,
    ...(keys.length > 0 ? [`order by ${keys.join(', ')}`] : []),
    ...(options.most === undefined ? [] : [`limit ${options.most}`]),
  ].join(' ');
  const reader = new RowReader(taking, columns, table);
  for await (const rows of database.stream(sql, values)) {
    for (const row of rows) {
      reader.take(row);
      hash.update(JSON.stringify(row));
    }
    options.progress?.(taking.builder.rows, 0);
  }
  if (reader.measured) taking.notes.push('M values, where the shapes have any, were left out.');
  const result = taking.result(table.clue);
  const known = columns.map((column) => ({ name: column.name, type: typeHere(column)! }));
  return { result: { ...result, table: withKnownColumns(result.table, known) }, hash: hash.digest('hex') };
}

/** Each row by itself: rows that lie together, as they were written, would be alike. */
const byChance = (share: number): string => `pg_catalog.random() < ${share.toFixed(12)}`;

/** Some features of a table, with what tells each from the others. */
export interface Part {
  table: FeatureTable;
  ids: string[];
}

/** Which features of a table are wanted, and what of them. */
export interface WantedRows {
  /** What tells a row from the others, in SQL. */
  id: string;
  columns: readonly string[];
  /** Whether shapes come, or the units of the table's system within which their vertices may be left out. */
  shapes: boolean | { coarse: number };
  where: Sql;
  /** No more than these. */
  most?: number;
}

/** Features of a table, some at a time, with only the columns that are wanted. Throws a ReadError. */
export async function* partsOf(database: Database, table: DescribedTable, crs: Crs, wanted: WantedRows): AsyncGenerator<Part> {
  const columns = table.columns.filter(({ name, coming }) => coming !== 'leftOut' && wanted.columns.includes(name));
  const known = columns.map((column) => ({ name: column.name, type: typeHere(column)! }));
  const coarse = typeof wanted.shapes === 'object' ? wanted.shapes.coarse : 0;
  const shapes = wanted.shapes ? readShapeSql(table, coarse) : ['null', 'false', '0'];
  const limit = wanted.most === undefined ? '' : ` limit ${wanted.most}`;
  const sql = `select ${[wanted.id, ...shapes, ...columns.map(readSql)].join(', ')} from ${nameOf(table)} as own where ${wanted.where.text}${limit}`;
  const begin = () => {
    const taking = takingOf(columns, {});
    return { taking, reader: new RowReader(taking, columns, table), ids: [] as string[] };
  };
  let now = begin();
  const finished = (): Part => ({ table: { ...withKnownColumns(now.taking.result(table.clue).table, known), crs }, ids: now.ids });
  for await (const rows of database.stream(sql, wanted.where.values)) {
    for (const [id, ...row] of rows) {
      now.ids.push(id!);
      now.reader.take(row);
    }
    if (now.ids.length < PART) continue;
    yield finished();
    now = begin();
  }
  if (now.ids.length > 0) yield finished();
}

/** Features on their way into columns, which are texts where the database has texts. */
function takingOf(columns: readonly TableColumn[], options: ReadOptions): Taking {
  const taking = new Taking(options);
  for (const { name, coming } of columns) {
    const built = taking.builder.column(name);
    if (coming === 'text') built.keepText();
  }
  return taking;
}

/** Rows that are looked at together. */
const PART = 50_000;

/**
 * The shape, whether arcs in it were made of straight pieces, and whether it has M values.
 * @param coarse vertices nearer than this to the one before are left out there; 0: all come
 */
function readShapeSql(table: DescribedTable, coarse = 0): string[] {
  const own = quotedName(table.postgis);
  const shape = shapeSql(table);
  const straight = `case when ${own}.st_hasarc(${shape}) then ${own}.st_curvetoline(${shape}) else ${shape} end`;
  return [
    `${own}.st_asewkb(${coarse > 0 ? `${own}.st_removerepeatedpoints(${straight}, ${coarse})` : straight})`,
    `${own}.st_hasarc(${shape})`,
    `${own}.st_zmflag(${shape})`,
  ];
}

/** What comes of a column: a decimal with all its digits, a moment with its own bounds. */
function readSql(column: TableColumn): string {
  const { name, coming } = column;
  const raw = quotedName(name);
  if (coming === 'number') return `${raw}::float8`;
  return coming === 'json' ? valueSql(column) : `${raw}::text`;
}

/** The columns of a key in the order in which the database has them. */
export const keyOf = (columns: readonly TableColumn[]): TableColumn[] =>
  columns.filter(({ keyPlace }) => keyPlace !== null).sort((a, b) => a.keyPlace! - b.keyPlace!);

/** A day, or a moment in it, as it can be read here. */
const MOMENT = /^\d{4}-\d\d-\d\d(T\d\d:\d\d:\d\d(\.\d+)?Z?)?$/;

class RowReader {
  measured = false;
  readonly #taking: Taking;
  readonly #columns: readonly TableColumn[];
  readonly #table: DescribedTable;
  readonly #key: number[];
  #row = 0;

  constructor(taking: Taking, columns: readonly TableColumn[], table: DescribedTable) {
    [this.#taking, this.#columns, this.#table] = [taking, columns, table];
    this.#key = keyOf(columns).map((column) => columns.indexOf(column));
  }

  take([shape, hasArc, dimensions, ...values]: (string | null)[]): void {
    this.#row++;
    const key = this.#key.map((i) => `${this.#columns[i].name} ${values[i]}`);
    const where = key.length > 0 ? `Row ${this.#row} (${key.join(', ')})` : `Row ${this.#row}`;
    if (hasArc === 't') this.#taking.remark('repaired', where, 'its arcs are made of straight pieces, 32 to a quarter of a circle');
    this.measured ||= dimensions === '1' || dimensions === '3';
    const properties = emptyProperties();
    this.#columns.forEach(({ name, coming }, i) => (properties[name] = this.#value(values[i], coming, name, where)));
    this.#taking.feature(shape === null ? null : this.#geometry(shape, where), properties, where);
  }

  #geometry(hex: string, where: string): Geometry {
    const bytes = Buffer.from(hex.slice(2), 'hex');
    const srid = sridOf(bytes);
    if (srid !== this.#table.srid)
      throw new ReadError(
        `${where}: its shape is in the system ${srid} of the database, where the column ${this.#table.shapes} has ${this.#table.srid}`,
        'A view with the shapes of one system can be read',
      );
    try {
      return geometryOfWkb(bytes);
    } catch (error) {
      if (error instanceof ReadError) throw new ReadError(`${where}: ${error.message}`, error.hint);
      throw error;
    }
  }

  #value(text: string | null, coming: TableColumn['coming'], name: string, where: string): unknown {
    if (text === null) return null;
    switch (coming) {
      case 'whole':
        return BigInt(text);
      case 'number':
        return Number(text);
      case 'decimal':
        return this.#decimal(text, name, where);
      case 'boolean':
        return text === 't' || text === 'true';
      case 'date':
      case 'timestamp':
        return this.#moment(text, name, where);
      case 'json':
        return parseJson(text);
      default:
        return text;
    }
  }

  #decimal(text: string, name: string, where: string): number {
    const value = Number(text);
    const digits = text
      .replace(/^-?0*\.?0*/, '')
      .replace('.', '')
      .replace(/0+$/, '').length;
    if (digits > 15 && plainDigits(value) !== text.replace(/(\.\d*?)0+$/, '$1').replace(/\.$/, ''))
      this.#taking.remark('repaired', where, `a value of ${name} has more digits than a number holds here; it is the nearest one`);
    return value;
  }

  #moment(text: string, name: string, where: string): string | null {
    const iso = text.replace(' ', 'T').replace(/\+00$/, 'Z');
    if (MOMENT.test(iso)) return iso;
    this.#taking.remark('refused', where, `a value of ${name} is outside the years 1 to 9999 and was left out`);
    return null;
  }
}

/** A number without an exponent. */
const plainDigits = (value: number): string => (Number.isInteger(value) ? BigInt(value).toString() : String(value));

/** The system that a shape names (the flag of extended well-known binary); 0 for none. */
function sridOf(bytes: Buffer): number {
  const little = bytes[0] === 1;
  const code = little ? bytes.readUInt32LE(1) : bytes.readUInt32BE(1);
  if ((code & 0x20000000) === 0) return 0;
  return little ? bytes.readUInt32LE(5) : bytes.readUInt32BE(5);
}
