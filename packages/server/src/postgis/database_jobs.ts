import {
  FilterError,
  partFilter,
  printFilter,
  readLayer,
  ReadError,
  type AreaShapes,
  type Asked,
  type Expr,
  type FoundLayer,
} from '@clean-sieve/core';
import type { WantedPart, ServiceCollection, ServiceLook, ServiceLookRequest, ServiceSurvey } from '../api/contract.ts';
import { listening, type Report } from '../fetching/listening.ts';
import { fitting, meantBy, NOTHING } from '../fetching/meant.ts';
import type { Snapshot } from '../fetching/snapshot.ts';
import { geos } from '../export/kept_of_source.ts';
import { host } from '../files/file_input.ts';
import { lookAt } from '../jobs/look.ts';
import type { ServiceKey } from '../ogc_api/service_client.ts';
import { entities, type Store } from '../store/store.ts';
import { areaShapes, asOfDay } from '../workspace_state.ts';
import { databaseAddressOf, type DatabaseAddress } from './database_address.ts';
import { Database } from './database.ts';
import { countOf } from './read_rows.ts';
import { alongThere } from './stack_there.ts';
import { layerOf, noTable, POSTGRESQL, tableOf } from './table_layer.ts';
import { declaredOfTable, mayHaveHoles, spatialTables, tableNamed, type DescribedTable, type SpatialTable } from './tables.ts';

/** Rows that a look reads, and that it decides a condition on. */
const SAMPLE = 500;
const MOST_LOOKED_AT = 300_000;

/** Works with a database on behalf of a job, which ends it when it is cancelled. */
export function withDatabase<T>(
  address: DatabaseAddress,
  password: string | null,
  report: Report,
  work: (database: Database, tell: Report) => Promise<T>,
): Promise<T> {
  return listening(`${address.host}:${address.port}`, report, (signal, tell) =>
    Database.with(address, { password, signal }, (database) => work(database, tell)),
  );
}

/** The tables with shapes in a database. */
export function surveyDatabase(text: string, key: ServiceKey | null, report: Report): Promise<ServiceSurvey> {
  const { address, password } = databaseAddressOf(text);
  return withDatabase(address, key?.value ?? password, report, async (database) => {
    const tables = await spatialTables(database);
    const chosen = address.table === null ? null : tableNamed(tables, address.table);
    if (address.table !== null && chosen === null) throw noTable(address, tables, address.table);
    return {
      address: address.text,
      title: address.database,
      description: '',
      ...{ conformance: [], chosen: chosen?.id ?? null, hasKey: false },
      collections: tables.map((table) => collectionOf(address, table)),
    };
  });
}

function collectionOf(address: DatabaseAddress, { id, kind, estimated, geometryType, comment }: SpatialTable): ServiceCollection {
  // What stands in the schema that everyone has is known by its name alone.
  const title = id.replace(/^public\./, '');
  const url = new URL(address.text);
  url.searchParams.set('table', id);
  const size = estimated === null ? '' : `, about ${estimated.toLocaleString('en-GB')} rows`;
  return {
    ...{ id, title, description: comment ?? `${geometryType === 'Geometry' ? '' : `${geometryType}, `}${kind}${size}` },
    ...{ extent: null, period: null, systems: [], storage: null, items: url.href, queryables: url.href },
  };
}

/** What would come of a table: its first rows, how many there are, and of the conditions where each is decided. */
export function lookAtTable(
  orm: Store,
  { query, key }: { query: ServiceLookRequest; key: ServiceKey | null },
  report: Report,
): Promise<ServiceLook> {
  const { address } = databaseAddressOf(query.address);
  return withDatabase(address, key?.value ?? null, report, async (database, tell) => {
    const table = await tableOf(database, query.collection.id);
    const looked = query.known === null ? await lookAtFirst(database, table) : null;
    const columns = query.known ?? looked!.columns;
    tell(0, 'Counting');
    const all = looked && (await countOf(database, table, NOTHING));
    try {
      const { expr, asked, conditions } = meantBy(query.filter, columns, await areaShapes(entities(orm)), declaredOfTable(table));
      const isAll = asked.filter === null && asked.bbox === null;
      const matched = isAll && all !== null ? all : await countOf(database, table, asked);
      const stack = expr === null ? null : await stackOf(database, table, expr, await asOfDay(entities(orm)), tell);
      return { look: looked && { ...looked, features: all }, matched, all, problem: null, conditions, stack };
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      return { look: looked && { ...looked, features: all }, matched: null, all, problem: error.line, conditions: [], stack: null };
    }
  });
}

/** The numbers along the conditions that all have to hold, of the whole table. */
async function stackOf(database: Database, table: DescribedTable, expr: Expr, asOf: number, tell: Report): Promise<ServiceLook['stack']> {
  const conditions = partFilter(expr, declaredOfTable(table)).conditions.map((one) => one.expr);
  return alongThere(database, table, conditions, { asOf, geos: await geos.get(), tell, most: MOST_LOOKED_AT });
}

async function lookAtFirst(database: Database, table: DescribedTable) {
  const layer = layerOf(database, table, NOTHING);
  const sampled = { ...layer.format, read: (input: FoundLayer['input']) => layer.format.read(input, { most: SAMPLE }) };
  const looked = await lookAt(table.id, { ...layer, format: sampled }, {});
  if (looked.error !== null) throw new ReadError(`${table.id} cannot be read: ${looked.error.replace(/\.$/, '')}`);
  return { ...looked, complete: looked.looked < SAMPLE };
}

/** Reads the rows of a table that are as asked for. */
export function fetchTable(orm: Store, query: WantedPart, key: ServiceKey | null, report: Report): Promise<Snapshot> {
  const { address } = databaseAddressOf(query.address);
  return withDatabase(address, key?.value ?? null, report, async (database, tell) => {
    const areas = await areaShapes(entities(orm));
    return snapshotOf(database, query, areas, tell);
  });
}

export const LACKS_HOLES =
  'Shapes were looked for by their boxes in the database, which do not know of a hole that sticks out of its shape (which makes that invalid)';

/** Whether what was asked for by a box can have holes. */
export function mayLackHoles({ bbox, filter }: Asked, table: DescribedTable): boolean {
  const byBox = bbox !== null || JSON.stringify(filter).includes('bbox');
  return byBox && mayHaveHoles(table);
}

async function snapshotOf(
  database: Database,
  { address, collection, filter, leftOut, live, sample }: WantedPart,
  areas: AreaShapes,
  tell: Report,
): Promise<Snapshot> {
  const table = await tableOf(database, collection.id);
  const { columns } = await lookAtFirst(database, table);
  const { expr, asked, conditions } = fitting(filter, columns, areas, declaredOfTable(table));
  const askedAt = new Date().toISOString();
  tell(0, 'Counting');
  const matched = await countOf(database, table, asked);
  const decidedHere = conditions.find(({ by }) => by !== 'there');
  if (sample !== null && decidedHere)
    throw new ReadError(
      `A sample can be taken only by conditions that the database decides, which it does not of ${decidedHere.text}`,
      'Put that condition into a sieve, or ask for all',
    );
  const share = sample === null ? 1 : Math.min(1, sample / Math.max(1, matched));
  const layer = layerOf(database, table, asked, share);
  const come = Math.round(matched * share);
  const of = `${share < 1 ? 'about ' : ''}${come.toLocaleString('en-GB')}`;
  const progress = (rows: number) =>
    tell(Math.min(1, rows / Math.max(1, come)), `${rows.toLocaleString('en-GB')} of ${of} rows read from ${database.address.host}`);
  const read = await readLayer(layer, { progress }, host);
  if (read.table.rows === 0 && !live)
    throw new ReadError(
      expr === null ? `${collection.title} has no rows` : `No row of ${collection.title} is as it was asked for`,
      'Nothing was brought in',
    );
  return {
    came: { read, format: POSTGRESQL, hash: layer.hash() },
    ...{ columns, filter: expr, conditions },
    // Where all were asked for it is no sample, even if one of them could not be read.
    ...(sample === null ? {} : { sample: { wanted: sample, of: share < 1 ? matched : read.table.rows } }),
    remarks: [
      ...(share < 1 ? [`That is a sample of ${matched.toLocaleString('en-GB')}, each row taken by chance`] : []),
      ...(mayLackHoles(asked, table) ? [LACKS_HOLES] : []),
    ],
    from: {
      ...{ address, collection: collection.id, filter: expr === null ? null : printFilter(expr) },
      ...{ leftOut, askedAt, matched, came: read.table.rows },
    },
  };
}
