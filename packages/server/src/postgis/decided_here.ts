import {
  checkFilter,
  countsOthers,
  CRS84,
  FilterError,
  GEOMETRY_NAME,
  has,
  operandsIn,
  partFilter,
  propertiesIn,
  quotedName,
  Sifter,
  sqlOf,
  type Asked,
  type Box,
  type Expr,
  type FeatureTable,
  type Geos,
  type Operand,
  type OperandNames,
  type Sql,
} from '@clean-sieve/core';
import type { Report } from '../fetching/listening.ts';
import type { Database } from './database.ts';
import { conditionSql, keyOf, partsOf } from './read_rows.ts';
import { declaredOfTable, mayHaveHoles, shapeSql, sqlTable, typeHere, type DescribedTable } from './tables.ts';

/** With what conditions are decided here that a database cannot decide. */
export interface DecidingHere {
  /** Days since 1970-01-01 that relative dates count from. */
  asOf: number;
  geos: Geos;
  /** The sources and sieves that conditions name, by `SOURCE name`; conditions that name others are not decided. */
  operands?: ReadonlyMap<string, Operand>;
  /** Boxes in which those lie (`Declared`). */
  places?: ReadonlyMap<string, Box>;
  tell: Report;
  /** More rows than these are not looked at for one condition. */
  most?: number;
}

/** The verdict on a condition as SQL, and how many rows came over for it. */
export interface DecidedHere extends Sql {
  came: number;
}

/** So many rows are looked at for one condition unless something else is said, and so many verdicts are told the database. */
const MOST_CAME = 3_000_000;
const MOST_TOLD = 1_000_000;

/**
 * Decides a condition here on the rows for which it is not plain that they fail it, and says which those are as a condition on what tells
 * rows apart. Null where that cannot be, or would be too many.
 * @param before what the database can decide: on rows that fail one of these the verdict does not matter
 * @param first number of the first value in SQL
 */
export async function decideHere(
  database: Database,
  table: DescribedTable,
  expr: Expr,
  before: readonly Expr[],
  first: number,
  { asOf, geos, operands = new Map(), places = new Map(), tell, most = MOST_CAME }: DecidingHere,
): Promise<DecidedHere | null> {
  const identity = identityOf(table);
  const asksShapes = JSON.stringify(expr).includes(GEOMETRY_NAME);
  const isKnown = operandsIn(expr).every(({ op, args: [name] }) => operands.has(`${op} ${name}`));
  if (!identity || countsOthers(expr) || !isKnown || (asksShapes && table.crs === null)) return null;
  const { asked } = partFilter(expr, { ...declaredOfTable(table), places });
  const wanted = { id: `own.${identity.sql}`, columns: propertiesIn(expr), shapes: asksShapes, where: notFailing(asked, before, table) };
  const kept: string[] = [];
  const unknown: string[] = [];
  let came = 0;
  for await (const { table: part, ids } of partsOf(database, table, table.crs ?? CRS84, wanted)) {
    came += ids.length;
    tell(0, `${came.toLocaleString('en-GB')} rows looked at here`);
    if (!isAsDescribed(part, table)) return null;
    try {
      checkFilter(expr, part.columns, { operands: namesOf(operands) });
    } catch (error) {
      if (error instanceof FilterError) return null;
      throw error;
    }
    const sifter = new Sifter(part, asOf, CRS84, geos);
    sifter.operands = operands;
    const verdict = sifter.verdict(expr);
    ids.forEach((id, row) => {
      if (has(verdict.yes, row)) kept.push(id);
      else if (has(verdict.possible, row)) unknown.push(id);
    });
    if (came > most || kept.length + unknown.length > MOST_TOLD) return null;
  }
  const among = (place: number) => `${identity.sql} = any($${place}::${identity.type}[])`;
  return {
    text: `(case when ${among(first)} then true when ${among(first + 1)} then null else false end)`,
    values: [kept, unknown],
    came,
  };
}

/** What tells the rows of a table apart while one state of it is seen, in SQL; null where nothing does. */
function identityOf(table: DescribedTable): { sql: string; type: string } | null {
  if (table.rowsBy === 'place') return { sql: 'ctid', type: 'tid' };
  const keys = keyOf(table.columns);
  return table.rowsBy === 'key' && keys.length === 1 ? { sql: `${quotedName(keys[0].name)}::text`, type: 'text' } : null;
}

/** Rows that are not left out by what the database can say of a condition: where that is unknown, the condition may be so too. */
function notFailing(asked: Asked, before: readonly Expr[], table: DescribedTable): Sql {
  const own = conditionSql(asked, table);
  const others: Sql[] = [];
  let { length } = own.values;
  for (const expr of before) {
    others.push(sqlOf(expr, sqlTable(table), length + 1));
    length += others.at(-1)!.values.length;
  }
  // An index can be asked for the shapes that meet a box and for those that are not there, but not for what is not false.
  const isBox = asked.bbox !== null && asked.filter === null;
  const meets = isBox ? `(${own.text} or ${quotedName(table.shapes)} is null)` : `(${own.text}) is not false`;
  // A box does not know of a hole that sticks out of its shape: what has holes is looked at here.
  const looked = own.text !== 'true' && mayHaveHoles(table) ? `(${meets} or ${holedSql(table)})` : meets;
  return {
    text: [looked, ...others.map(({ text }) => `${text} is not false`)].join(' and '),
    values: [own, ...others].flatMap(({ values }) => values),
  };
}

/** Shapes with holes, and those that may have some within. */
function holedSql(table: DescribedTable): string {
  const own = quotedName(table.postgis);
  const shape = shapeSql(table);
  const within = `${own}.geometrytype(${shape}) in ('GEOMETRYCOLLECTION', 'CURVEPOLYGON', 'MULTISURFACE')`;
  return `${own}.st_nrings(${shape}) > ${own}.st_numgeometries(${shape}) or ${within}`;
}

function namesOf(operands: ReadonlyMap<string, Operand>): OperandNames {
  const called = (op: string) => [...operands.keys()].flatMap((key) => (key.startsWith(`${op} `) ? [key.slice(op.length + 1)] : []));
  return { sources: called('SOURCE'), sieves: called('SIEVE') };
}

/** A column whose whole numbers do not fit into numbers here comes as text, and conditions mean something else there. */
const isAsDescribed = (part: FeatureTable, { columns }: DescribedTable): boolean =>
  part.columns.every(({ name, type }) => columns.some((column) => column.name === name && typeHere(column) === type));
