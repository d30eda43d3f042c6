import {
  checkFilter,
  convertGeometry,
  count,
  CRS84,
  boundCurve,
  emptyTree,
  Geos,
  layersIn,
  matchColumns,
  memoryInput,
  parseFilter,
  readLayer,
  rowsOf,
  shapeOfBox,
  Sifter,
  transformBetween,
  treeOfExpr,
  valueAt,
  fullMask,
  type FeatureTable,
  type Group,
} from '@clean-sieve/core';
import type { Geometry, Position } from 'geojson';
import { startCluster, type Cluster } from '../../../../tests/postgis/cluster.ts';
import { crsNamed } from '../crs/epsg.ts';
import { nameOfPart, partsNeeded } from '../fetching/near_parts.ts';
import { host } from '../files/file_input.ts';
import { openSources, operandNames, prepare } from '../sifting/named_operands.ts';
import { Sieve, Source, type SourceRow } from '../store/entities.ts';
import { storeForTests, type StoreForTests } from '../store/store_for_tests.ts';
import { entities } from '../store/store.ts';
import { saveTable } from '../store/table_store.ts';
import { holdPart } from './hold_part.ts';
import { SampledTables } from './sampled_for_tests.ts';

const AS_OF = 20_000;
let cluster: Cluster;
let workspace: StoreForTests;
let geos: Geos;
let tables: SampledTables;
beforeAll(async () => {
  [cluster, workspace, geos] = await Promise.all([startCluster(), storeForTests(), Geos.open()]);
  tables = new SampledTables(workspace, cluster, AS_OF);
  await cluster.sql(`
    create table posts as select i as no, i % 7 as kind, case when i % 9 = 0 then null else
      st_setsrid(st_makepoint(10 + (i * 37 % 401) / 100.0, 45 + (i * 53 % 307) / 100.0), 4326) end as shape from generate_series(1, 4099) i;
    create table plots as select i as no, i % 7 as kind,
      st_transform(st_buffer(st_setsrid(st_makepoint(9 + (i % 71) / 14.0, 44 + (i % 37) / 9.0), 4326)::geography, 20 + i % 9000)::geometry, 3035)
      as shape from generate_series(1, 307) i;
    -- Edges that bend where they are taken to a plane.
    create table lines as select i as no, i % 7 as kind, st_makeline(
      st_setsrid(st_makepoint(9 + i % 29 / 8.0, 44.5 + i * 7 % 31 / 10.0), 4326), st_setsrid(st_makepoint(11 + i % 23 / 8.0, 45 + i * 11 % 37 / 10.0), 4326))
      as shape from generate_series(1, 37) i;
    -- On both sides of 180°, and beyond it.
    create table isles as select i as no, i % 7 as kind, st_setsrid(st_makepoint(
      case when i % 3 = 0 then 180 - i % 40 / 100.0 when i % 3 = 1 then -180 + i % 40 / 100.0 else 180 + i % 40 / 100.0 end,
      -17 + i % 50 / 100.0), 4326) as shape from generate_series(0, 599) i;
  `);
}, 60_000);
afterAll(async () => {
  cluster.stop();
  await workspace.remove();
});

const square = (x: number, y: number, side: number) => shapeOfBox({ bbox: [x, y, x + side, y + side] });
const point = (x: number, y: number): Geometry => ({ type: 'Point', coordinates: [x, y] });
const along = (...coordinates: Position[]): Geometry => ({ type: 'LineString', coordinates });
const MAINLAND: Geometry[] = [
  ...[square(12, 46, 0.3), square(12.4, 46.1, 0.05), square(11.9, 46.35, 0.2)],
  ...[point(12.1, 46.2), point(12.45, 46.6), point(12.7, 46.05), along([11.8, 46], [12.5, 46.4], [12.6, 46.7])],
];
const FIJI: Geometry[] = [
  square(179.7, -16.9, 0.3),
  square(-180, -16.8, 0.1),
  point(180, -16.75),
  point(-179.9, -16.6),
  square(-179.9, -17, 0.2),
];

/** A stored source with features in a system, whose coordinates are told in degrees. */
async function stored(code: number, shapes: Geometry[]): Promise<[SourceRow, FeatureTable]> {
  const crs = code === 4326 ? CRS84 : crsNamed(`EPSG:${code}`);
  const converted = code === 4326 ? shapes : shapes.map((one) => convertGeometry(one, transformBetween(CRS84, crs), Infinity));
  const features = converted.map((geometry, n) => ({ type: 'Feature', geometry, properties: { n } }));
  const text = JSON.stringify({ type: 'FeatureCollection', features });
  const [layer] = await layersIn(memoryInput('zones.geojson', new TextEncoder().encode(text)), host);
  const { table } = await readLayer(layer, {}, host, crs);
  const em = entities(workspace.store);
  const id = await saveTable(em, table, {
    ...{ name: `zones ${code}`, fileName: 'zones.geojson', format: 'geojson', layer: 'zones', encoding: null, role: 'layer', notes: [] },
    ...{ remarks: [], invalidShapes: 0 },
  });
  return [await em.findOneOrFail(Source, { id }), table];
}

async function treeOf(text: string, { columns }: FeatureTable): Promise<Group> {
  const parsed = parseFilter(text);
  checkFilter(parsed, columns, { operands: await operandNames(entities(workspace.store)) });
  let next = 0;
  return treeOfExpr(parsed.expr, emptyTree(), () => `n${next++}`);
}

/** Asks for all that a tree about a source needs of others, as it is done before it is answered. */
async function asked(source: SourceRow, tree: Group): Promise<number> {
  const parts = await partsNeeded(entities(workspace.store), source.id, [tree], AS_OF);
  for (const part of parts) {
    const task = { ...part, sourceId: part.source.id, held: nameOfPart(part), asOf: AS_OF };
    await holdPart(workspace.store, task, () => undefined);
  }
  return parts.length;
}

describe.each([
  ['posts', 4326, MAINLAND],
  ['posts', 25833, MAINLAND],
  ['plots', 4326, MAINLAND],
  ['plots', 3035, MAINLAND],
  ['plots', 3857, MAINLAND],
  ['lines', 25833, MAINLAND],
  ['lines', 3857, MAINLAND],
  ['isles', 4326, FIJI],
  ['isles', 3832, FIJI],
] as const)('what of %s is near to features in EPSG:%i', (called, code, shapes) => {
  test('is all that matters where it is a place for those', async () => {
    const place = await tables.sampled(null, 20, called);
    const [source, table] = await stored(code, [...shapes]);
    const whole = await tables.all(null, called);
    const all = new Map([[`SOURCE ${place.name}`, { key: 'all', table: whole, rows: null }]]);
    for (const condition of [
      "S_INTERSECTS(geometry, SOURCE('P'))",
      "S_DISJOINT(geometry, SOURCE('P'))",
      "NOT S_WITHIN(geometry, SOURCE('P')) AND NOT S_CONTAINS(geometry, SOURCE('P'))",
      "S_CROSSES(geometry, SOURCE('P')) OR S_OVERLAPS(geometry, SOURCE('P'))",
      "S_DWITHIN(geometry, SOURCE('P'), 300)",
      "S_DWITHIN(geometry, ANY_OF(SOURCE('P'), POINT(0 0)), 2, 'km') AND NOT S_DWITHIN(geometry, SOURCE('P'), 0.9, 'km')",
      "S_DWITHIN(CENTROID(geometry), SOURCE('P'), 11, 'km')",
    ]) {
      // Long edges are measured in very many pieces.
      if (called === 'lines' && condition.includes('DWITHIN')) continue;
      const text = condition.replaceAll("'P'", `'${place.name}'`);
      const tree = await treeOf(text, table);
      const { expr } = parseFilter(text);
      expect(await asked(source, tree)).toBe(1);
      const [plain, sifter] = [new Sifter(table, AS_OF, CRS84, geos), new Sifter(table, AS_OF, CRS84, geos)];
      plain.operands = all;
      const [told] = await prepare(sifter, expr, await openSources(workspace.store, AS_OF, geos), source.id);
      expect({ text, kept: [...rowsOf(sifter.verdict(expr).yes)] }).toEqual({ text, kept: [...rowsOf(plain.verdict(expr).yes)] });
      expect({ text, possible: count(sifter.verdict(expr).possible) }).toEqual({ text, possible: count(plain.verdict(expr).possible) });
      expect(told).toMatchObject({ source: place.name, by: source.name });
      if (called !== 'lines' && called !== 'isles') expect(told.features).toBeLessThan(whole.rows / 2);
    }
  }, 120_000);
});

test('a bound is moved and distances are shown as far as is asked for, and no farther', async () => {
  const place = await tables.sampled('kind <> 3', 90, 'posts');
  const [source, table] = await stored(4326, MAINLAND);
  const whole = await tables.all('kind <> 3', 'posts');
  const tree = await treeOf(`S_DWITHIN(geometry, SOURCE('${place.name}'), 2, 'km')`, table);
  await asked(source, tree);
  const [plain, sifter] = [new Sifter(table, AS_OF, CRS84, geos), new Sifter(table, AS_OF, CRS84, geos)];
  plain.operands = new Map([[`SOURCE ${place.name}`, { key: 'all', table: whole, rows: null }]]);
  const { expr } = parseFilter(`S_DWITHIN(geometry, SOURCE('${place.name}'), 2, 'km')`);
  const [{ metres }] = await prepare(sifter, expr, await openSources(workspace.store, AS_OF, geos), source.id);
  expect(metres).toBe(10_000);
  const { id } = tree.children[0];
  expect(boundCurve(sifter, tree, id, 'high')).toEqual(boundCurve(plain, tree, id, 'high'));
  const shown = (one: Sifter) => {
    const [{ column }] = matchColumns(one, tree, fullMask(table.rows), { condition: id, shows: ['nearest'] });
    return Array.from({ length: table.rows }, (_, row) => valueAt(column, row));
  };
  expect(shown(sifter)).toEqual(shown(plain));

  // A sieve of it is asked for by its own conditions; what it has there is sifted here once more.
  const em = entities(workspace.store);
  em.create(Sieve, {
    ...{ source: place.id, name: 'Far ones', tree: await treeOf('kind = 2 AND no < 5', whole) },
    ...{ colour: 1, visible: true, style: null, view: null, mentions: [], version: 1 },
  });
  await em.flush();
  const few = `S_DWITHIN(geometry, SIEVE('Far ones'), 2, 'km')`;
  expect(await asked(source, await treeOf(few, table))).toBe(1);
  const [told] = await prepare(sifter, parseFilter(few).expr, await openSources(workspace.store, AS_OF, geos), source.id);
  expect(told.features).toBeLessThan(3);
});

test('where nothing is near there is nothing, and of what has no place nothing is asked', async () => {
  const place = await tables.sampled(null, 90, 'posts');
  const text = `S_DWITHIN(geometry, SOURCE('${place.name}'), 2, 'km')`;
  for (const shapes of [[square(-60, -40, 0.5)], []]) {
    const [source, table] = await stored(4326, shapes);
    expect(await asked(source, await treeOf(text, table))).toBe(1);
    const sifter = new Sifter(table, AS_OF, CRS84, geos);
    const [told] = await prepare(sifter, parseFilter(text).expr, await openSources(workspace.store, AS_OF, geos), source.id);
    expect([told.features, count(sifter.verdict(parseFilter(text).expr).possible)]).toEqual([0, 0]);
  }
});
