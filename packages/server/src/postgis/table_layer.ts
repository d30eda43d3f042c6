import { memoryInput, ReadError, type Asked, type Format, type FoundLayer, type ReadOptions } from '@clean-sieve/core';
import type { Database } from './database.ts';
import type { DatabaseAddress } from './database_address.ts';
import { readRows } from './read_rows.ts';
import { described, spatialTables, tableNamed, type DescribedTable, type SpatialTable } from './tables.ts';

/** Name of what is read from a database, in the place of a file format's. */
export const POSTGRESQL = 'postgresql';
export const noTable = ({ database }: DatabaseAddress, tables: readonly SpatialTable[], name: string): ReadError =>
  new ReadError(`${database} has no table ${name} with shapes`, `It has ${tables.map(({ id }) => id).join(', ')}`);

/** The table that is asked about, as it is now. */
export async function tableOf(database: Database, id: string): Promise<DescribedTable> {
  const tables = await spatialTables(database);
  const table = tableNamed(tables, id);
  if (!table) throw noTable(database.address, tables, id);
  return described(database, table);
}

/**
 * A table as a layer to read, as much of it as is asked for.
 * @param share of that only so many, by chance
 */
export function layerOf(database: Database, table: DescribedTable, asked: Asked, share = 1): FoundLayer & { hash: () => string } {
  let hash = '';
  const format: Format = {
    ...{ name: POSTGRESQL, label: 'PostgreSQL table', extensions: [], mediaType: '' },
    layers: () => Promise.resolve([]),
    async read(_, options: ReadOptions) {
      const rows = await readRows(database, table, asked, options, share);
      hash = rows.hash;
      return rows.result;
    },
  };
  return {
    ...{ name: table.id, inner: table.id, features: null, geometry: table.geometryType, attributesOnly: false },
    ...{ format, input: memoryInput(table.id, new Uint8Array(0)), hash: () => hash },
  };
}
