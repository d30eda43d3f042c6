import { emptyTree, parseFilter, treeOfExpr } from '@clean-sieve/core';
import { Database } from '../../packages/server/src/postgis/database.ts';
import { databaseAddressOf } from '../../packages/server/src/postgis/database_address.ts';
import { stackThere } from '../../packages/server/src/postgis/stack_there.ts';
import { described, spatialTables, tableNamed } from '../../packages/server/src/postgis/tables.ts';
import { startCluster } from '../../tests/postgis/cluster.ts';
import { compare, type Outcome } from './compared.ts';

const ROWS = 5_000_000;
const FILTER = "girth >= 120 AND height < 24.5 AND species IN ('oak', 'ash', 'elm') AND planted >= DATE('1990-01-01') AND owner LIKE 'T%'";
/** The same, as a person writes it. */
const CONDITIONS = ['girth >= 120', 'height < 24.5', "species in ('oak', 'ash', 'elm')", "planted >= '1990-01-01'", "owner like 'T%'"];

/** A stack of five conditions over 5,000,000 rows in PostGIS, all its numbers, against SQL that is written for it by hand. */
export async function stackInDatabase(): Promise<Outcome> {
  const cluster = await startCluster();
  try {
    await cluster.sql(`
      select setseed(0.5);
      create table trees as
        select i as n, (random() * 300)::int as girth, case when random() < 0.05 then null else random() * 40 end as height,
               (array['oak', 'ash', 'elm', 'fir', 'yew', 'fig', 'may'])[1 + (random() * 6.99)::int % 7] as species,
               date '1950-01-01' + (random() * 27000)::int as planted,
               case when random() < 0.1 then null else (array['Town', 'Trust', 'Church', 'School'])[1 + (random() * 3.99)::int % 4] end as owner,
               st_setsrid(st_makepoint(random() * 20, 40 + random() * 12), 4326)::geometry(Point, 4326) as place
          from generate_series(1, ${ROWS}) i;
      analyze trees`);
    const { address } = databaseAddressOf(cluster.address);
    const options = { password: null, signal: new AbortController().signal };
    return await Database.with(address, options, async (database) => {
      const table = await described(database, tableNamed(await spatialTables(database), 'trees')!);
      const tree = treeOfExpr(parseFilter(FILTER).expr, emptyTree(), counter());
      const counted = (holds: string) => `count(*) filter (where ${holds})`;
      const all = (parts: string[]) => (parts.length === 0 ? 'true' : parts.join(' and '));
      const byHand = CONDITIONS.flatMap((one, i) => [
        counted(all(CONDITIONS.slice(0, i + 1))),
        counted(all([...CONDITIONS.slice(0, i), `(${one}) is null`])),
        counted(one),
        counted(all(CONDITIONS.filter((other) => other !== one))),
      ]);
      return compare(
        {
          name: 'five conditions over 5,000,000 rows in PostGIS',
          ours: async () => {
            const stack = (await stackThere(database, table, tree))!;
            const lines = stack.rows.slice(1);
            return JSON.stringify([
              stack.total,
              ...lines.flatMap(({ id, left, unknown, alone }) => [left, unknown, alone, stack.without[id]]),
            ]);
          },
          reference: {
            name: 'SQL by hand',
            run: async () => {
              const [row] = await database.rows(`select count(*), ${byHand.join(', ')} from trees`);
              return JSON.stringify(row.map(Number));
            },
          },
          target: 1.2,
          agree: (ours, reference) => ours === reference,
        },
        5,
      );
    });
  } finally {
    cluster.stop();
  }
}

function counter(): () => string {
  let next = 0;
  return () => `n${next++}`;
}
