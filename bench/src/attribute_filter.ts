import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { count, parseFilter, Sifter, TableBuilder, type FeatureTable } from '@clean-sieve/core';
import type { Comparison } from './compared.ts';

const ROWS = 1_000_000;
/** Numerical Recipes' linear congruential generator, the same in SQL would be slower than copying the values over. */
const SEED = 20_261_124;
const SPECIES = Array.from({ length: 60 }, (_, i) => String(i * 7 + 1).padStart(4, '0'));
const DAY = 86_400_000;

const GRADES = ['good', 'fair', 'poor', 'very poor'];

interface Row {
  girth: number | null;
  risk: number;
  species: string;
  inspected: string | null;
  lit: boolean;
  height: number | null;
  crown: number;
  grade: string;
  street: string;
  owner: string | null;
  planted: string;
  fenced: boolean | null;
}

function* rows(): Generator<Row> {
  let state = SEED;
  const next = () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
  const day = () => new Date(Math.floor(next() * 20_000) * DAY).toISOString().slice(0, 10);
  for (let i = 0; i < ROWS; i++) {
    yield {
      girth: next() < 0.05 ? null : Math.round(next() * 500),
      risk: Math.floor(next() * 101),
      species: SPECIES[Math.floor(next() * SPECIES.length)],
      inspected: next() < 0.1 ? null : day(),
      lit: next() < 0.4,
      height: next() < 0.08 ? null : Math.round(next() * 350) / 10,
      crown: next() * 20,
      grade: GRADES[Math.floor(next() * GRADES.length)],
      street: `Street ${Math.floor(next() * 5000)}`,
      owner: next() < 0.3 ? null : `O${Math.floor(next() * 40)}`,
      planted: day(),
      fenced: next() < 0.02 ? null : next() < 0.5,
    };
  }
}

const FILTERS: { name: string; cql: string; sql: string; target?: number }[] = [
  { name: 'range of a number', cql: 'girth >= 120 AND girth < 300', sql: 'girth >= 120 and girth < 300' },
  {
    name: 'number, text, date and yes/no',
    cql: "risk > 60 AND species IN ('0001', '0008', '0050', '0211') AND inspected < DATE('2005-01-01') AND lit = TRUE",
    sql: "risk > 60 and species in ('0001', '0008', '0050', '0211') and inspected < date '2005-01-01' and lit",
  },
  {
    name: 'or, not and a pattern',
    cql: "(species LIKE '02%' OR girth IS NULL) AND NOT (risk BETWEEN 20 AND 80)",
    sql: "(species like '02%' or girth is null) and not (risk between 20 and 80)",
  },
  {
    name: 'arithmetic and column against column',
    cql: 'height * 10 > girth - 20 AND planted < inspected',
    sql: 'height * 10 > girth - 20 and planted < inspected',
    // Without vector instructions, which JavaScript does not have, arithmetic on two million values is out of reach.
    target: 2,
  },
  {
    name: 'blanks, inequality and a column against another',
    cql: "(fenced IS NULL OR height IS NULL OR planted > inspected) AND grade <> 'good'",
    sql: "(fenced is null or height is null or planted > inspected) and grade <> 'good'",
  },
  {
    name: 'without case, many texts, blanks kept',
    cql: "CASEI(street) LIKE CASEI('%STREET 12%') AND (owner NOT IN ('O1', 'O7') OR owner IS NULL)",
    sql: "street ilike '%STREET 12%' and (owner not in ('O1', 'O7') or owner is null)",
  },
];

export function tableOf(): FeatureTable {
  const builder = new TableBuilder();
  for (const row of rows()) builder.addFeature(null, { ...row });
  return builder.finish();
}

type Cell = Row[keyof Row];
const COLUMNS: Record<keyof Row, string> = {
  ...{ girth: 'double', risk: 'double', species: 'varchar', inspected: 'date', lit: 'boolean', height: 'double' },
  ...{ crown: 'double', grade: 'varchar', street: 'varchar', owner: 'varchar', planted: 'date', fenced: 'boolean' },
};

/** The same rows in the analytical database, as the table `tree`. */
export async function databaseOf(): Promise<DuckDBConnection> {
  const connection = await (await DuckDBInstance.create(':memory:')).connect();
  const columns = Object.entries(COLUMNS) as [keyof Row, string][];
  await connection.run(`create table tree (${columns.map((column) => column.join(' ')).join(', ')})`);
  const appender = await connection.createAppender('tree');
  const append: Record<string, (cell: Cell) => void> = {
    double: (cell) => appender.appendDouble(cell as number),
    varchar: (cell) => appender.appendVarchar(cell as string),
    date: (cell) => appender.appendDate({ days: Date.parse(cell as string) / DAY } as never),
    boolean: (cell) => appender.appendBoolean(cell as boolean),
  };
  for (const row of rows()) {
    for (const [name, type] of columns) {
      if (row[name] === null) appender.appendNull();
      else append[type](row[name]);
    }
    appender.endRow();
  }
  appender.closeSync();
  return connection;
}

/** Attribute filters over 1,000,000 rows against an in-process analytical database. Nothing is remembered between runs. */
export function attributeFilters(table: FeatureTable, connection: DuckDBConnection): Comparison[] {
  return FILTERS.map(({ name, cql, sql, target = 1 }) => {
    const { expr } = parseFilter(cql);
    return {
      name: `1,000,000 rows of 12: ${name}`,
      ours: () => count(new Sifter(table, 0).verdict(expr).yes),
      reference: {
        name: 'DuckDB',
        run: async () => Number((await connection.runAndReadAll(`select count(*) from tree where ${sql}`)).getRows()[0][0]),
      },
      target,
      agree: (a, b) => a === b,
    };
  });
}
