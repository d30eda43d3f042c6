import { exprOfTree, Geos, partFilter, printFilter, readLayer, type ColumnSchema, type Expr, type Group } from '@clean-sieve/core';
import { host } from '../files/file_input.ts';
import { Database } from '../postgis/database.ts';
import { databaseAddressOf } from '../postgis/database_address.ts';
import { layerOf, tableOf } from '../postgis/table_layer.ts';
import { alongThere, stackThere, type StackThere } from '../postgis/stack_there.ts';
import { declaredOfTable, described, spatialTables, typeHere, type DescribedTable } from '../postgis/tables.ts';
import type { ReadElsewhere } from './read_service.ts';
import { UsageError } from './usage_error.ts';

/** What was counted, with the parts of the filter that were decided there and here. */
export interface CountedThere extends Pick<ReadElsewhere, 'pushed' | 'here'>, Pick<StackThere, 'total' | 'kept' | 'unknown' | 'came'> {
  stack: StackThere | null;
}

/** Opens the database and the table in it that are meant. */
function withTable<T>(text: string, name: string | undefined, work: (database: Database, table: DescribedTable) => Promise<T>): Promise<T> {
  const { address, password } = databaseAddressOf(text);
  const options = { password: password ?? process.env.PGPASSWORD ?? null, signal: new AbortController().signal };
  return Database.with(address, options, async (database) => {
    const wanted = name ?? address.table;
    if (wanted !== null) return work(database, await tableOf(database, wanted));
    const tables = await spatialTables(database);
    if (tables.length > 1)
      throw new UsageError(
        `${address.database} has several tables with shapes: ${tables.map(({ id }) => id).join(', ')}; name one with --layer or in the address, as in ?table=schema.name`,
      );
    return work(database, await described(database, tables[0]));
  });
}

/**
 * Reads a table with shapes of a PostgreSQL database, as much of it as a filter can need. The password stands in the address or in the
 * environment.
 * @param name of the table, where the address does not say it
 * @param filter null where all features are wanted
 */
export function readDatabase(text: string, name: string | undefined, filter: Expr | null): Promise<ReadElsewhere> {
  return withTable(text, name, async (database, table) => {
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

/**
 * What a tree keeps of a table, counted in the database; what it cannot decide is decided here on the rows for which that matters, of
 * which nothing but what the conditions are about comes over. Null where that cannot be.
 * @param asOf days since 1970-01-01 that relative dates count from
 * @param check given the columns of the table, throws a FilterError for conditions that do not fit them
 * @param explains whether the numbers of the whole stack are wanted, for which more has to come over
 */
export function countInDatabase(
  text: string,
  name: string | undefined,
  tree: Group,
  asOf: number,
  check: (columns: ColumnSchema[]) => void,
  explains: boolean,
): Promise<CountedThere | null> {
  return withTable(text, name, async (database, table) => {
    const columns = table.columns.flatMap((column) => {
      const type = typeHere(column);
      return type === null ? [] : [{ name: column.name, type }];
    });
    check(columns);
    const { there, here, conditions } = partFilter(exprOfTree(tree), declaredOfTable(table));
    const deciding = { asOf, geos: await Geos.open(), tell: () => undefined };
    const said = (part: Expr | null) => (part === null ? null : printFilter(part));
    const parts = { pushed: said(there), here: said(here) };
    if (explains) {
      const stack = await stackThere(database, table, tree, deciding);
      return stack && { ...stack, ...parts, stack };
    }
    // What the database decides comes first: of what that leaves out nothing comes over.
    const inTurn = conditions.toSorted((a, b) => Number(a.by !== 'there') - Number(b.by !== 'there')).map(({ expr }) => expr);
    const along = await alongThere(database, table, inTurn, deciding);
    return along && { ...along, ...parts, stack: null };
  });
}
