import type { DuckDBConnection } from '@duckdb/node-api';
import {
  computedColumn,
  EXACTLY,
  joinedColumn,
  matchTables,
  parseFilter,
  Sifter,
  TableBuilder,
  typeOfValue,
  valueAt,
  type Column,
  type FeatureTable,
} from '@clean-sieve/core';
import type { Comparison } from './compared.ts';

const DERIVED: [ours: string, sql: string][] = [
  ['girth / 3.14159', 'girth / 3.14159'],
  ['height * 100 / girth', 'case when girth = 0 then null else height * 100 / girth end'],
  ['ROUND(crown * crown * 0.785, 2)', 'round(crown * crown * 0.785, 2)'],
  ['GREATEST(risk, height, crown)', 'case when height is null then null else greatest(risk, height, crown) end'],
  ["IF(girth > 250, 'veteran', 'other')", "case when girth is null then null when girth > 250 then 'veteran' else 'other' end"],
  ['UPPER(street)', 'upper(street)'],
  ["CONCAT(species, ' ', grade)", "species || ' ' || grade"],
  ["COALESCE(owner, 'nobody')", "coalesce(owner, 'nobody')"],
  ['DAYS_BETWEEN(planted, inspected)', "date_diff('day', planted, inspected)"],
  ['YEAR(planted)', 'year(planted)'],
];

/** Values that are there, and the sum of the numbers or of the lengths of the texts: what two columns that are alike have alike. */
type Print = [present: number, sum: number];
function printOf(column: Column, rows: number): Print {
  const print: Print = [0, 0];
  for (let row = 0; row < rows; row++) {
    const value = valueAt(column, row);
    if (value === null) continue;
    print[0]++;
    print[1] += typeof value === 'number' ? value : String(value).length;
  }
  return print;
}
const areAlike = (ours: Print, theirs: Print) =>
  ours[0] === theirs[0] && Math.abs(ours[1] - theirs[1]) <= 1e-9 * Math.max(1, Math.abs(theirs[1]));

/** Ten columns that are computed of others over 1,000,000 rows, with the cause of every blank, against an analytical database. */
export async function derivedColumns(table: FeatureTable, database: DuckDBConnection): Promise<Comparison> {
  const sql = DERIVED.map(([, expression], i) => `${expression} as c${i}`).join(', ');
  const run = () => database.run(`create or replace table derived as select ${sql} from tree`);
  await run();
  const prints: Print[] = [];
  for (const i of DERIVED.keys()) {
    const found = await database.runAndReadAll(
      `select count(c${i}), coalesce(sum(coalesce(try_cast(c${i} as double), length(c${i}::varchar))), 0) from derived`,
    );
    prints.push(found.getRows()[0].map(Number) as Print);
  }
  const exprs = DERIVED.map(([text]) => parseFilter(text));
  const ours = () => {
    // Nothing is remembered between runs.
    const sifter = new Sifter(table, 0);
    return exprs.map((parsed, i) => computedColumn(sifter, parsed.expr, `c${i}`, typeOfValue(parsed, table.columns)).column);
  };
  return {
    name: `1,000,000 rows: ten derived columns`,
    ours,
    reference: { name: 'DuckDB', run },
    target: 2,
    steady: true,
    agree: (columns) => (columns as Column[]).every((column, i) => areAlike(printOf(column, table.rows), prints[i])),
  };
}

const ROWS = 1_000_000;
const PARTNERS = 300_000;

/** 1,000,000 rows joined to 300,000 by a text key that most have a partner for, against an analytical database. */
export async function joinByText(database: DuckDBConnection): Promise<Comparison> {
  const keyOf = (n: number) => `T-${String((n * 7919) % 350_003).padStart(7, '0')}`;
  const [own, other] = [new TableBuilder(), new TableBuilder()];
  for (let n = 0; n < ROWS; n++) own.addFeature(null, { key: keyOf(n) });
  for (let n = 0; n < PARTNERS; n++) other.addFeature(null, { key: keyOf(n), hours: (n * 31) % 997 });
  const [mine, theirs] = [own.finish(), other.finish()];
  const key = "'T-' || lpad(((n * 7919) % 350003)::varchar, 7, '0')";
  await database.run(`create or replace table own as select n, ${key} as key from range(${ROWS}) t(n)`);
  await database.run(
    `create or replace table other as select ${key} as key, ((n * 31) % 997)::double as hours from range(${PARTNERS}) t(n)`,
  );
  const run = () =>
    database.run('create or replace table joined as select own.n, other.hours from own left join other on own.key = other.key');
  await run();
  const found = await database.runAndReadAll('select count(hours), sum(hours) from joined');
  const print = found.getRows()[0].map(Number) as Print;
  const hours = theirs.columns.find(({ name }) => name === 'hours')!;
  return {
    name: '1,000,000 rows: a join of 300,000 by a text key',
    ours: () => joinedColumn(matchTables(mine, theirs, [{ own: 'key', other: 'key' }], EXACTLY), hours, 'first', 'joined'),
    reference: { name: 'DuckDB', run },
    target: 2,
    steady: true,
    agree: (column) => areAlike(printOf(column as Column, ROWS), print),
  };
}
