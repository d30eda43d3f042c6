import { execFile } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import {
  call,
  columnNamed,
  Geos,
  layersIn,
  memoryInput,
  parseDate,
  partFilter,
  printFilter,
  property,
  readLayer,
  rowsOf,
  Sifter,
  takeRows,
  valueAt,
  withKnownColumns,
  type Expr,
  type FeatureTable,
} from '@clean-sieve/core';
import { gunzipSync } from 'node:zlib';
import { readFileSync } from 'node:fs';
import { fetchSnapshot, surveyAt } from '../../packages/server/src/fetching/fetching.ts';
import { keptOfSnapshot } from '../../packages/server/src/fetching/kept_of_snapshot.ts';
import { fileInput, host } from '../../packages/server/src/files/file_input.ts';
import { fetchPages, firstPage } from '../../packages/server/src/ogc_api/fetch_pages.ts';
import { ServiceClient } from '../../packages/server/src/ogc_api/service_client.ts';
import { declaredOf, survey } from '../../packages/server/src/ogc_api/survey.ts';
import { Database } from '../../packages/server/src/postgis/database.ts';
import { databaseAddressOf } from '../../packages/server/src/postgis/database_address.ts';
import { readRows } from '../../packages/server/src/postgis/read_rows.ts';
import { declaredOfTable, described, spatialTables, tableNamed } from '../../packages/server/src/postgis/tables.ts';
import { serveSimulated, type Simulated } from '../../packages/server/src/simulated_service/serve_simulated.ts';
import { storeForTests, type StoreForTests } from '../../packages/server/src/store/store_for_tests.ts';
import { entities } from '../../packages/server/src/store/store.ts';
import { loadTable, saveTable } from '../../packages/server/src/store/table_store.ts';
import { startCluster, type Cluster } from '../postgis/cluster.ts';
import { Random } from './random_lists.ts';

const DEMO = join(import.meta.dirname, '../../demo/files');
const AS_OF = parseDate('2026-11-24')!.day;
/** Reports that have come in while the service's clock stands still. */
const REPORTS = 5200;
const FILTERS = 200;

/** Another seed every day; it stands in the name of a test that fails. */
const seed = Math.floor(Date.now() / 86_400_000);

let service: Simulated;
let cluster: Cluster;
let folder: string;
let stored: FeatureTable;
let geos: Geos;
/** Filters, and what they keep of the stored features. */
let filters: { expr: Expr; ids: unknown[] }[];
beforeAll(async () => {
  geos = await Geos.open();
  service = (await serveSimulated(DEMO, 0, () => 0))!;
  folder = await mkdtemp(join(tmpdir(), 'clean-sieve-'));
  const packed = readFileSync(join(DEMO, 'storm_reports.geojson.gz'));
  const [layer] = await layersIn(memoryInput('storm_reports.geojson', gunzipSync(packed)), host);
  const { table } = await readLayer(layer, {}, host);
  cluster = await startCluster();
  stored = takeRows(
    table,
    Uint32Array.from({ length: REPORTS }, (_, row) => row),
  );
  const maker = new AnyAboutReports(new Random(seed));
  filters = Array.from({ length: FILTERS }, () => maker.filter()).map((expr) => ({ expr, ids: kept(stored, expr) }));
});
afterAll(async () => {
  service.close();
  cluster.stop();
  await rm(folder, { recursive: true, force: true });
});

/** Identifiers of the features of a table that a filter keeps. */
function kept(table: FeatureTable, expr: Expr | null): unknown[] {
  const id = table.columns.find(({ role }) => role === 'id') ?? columnNamed(table, 'id')!;
  const all = () => Uint32Array.from({ length: table.rows }, (_, row) => row);
  const rows = expr === null ? all() : rowsOf(new Sifter(table, AS_OF, table.crs, geos).verdict(expr).yes);
  return Array.from(rows, (row) => valueAt(id, row));
}

/** Filters as people write them of reports, with values that the reports have. */
class AnyAboutReports {
  readonly #random: Random;
  constructor(random: Random) {
    this.#random = random;
  }

  filter(depth = 2): Expr {
    const random = this.#random;
    if (depth === 0 || random.chance(0.25)) return this.#test();
    if (random.chance(0.15)) return call('not', this.filter(depth - 1));
    return call(random.pick(['and', 'and', 'or']), ...random.many(2, 3, () => this.filter(depth - 1)));
  }

  #test(): Expr {
    const random = this.#random;
    const tests: (() => Expr)[] = [
      () => call(random.pick(['=', '<>', '<', '<=', '>', '>=']), property('severity'), random.whole(0, 6)),
      () => call('between', property('severity'), random.whole(0, 3), random.whole(2, 6)),
      () =>
        call(
          'in',
          property('severity'),
          random.many(1, 3, () => random.whole(0, 6)),
        ),
      () => call(random.pick(['=', '<>', '<', '>=']), property(random.pick(['kind', 'note'])), this.#valueOf('kind')),
      () =>
        call(
          'in',
          property('kind'),
          random.many(1, 3, () => this.#valueOf('kind')),
        ),
      () => call('like', property(random.pick(['kind', 'note'])), random.pick(['%down', 'tree%', '%a_e%', '%', '“%', 'd_j%'])),
      () => call('like', call('casei', property('note')), call('casei', random.pick(['%FERRY', 'BLOCKS%', 'zzz']))),
      () => call('=', call('accenti', property('note')), call('accenti', 'deja signale')),
      () => call('isNull', property(random.pick(['severity', 'closed_at', 'note']))),
      () => call('=', property('open'), random.chance(0.5)),
      () => property('open'),
      () => this.#time(),
      () => this.#time(),
      () => this.#place(),
      () => this.#place(),
      () => call('>', property('closed_at'), property('reported_at')),
      () => call('=', call('MONTH', property('reported_at')), random.whole(9, 11)),
    ];
    return random.pick(tests)();
  }

  #valueOf(name: string): Expr {
    const value = valueAt(columnNamed(stored, name)!, this.#random.whole(0, REPORTS - 1));
    return typeof value === 'string' ? value : '';
  }

  #time(): Expr {
    const random = this.#random;
    const column = property(random.pick(['reported_at', 'closed_at']));
    const moment = (): Expr => {
      const text = this.#valueOf('reported_at') as string;
      return random.chance(0.5) ? { timestamp: text } : { date: text.slice(0, 10) };
    };
    if (random.chance(0.3)) {
      const ends = [moment(), random.chance(0.3) ? '..' : moment()] as [Expr, Expr];
      return call(random.pick(['t_during', 't_intersects', 't_disjoint']), column, { interval: ends });
    }
    if (random.chance(0.2)) return call(random.pick(['t_before', 't_after', 't_equals']), column, moment());
    if (random.chance(0.2)) return call('between', column, moment(), moment());
    return call(random.pick(['=', '<>', '<', '<=', '>', '>=']), column, moment());
  }

  #place(): Expr {
    const random = this.#random;
    const [lon, lat] = [-12.1 + random.between(-0.1, 0.1), 46.6 + random.between(-0.05, 0.05)];
    const [wide, high] = [random.between(0, 0.08), random.between(0, 0.05)];
    const geometry = property('geometry');
    const point: Expr = { type: 'Point', coordinates: [lon, lat] };
    const corner = [lon, lat];
    const triangle: Expr = { type: 'Polygon', coordinates: [[corner, [lon + wide, lat], [lon, lat + high], corner]] };
    const box: Expr = { bbox: [lon, lat, lon + wide, lat + high] };
    return random.pick<() => Expr>([
      () => call('s_intersects', geometry, box),
      () => call(random.pick(['s_intersects', 's_within', 's_disjoint', 's_touches']), geometry, triangle),
      () => call('S_DWITHIN', geometry, point, random.whole(0, 4000)),
      () => call('S_NEAREST', geometry, point, random.whole(1, 20)),
    ])();
  }
}

/** A service in a mood, asked for what is wanted of it; the same question is put once. */
async function askedIn(mood: string): Promise<{ ask: (expr: Expr) => Promise<{ ids: unknown[]; there: boolean }> }> {
  const address = new URL(service.address.replace(/reports$/, mood));
  const client = new ServiceClient(address, { key: null, signal: new AbortController().signal, pause: 5 });
  const { conformance, collections } = await survey(client, address);
  const declared = await declaredOf(client, conformance, collections[0]);
  const tables = new Map<string, Promise<FeatureTable | null>>();
  const fetched = async (first: URL, own: string): Promise<FeatureTable | null> => {
    await mkdir(own);
    const { features } = await fetchPages(client, own, 'it.geojsonl', first, () => undefined);
    if (features === 0) return null;
    const [layer] = await layersIn(await fileInput(join(own, 'it.geojsonl')), host);
    return (await readLayer(layer, {}, host)).table;
  };
  return {
    async ask(expr) {
      const parted = partFilter(expr, declared);
      const first = firstPage(new URL(collections[0].items), parted.asked, declared);
      if (!tables.has(first.href)) tables.set(first.href, fetched(first, join(folder, `${mood} ${tables.size}`)));
      const table = await tables.get(first.href)!;
      return { ids: table === null ? [] : kept(withKnownColumns(table, stored.columns), parted.here), there: parted.there !== null };
    },
  };
}

test.each(['reports', 'json', 'plain'])(
  `seed ${seed}: of generated filters, what is asked of the service in “%s” and decided here is what is kept of the stored features`,
  async (mood) => {
    const { ask } = await askedIn(mood);
    let pushed = 0;
    // In JSON it is the same filters that are asked; fewer of them tell.
    const some = mood === 'json' ? filters.slice(0, FILTERS / 4) : filters;
    for (const { expr, ids: plainly } of some) {
      const { ids, there } = await ask(expr);
      if (there) pushed++;
      const filter = printFilter(expr);
      expect({ filter, ids: ids.length }).toEqual({ filter, ids: plainly.length });
      expect(ids).toEqual(plainly);
    }
    // Something was left to the service.
    expect(pushed).toBeGreaterThan(mood === 'plain' ? FILTERS / 20 : some.length / 4);
  },
  120_000,
);

/** A live source, asked for what is wanted, as it is held while the program runs. */
async function liveFrom(workspace: StoreForTests, address: string, called: string, filter: string | null): Promise<FeatureTable> {
  const silent = () => undefined;
  const { address: at, conformance, collections } = await surveyAt(address, null, silent);
  const collection = collections.find(({ id }) => id === called)!;
  const own = join(folder, randomUUID());
  await mkdir(own);
  const wanted = { address: at, conformance, collection, filter, leftOut: [], live: true, sample: null };
  const snapshot = await fetchSnapshot(workspace.store, wanted, { key: null, folder: own }, silent);
  const { came, from, conditions } = snapshot;
  const file = 'file' in came ? await fileInput(join(own, came.file)) : null;
  const read = 'file' in came ? await readLayer((await layersIn(file!, host))[0], {}, host) : came.read;
  const { table, notes } = await keptOfSnapshot(read.table, snapshot, AS_OF);
  const id = await saveTable(entities(workspace.store), table, {
    ...{ name: `live ${own}`, fileName: called, format: 'live', layer: called, encoding: null, role: 'layer', notes, remarks: [] },
    ...{ invalidShapes: 0, fetchedFrom: { ...from, live: { held: randomUUID(), conditions } } },
  });
  return loadTable(entities(workspace.store), id);
}

test(`seed ${seed}: of ${FILTERS} filters, what a live source keeps, or is asked for, is what is kept of the stored features`, async () => {
  const workspace = await storeForTests();
  try {
    const sources = [
      { address: service.address, called: 'storm_reports' },
      { address: cluster.address, called: 'public.reports' },
    ];
    await reportsInPostgis();
    for (const { address, called } of sources) {
      const table = await liveFrom(workspace, address, called, null);
      const told = ({ expr, ids }: (typeof filters)[number], of: FeatureTable, decides: Expr | null) => {
        const filter = printFilter(expr);
        expect({ called, filter, ids: kept({ ...of, crs: stored.crs }, decides).sort() }).toEqual({ called, filter, ids: [...ids].sort() });
      };
      for (const one of filters) told(one, table, one.expr);
      for (const one of filters.filter((_, i) => i % 16 === 0))
        told(one, await liveFrom(workspace, address, called, printFilter(one.expr)), null);
    }
  } finally {
    await workspace.remove();
  }
}, 120_000);

/** The reports in a table, put there by another program, in its own types. */
async function reportsInPostgis(): Promise<void> {
  const file = join(folder, 'reports.geojson');
  await writeFile(file, gunzipSync(readFileSync(join(DEMO, 'storm_reports.geojson.gz'))));
  const limit = ['-limit', String(REPORTS), '-overwrite'];
  await promisify(execFile)('ogr2ogr', ['-f', 'PostgreSQL', cluster.gdal, file, '-nln', 'reports', ...limit]);
}

test(`seed ${seed}: of ${FILTERS} filters, what is asked of a table in PostGIS and decided here is what is kept of the stored features`, async () => {
  await reportsInPostgis();
  const { address } = databaseAddressOf(cluster.address);
  await Database.with(address, { password: null, signal: new AbortController().signal }, async (database) => {
    const table = await described(database, tableNamed(await spatialTables(database), 'reports')!);
    const declared = declaredOfTable(table);
    let [pushed, wholly] = [0, 0];
    const came = new Map<string, FeatureTable>();
    for (const { expr, ids: plainly } of filters) {
      const parted = partFilter(expr, declared);
      if (parted.there !== null) pushed++;
      if (parted.here === null) wholly++;
      const question = JSON.stringify(parted.asked);
      if (!came.has(question)) came.set(question, (await readRows(database, table, parted.asked, {})).result.table);
      // Rows come in the order of the key that the other program has given them.
      const ids = kept({ ...came.get(question)!, crs: stored.crs }, parted.here).sort();
      const filter = printFilter(expr);
      expect({ filter, ids: ids.length }).toEqual({ filter, ids: plainly.length });
      expect(ids).toEqual([...plainly].sort());
    }
    expect(pushed).toBeGreaterThan(FILTERS / 2);
    expect(wholly).toBeGreaterThan(FILTERS / 8);
  });
}, 120_000);
