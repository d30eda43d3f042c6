import {
  checkFilter,
  classesOf,
  columnNamed,
  CRS84,
  displayTile,
  emptyTree,
  exprOfTree,
  FilterError,
  Geos,
  layersIn,
  LocalEngine,
  memoryInput,
  parseFilter,
  readLayer,
  rowsOf,
  sampledOf,
  shapeOfBox,
  Sifter,
  takeRows,
  treeOfExpr,
  valueAt,
  type Classing,
  type DisplayTile,
  type FeatureTable,
  type Group,
  type PlaneName,
} from '@clean-sieve/core';
import { startCluster, type Cluster } from '../../../../tests/postgis/cluster.ts';
import { keptOfWhole } from '../export/kept_of_whole.ts';
import { host } from '../files/file_input.ts';
import { openSources, prepare, type OpenSources } from '../sifting/named_operands.ts';
import type { SourceRow } from '../store/entities.ts';
import { storeForTests, type StoreForTests } from '../store/store_for_tests.ts';
import { entities } from '../store/store.ts';
import { loadTable, saveTable } from '../store/table_store.ts';
import { SampledTables } from './sampled_for_tests.ts';
import { countWhole, readWhole } from './whole_table.ts';
import { wholeTile } from './whole_tile.ts';

/** Rows of the table; none is a multiple of what is looked at together. */
const ROWS = 7013;
const AS_OF = 20_000;
const silent = (): void => undefined;

let cluster: Cluster;
let workspace: StoreForTests;
let geos: Geos;
let tables: SampledTables;
beforeAll(async () => {
  [cluster, workspace, geos] = await Promise.all([startCluster(), storeForTests(), Geos.open()]);
  tables = new SampledTables(workspace, cluster, AS_OF);
  await cluster.sql(`
    create table reports as select i as no, i % 11 as severity, case when i % 5 = 0 then null else 'kind ' || i % 3 end as kind,
      date '2024-01-01' + i % 400 as seen, (i * 9007199254740)::numeric as large,
      st_setsrid(st_makepoint(-12 + (i % 101) / 100.0, 46 + (i % 89) / 100.0), 4326)::geometry(Point, 4326) as shape
      from generate_series(1, ${ROWS}) i;
    alter table reports add primary key (no);
    create table plots as select i as no, i % 7 as kind,
      st_transform(st_buffer(st_setsrid(st_makepoint(500000 + 700 * (i % 71), 5100000 + 900 * (i % 37)), 25833), 20 + i % 450), 3035) as shape
      from generate_series(1, 503) i;
    create table crowd as select i as no, st_setsrid(st_makepoint(10 + (i % 100) / 1e4, 47), 4326) as shape from generate_series(1, 40001) i;
  `);
}, 60_000);
afterAll(async () => {
  cluster.stop();
  await workspace.remove();
});

const asked = (filter: string | null, sample: number | null) => tables.asked(filter, sample, 'reports');
const sampled = (filter: string | null, sample: number, called = 'reports') => tables.sampled(filter, sample, called);
const all = (filter: string | null, called = 'reports') => tables.all(filter, called);
function treeOf(text: string, table: FeatureTable, sources: string[] = []): Group {
  const parsed = parseFilter(text);
  checkFilter(parsed, table.columns, { operands: { sources, sieves: [] } });
  let next = 0;
  return treeOfExpr(parsed.expr, emptyTree(), () => `n${next++}`);
}
const numbersOf = (table: FeatureTable, rows: Iterable<number>) => {
  const column = columnNamed(table, 'no')!;
  return Array.from(rows, (row) => Number(valueAt(column, row))).sort((a, b) => a - b);
};

const TREES = [
  'severity > 3',
  "severity > 3 AND kind = 'kind 1' AND S_DWITHIN(geometry, POINT(-11.5 46.4), 12, 'km')",
  "(severity < 2 OR kind IS NULL) AND NOT kind LIKE '%2'",
  "seen > DATE('2024-06-01') AND S_INTERSECTS(geometry, BBOX(-11.9, 46.1, -11.2, 46.3))",
];

test.each([null, 'severity <> 4'])(
  'of a sample the stack is counted, and what is kept is read, of the whole table asked for by %s',
  async (own) => {
    const source = await sampled(own, 500);
    const whole = await all(own);
    expect(sampledOf(source.fetchedFrom!)).toBe(whole.rows);
    expect(source.rowCount).toBeGreaterThan(350);
    expect(source.rowCount).toBeLessThan(650);
    const sifter = new Sifter(whole, AS_OF, CRS84, geos);
    for (const text of TREES) {
      const tree = treeOf(text, whole);
      const { mask, ...expected } = await new LocalEngine(sifter).sift({ tree });
      const { came, decided, ...counted } = (await countWhole(workspace.store, source, { tree, asOf: AS_OF }, silent))!;
      expect({ text, ...counted }).toEqual({ text, ...expected });
      expect(came).toBeLessThan(whole.rows);
      expect(Object.values(decided).includes('both')).toBe(came > 0);
      const open = await openSources(workspace.store, AS_OF, geos);
      const keeping = { tree, cut: null, picks: null };
      const { kept, asked: how } = await keptOfWhole(workspace.store, open, source, { keeping, asOf: AS_OF }, silent);
      const rows = await new LocalEngine(sifter).keys({ tree }, [], 0, whole.rows);
      expect(numbersOf(kept.table, kept.rows)).toEqual(numbersOf(whole, rows));
      expect([kept.of, how.of, kept.table.columns.map(({ name }) => name)]).toEqual([
        ...[whole.rows, whole.rows],
        source.columns.getItems().map(({ name }) => name),
      ]);
      expect(how.came).toBeLessThan(whole.rows);
      expect(mask).not.toBeNull();
    }
  },
);

/** A square, by its corner in the south-west. */
const zone = (x: number, y: number, side: number) => shapeOfBox({ bbox: [x, y, x + side, y + side] });

test('conditions on a source that is stored are counted over the whole table, and drawn of it', async () => {
  const source = await sampled('severity <> 4', 300);
  const whole = await all('severity <> 4');
  const features = [zone(-11.9, 46.1, 0.2), zone(-11.7, 46.2, 0.3), zone(-11.2, 46.7, 0.05)];
  const file = JSON.stringify({
    type: 'FeatureCollection',
    features: features.map((geometry, n) => ({ type: 'Feature', geometry, properties: { n } })),
  });
  const [layer] = await layersIn(memoryInput('zones.geojson', new TextEncoder().encode(file)), host);
  const em = entities(workspace.store);
  const { table } = await readLayer(layer, {}, host);
  await saveTable(em, table, {
    ...{ name: 'zones', fileName: 'zones.geojson', format: 'geojson', layer: 'zones', encoding: null, role: 'layer', notes: [] },
    ...{ remarks: [], invalidShapes: 0 },
  });
  const sifter = new Sifter(whole, AS_OF, CRS84, geos);
  for (const [text, isNarrow] of [
    ["S_INTERSECTS(geometry, SOURCE('zones'))", true],
    ["severity > 3 AND S_DWITHIN(geometry, SOURCE('zones'), 4, 'km')", true],
    ["kind = 'kind 1' AND NOT S_WITHIN(geometry, SOURCE('zones'))", false],
    ["S_DISJOINT(geometry, SOURCE('zones')) OR severity = 9", false],
  ] as const) {
    const tree = treeOf(text, whole, ['zones']);
    const open = await openSources(workspace.store, AS_OF, geos);
    await prepare(sifter, exprOfTree(tree)!, open);
    const { mask, ...expected } = await new LocalEngine(sifter).sift({ tree });
    const { came, decided, ...counted } = (await countWhole(workspace.store, source, { tree, asOf: AS_OF }, silent))!;
    expect({ text, ...counted }).toEqual({ text, ...expected });
    expect({ text, isNarrow: came < whole.rows }).toEqual({ text, isNarrow });
    expect(Object.values(decided)).toContain(isNarrow ? 'both' : 'here');
    const at = { z: 9, x: 239, y: 181 };
    const kept = takeRows(whole, rowsOf(mask!));
    const tile = await tileOf(source, { tree, classing: null, ...at }, open);
    expect(drawn(tile, null)).toEqual(drawn(displayTile(kept, at.z, at.x, at.y), new Uint8Array(kept.rows)));
  }
});

/** The tile as it is asked of the whole table. */
async function tileOf(
  source: SourceRow,
  question: Omit<Parameters<typeof wholeTile>[1], 'plane'> & { plane?: PlaneName },
  open?: OpenSources,
) {
  const em = entities(workspace.store);
  const sifter = new Sifter(await loadTable(em, source.id, undefined, true), AS_OF, CRS84, geos);
  if (open) await prepare(sifter, exprOfTree(question.tree)!, open);
  return wholeTile({ sourceId: source.id, sifter, geos, em }, { plane: 'mercator', ...question });
}
/** Points and dots of a tile, and the classes of its parts, in an order of their own. */
function drawn({ pointRows, pointXy, dotRows, dotXy, partRows }: DisplayTile, classes: ArrayLike<number> | null) {
  const numbered = (rows: Uint32Array) => Array.from(rows, (row) => (classes ? classes[row] : row));
  const placed = (rows: Uint32Array, xy: Int16Array) => numbered(rows).map((number, i) => `${number} ${xy[2 * i]} ${xy[2 * i + 1]}`);
  return { points: placed(pointRows, pointXy).sort(), dots: placed(dotRows, dotXy).sort(), parts: numbered(partRows).sort() };
}
const steps: Classing = { kind: 'steps', column: 'severity', method: 'own', bounds: [3, 7], ramp: 'tide', middle: null };

test('a tile of the map is of all that a sample is of', async () => {
  const own = 'severity <> 4';
  const source = await sampled(own, 500);
  const whole = await all(own);
  const sifter = new Sifter(whole, AS_OF, CRS84, geos);
  const tiles = [
    { z: 0, x: 0, y: 0 },
    { z: 9, x: 239, y: 181 },
    { z: 11, x: 956, y: 724 },
    { z: 3, x: 3, y: 2, plane: 'north -10' as const },
  ];
  let many = 0;
  for (const text of [...TREES, null])
    for (const [n, { plane = 'mercator', ...at }] of tiles.entries()) {
      const tree = text === null ? emptyTree() : treeOf(text, whole);
      const classing = n % 2 === 0 ? steps : null;
      const { mask } = await new LocalEngine(sifter).sift({ tree });
      const kept = takeRows(whole, rowsOf(mask!));
      const classes = classing ? classesOf(kept, classing) : new Uint8Array(kept.rows);
      const expected = drawn(displayTile(kept, at.z, at.x, at.y, plane), classes);
      expect({ text, n, ...drawn(await tileOf(source, { tree, classing, ...at, plane }), null) }).toEqual({ text, n, ...expected });
      many += expected.points.length;
    }
  expect(many).toBeGreaterThan(1000);
});

test('shapes of another system come as closely as they are seen, and decided by all of it', async () => {
  const source = await sampled(null, 200, 'plots');
  const whole = await all(null, 'plots');
  const sifter = new Sifter(whole, AS_OF, CRS84, geos);
  const classing: Classing = { ...steps, column: 'kind', bounds: [2, 5] };
  for (const text of ['kind <> 3', "S_DWITHIN(geometry, POINT(15.3 46.2), 9, 'km')"])
    for (const at of [
      { z: 7, x: 69, y: 45 },
      { z: 10, x: 555, y: 363 },
    ]) {
      const tree = treeOf(text, whole);
      const { mask } = await new LocalEngine(sifter).sift({ tree });
      const kept = takeRows(whole, rowsOf(mask!));
      const expected = drawn(displayTile(kept, at.z, at.x, at.y), classesOf(kept, classing));
      const { dots, parts } = drawn(await tileOf(source, { tree, classing, ...at }), null);
      // What is nearly as large as a dot may be one or not.
      const classesIn = (one: { dots: string[]; parts: number[] }) => [...one.dots.map((dot) => Number(dot[0])), ...one.parts].sort();
      expect({ text, at, classes: classesIn({ dots, parts }) }).toEqual({ text, at, classes: classesIn(expected) });
      expect(dots.length + parts.length).toBeGreaterThan(10);
    }
});

test('a tile that cannot be told says why', async () => {
  const crowd = await sampled(null, 300, 'crowd');
  const tree = emptyTree();
  await expect(tileOf(crowd, { tree, classing: null, z: 6, x: 33, y: 22 })).rejects.toThrow(
    'More than 40,000 features lie in a part of the map',
  );
  expect(drawn(await tileOf(crowd, { tree, classing: null, z: 6, x: 3, y: 22 }), null)).toEqual({ points: [], dots: [], parts: [] });
  const nearest = treeOf('S_NEAREST(geometry, POINT(10 47), 5)', await all(null, 'crowd'));
  await expect(tileOf(crowd, { tree: nearest, classing: null, z: 6, x: 33, y: 22 })).rejects.toThrow('hangs on other features');
  await cluster.sql('alter table crowd rename to crowds');
  await expect(tileOf(crowd, { tree, classing: null, z: 6, x: 33, y: 22 })).rejects.toThrow(FilterError);
});

test('where too many rows would come to tell what a condition does alone, what is left along the stack is told', async () => {
  const source = await sampled('severity <> 4', 500);
  const whole = await all('severity <> 4');
  const sifter = new Sifter(whole, AS_OF, CRS84, geos);
  const tree = treeOf("severity = 5 AND no < 2000 AND CASEI(kind) = CASEI('KIND 1')", whole);
  const expected = await new LocalEngine(sifter).sift({ tree });
  const counted = (await countWhole(workspace.store, source, { tree, asOf: AS_OF, most: 300 }, silent))!;
  const { total, kept, unknown } = expected;
  expect(counted).toMatchObject({ total, kept, unknown, rows: expected.rows.map(({ alone: _, ...row }) => row) });
  expect([counted.without, counted.nearMisses, counted.came < 300]).toEqual([undefined, undefined, true]);
  // One by one they cannot be told of alternatives.
  const either = treeOf("severity = 5 OR CASEI(kind) = CASEI('KIND 1')", whole);
  expect(await countWhole(workspace.store, source, { tree: either, asOf: AS_OF, most: 300 }, silent)).toBeNull();
});

test('where it hangs on other features which are kept, all that is asked for comes, and nothing is counted', async () => {
  const source = await sampled('severity = 5', 40);
  const whole = await all('severity = 5');
  const tree = treeOf('S_NEAREST(geometry, POINT(-11.5 46.4), 3)', whole);
  expect(await countWhole(workspace.store, source, { tree, asOf: AS_OF }, silent)).toBeNull();
  const open = await openSources(workspace.store, AS_OF, geos);
  const { kept } = await keptOfWhole(workspace.store, open, source, { keeping: { tree, cut: null }, asOf: AS_OF }, silent);
  const rows = await new LocalEngine(new Sifter(whole, AS_OF, CRS84, geos)).keys({ tree }, [], 0, 10);
  expect(rows).toHaveLength(3);
  expect(numbersOf(kept.table, kept.rows)).toEqual(numbersOf(whole, rows));
});

test('a sample serves nothing that needs all; of a small table all is held', async () => {
  const source = await sampled(null, 500);
  await expect(loadTable(entities(workspace.store), source.id)).rejects.toThrow(
    `Of ${source.name} only a sample is held, and this needs all of it`,
  );
  expect((await loadTable(entities(workspace.store), source.id, undefined, true)).rows).toBe(source.rowCount);
  const open = await openSources(workspace.store, AS_OF, geos);
  const keeping = { tree: emptyTree(), cut: null, picks: [1, 2] };
  await expect(keptOfWhole(workspace.store, open, source, { keeping, asOf: AS_OF }, silent)).rejects.toThrow('only a sample is held');
  const small = await sampled('severity = 5', 5000);
  expect(sampledOf(small.fetchedFrom!)).toBeNull();
  expect((await loadTable(entities(workspace.store), small.id)).rows).toBe((await all('severity = 5')).rows);
});

test('a sample is taken only by what the database decides, and a table that has become another is refused', async () => {
  await expect(asked("S_DWITHIN(geometry, POINT(-11.5 46.4), 12, 'km')", 10)).rejects.toThrow(
    'A sample can be taken only by conditions that the database decides',
  );
  const source = await sampled('severity = 5', 40);
  await cluster.sql('alter table reports alter column severity type text using severity::text');
  await expect(readWhole(workspace.store, source, { expr: null, asOf: AS_OF }, silent)).rejects.toThrow('is not as it was');
});
