import { partFilter, printFilter, readLayer, type Expr } from '@clean-sieve/core';
import { host } from '../files/file_input.ts';
import { Database } from '../postgis/database.ts';
import { databaseAddressOf } from '../postgis/database_address.ts';
import { layerOf, tableOf } from '../postgis/table_layer.ts';
import { declaredOfTable, described, spatialTables } from '../postgis/tables.ts';
import type { ReadElsewhere } from './read_service.ts';
import { UsageError } from './usage_error.ts';

/**
 * Reads a table with shapes of a PostgreSQL database, as much of it as a filter can need. The password stands in the address or in the
 * environment.
 * @param name of the table, where the address does not say it
 * @param filter null where all features are wanted
 */
export async function readDatabase(text: string, name: string | undefined, filter: Expr | null): Promise<ReadElsewhere> {
  const { address, password } = databaseAddressOf(text);
  const options = { password: password ?? process.env.PGPASSWORD ?? null, signal: new AbortController().signal };
  return Database.with(address, options, async (database) => {
    const wanted = name ?? address.table;
    const tables = await spatialTables(database);
    if (wanted === null && tables.length > 1)
      throw new UsageError(
        `${address.database} has several tables with shapes: ${tables.map(({ id }) => id).join(', ')}; name one with --layer or in the address, as in ?table=schema.name`,
      );
    const table = await (wanted === null ? described(database, tables[0]) : tableOf(database, wanted));
    const { asked, there, here } = partFilter(filter, declaredOfTable(table));
    const read = await readLayer(layerOf(database, table, asked), {}, host);
    return {
      ...read,
      pushed: there === null ? null : printFilter(there),
      here: here === null ? null : printFilter(here),
      fetched: read.table.rows,
    };
  });
}
