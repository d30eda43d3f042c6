import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { count, parseFilter, Sifter, TableBuilder, type FeatureTable } from '@clean-sieve/core';
import type { Comparison } from './compare.ts';

const ROWS = 1_000_000;
/** Numerical Recipes' linear congruential generator, the same in SQL would be slower than copying the values over. */
const SEED = 20_261_124;
const SPECIES = Array.from({ length: 60 }, (_, i) => String(i * 7 + 1).padStart(4, '0'));
const DAY = 86_400_000;

interface Row {
  girth: number | null;
  risk: number;
  species: string;
  inspected: string | null;
  lit: boolean;
}

function* rows(): Generator<Row> {
  let state = SEED;
  const next = () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
  for (let i = 0; i < ROWS; i++) {
    yield {
      girth: next() < 0.05 ? null : Math.round(next() * 500),
      risk: Math.floor(next() * 101),
      species: SPECIES[Math.floor(next() * SPECIES.length)],
      inspected: next() < 0.1 ? null : new Date(Math.floor(next() * 20_000) * DAY).toISOString().slice(0, 10),
      lit: next() < 0.4,
    };
  }
}

const FILTERS: { name: string; cql: string; sql: string }[] = [
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
];

function tableOf(): FeatureTable {
  const builder = new TableBuilder();
  for (const row of rows()) builder.addFeature(null, { ...row });
  return builder.finish();
}

async function databaseOf(): Promise<DuckDBConnection> {
  const connection = await (await DuckDBInstance.create(':memory:')).connect();
  await connection.run('create table tree (girth double, risk double, species varchar, inspected date, lit boolean)');
  const appender = await connection.createAppender('tree');
  for (const { girth, risk, species, inspected, lit } of rows()) {
    if (girth === null) appender.appendNull();
    else appender.appendDouble(girth);
    appender.appendDouble(risk);
    appender.appendVarchar(species);
    if (inspected === null) appender.appendNull();
    else appender.appendDate({ days: Date.parse(inspected) / DAY } as never);
    appender.appendBoolean(lit);
    appender.endRow();
  }
  appender.closeSync();
  return connection;
}

/** Attribute filters over 1,000,000 rows against an in-process analytical database. Nothing is remembered between runs. */
export async function attributeFilters(): Promise<Comparison[]> {
  const table = tableOf();
  const connection = await databaseOf();
  return FILTERS.map(({ name, cql, sql }) => {
    const { expr } = parseFilter(cql);
    return {
      name: `1,000,000 rows: ${name}`,
      ours: () => count(new Sifter(table, 0).verdict(expr).yes),
      reference: {
        name: 'DuckDB',
        run: async () =>
          Number((await connection.runAndReadAll(`select count(*) from tree where ${sql}`)).getRows()[0][0]),
      },
      target: 1,
      agree: (a, b) => a === b,
    };
  });
}
