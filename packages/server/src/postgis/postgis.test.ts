import { randomUUID } from 'node:crypto';
import { geometryAt, parseFilter, partFilter, ReadError, valuesAt, type FeatureTable } from '@clean-sieve/core';
import { startCluster, type Cluster } from '../../../../tests/postgis/cluster.ts';
import { sift } from '../cli/sift.ts';
import { Database } from './database.ts';
import { databaseAddressOf } from './database_address.ts';
import { countOf, readRows } from './read_rows.ts';
import { declaredOfTable, described, spatialTables, tableNamed } from './tables.ts';

let cluster: Cluster;
beforeAll(async () => {
  cluster = await startCluster();
  await cluster.sql(`
    create schema "Town ""A""";
    create type wood as enum ('soft', 'hard');
    create domain code as varchar(12);
    create table "Town ""A"""."Trees; x" (
      "Id" int8 primary key, "größe ""m""" float8, price numeric, "small" float4, wood wood, code code, planted date, seen timestamptz, at_night timestamp,
      good boolean, tags text[], info jsonb, photo bytea, twice int8 generated always as ("Id" * 2) stored, pad char(6), took interval,
      "the shape" geometry(PointZ, 25832), also geometry(Polygon, 4326));
    insert into "Town ""A"""."Trees; x" ("Id", "größe ""m""", price, "small", wood, code, planted, seen, at_night, good, tags, info, photo, pad, took, "the shape") values
      (2, 1.5, 12345678901234567.25, 0.1, 'hard', '2024-01-01', '2024-02-29', '2024-02-29 12:00:00.123456+02', '2024-02-29 12:00', true,
        '{a,"b c"}', '{"k": [1, null]}', '\\x00', 'oak', '1 day', st_setsrid(st_makepoint(500000, 5000000, 7), 25832)),
      (1, 'NaN', 0.1, null, 'soft', '2024-01-02', 'infinity', '0044-03-15 BC', null, null, null, null, null, null, null, null),
      (9007199254740993, 'Infinity', 'NaN', 1, null, '', '0300-01-01', null, null, false, '{}', 'null', null, 'oak', null, st_setsrid(st_makepoint(1, 2, 3), 25832));
    create table mixed (shape geometry);
    insert into mixed values (st_geomfromtext('CURVEPOLYGON(CIRCULARSTRING(0 0, 1 1, 2 0, 1 -1, 0 0))', 4326)), (st_geomfromtext('POINT M(1 2 3)', 4326)), (null);
    create view points_only as select st_transform(shape, 3857) as shape from mixed where st_geometrytype(shape) = 'ST_Point';
    create table systems (n int, shape geometry);
    insert into systems values (1, st_setsrid(st_makepoint(1, 2), 4326)), (2, st_setsrid(st_makepoint(1, 2), 3857));
    create table earth (a int, b text, place geography(Point), primary key (b, a));
    insert into earth values (2, 'x', 'POINT(179 10)'), (1, 'y', 'POINT(-179 10)'), (1, 'x', 'POINT(0 0)');
    create table bare (n int);
    create role locked login password 'gannet-7431';
    create role guest login;
    grant usage on schema public to guest;
    grant select (a, place) on earth to guest;
    create table many as select i as n, st_setsrid(st_makepoint(i % 360 - 180, 0), 4326)::geometry(Point, 4326) as shape from generate_series(1, 9001) i;
    alter table many add primary key (n);
  `);
}, 60_000);
afterAll(() => cluster.stop());

const NOTHING = { filter: null, bbox: null, datetime: null, values: [] as [string, string][] };

function within<T>(
  work: (database: Database) => Promise<T>,
  as = 'keeper',
  password: string | null = null,
  signal = new AbortController().signal,
) {
  const { address } = databaseAddressOf(cluster.address.replace('keeper', as));
  return Database.with(address, { password, signal }, work);
}
const read = (name: string, as?: string) =>
  within(async (database) => {
    const table = await described(database, tableNamed(await spatialTables(database), name)!);
    return { table, ...(await readRows(database, table, NOTHING, {})) };
  }, as);
const problem = (promise: Promise<unknown>): Promise<string> =>
  promise.then(
    () => 'no problem',
    (error: unknown) => (error instanceof ReadError ? error.line : String(error)),
  );
const rowOf = (table: FeatureTable, row: number) => Object.fromEntries(valuesAt(table, row).map(([{ name }, value]) => [name, value]));

test('tables and views with shapes are found, in whatever schema and under whatever name, each column of shapes for itself', async () => {
  const tables = await within(spatialTables);
  expect(tables.map(({ id, kind, srid }) => [id, kind, srid])).toEqual([
    ['Town "A".Trees; x.the shape', 'table', 25832],
    ['Town "A".Trees; x.also', 'table', 4326],
    ['public.earth', 'table', 4326],
    ['public.many', 'table', 4326],
    ['public.mixed', 'table', 0],
    ['public.points_only', 'view', 0],
    ['public.systems', 'table', 0],
  ]);
});

test('values of all types come as what they are; what cannot come is said', async () => {
  const { result } = await read('Town "A".Trees; x.the shape');
  const { table, notes, crs } = result;
  expect(crs).toEqual({ kind: 'epsg', code: 25832 });
  expect(table.columns.map(({ name, type }) => [name, type])).toEqual([
    // With a number of more than 53 bits it is a text, as in any format.
    ['Id', 'text'],
    ['größe "m"', 'number'],
    ['price', 'number'],
    ['small', 'number'],
    ['wood', 'text'],
    // A text that looks like a day is one by its type.
    ['code', 'text'],
    ['planted', 'date'],
    ['seen', 'datetime'],
    ['at_night', 'datetime'],
    ['good', 'boolean'],
    ['tags', 'text'],
    ['info', 'text'],
    ['twice', 'text'],
    ['pad', 'text'],
    ['took', 'text'],
  ]);
  // In the order of the key.
  expect(rowOf(table, 0)).toMatchObject({ Id: '1', 'größe "m"': null, price: 0.1, wood: 'soft', planted: null, seen: null, good: null });
  expect(rowOf(table, 1)).toMatchObject({
    ...{
      Id: '2',
      'größe "m"': 1.5,
      price: 12345678901234568,
      small: Math.fround(0.1),
      wood: 'hard',
      code: '2024-01-01',
      planted: '2024-02-29',
    },
    ...{
      seen: '2024-02-29T10:00:00.123Z',
      at_night: '2024-02-29T12:00:00',
      good: true,
      tags: '["a","b c"]',
      info: '{"k":[1,null]}',
      pad: 'oak',
    },
  });
  expect(rowOf(table, 2)).toMatchObject({
    Id: '9007199254740993',
    'größe "m"': Infinity,
    price: null,
    planted: '0300-01-01',
    code: '',
    tags: '[]',
    info: null,
  });
  expect(geometryAt(table, 1)).toEqual({ type: 'Point', coordinates: [500000, 5000000, 7] });
  expect(notes).toEqual([
    'The column photo holds binary data and was left out.',
    'The column also is of the type geometry and was left out.',
    'Id has whole numbers of more than 15 digits that would be rounded as numbers; the column is kept as text.',
    'twice has whole numbers of more than 15 digits that would be rounded as numbers; the column is kept as text.',
    '1 time: a value of planted is outside the years 1 to 9999 and was left out (first: row 1 (Id 1)).',
    '1 time: a value of seen is outside the years 1 to 9999 and was left out (first: row 1 (Id 1)).',
    '1 time: a value of price has more digits than a number holds here; it is the nearest one (first: row 2 (Id 2)).',
  ]);
});

test('arcs come as straight pieces and M values not at all, and both is said; a view says its system by its shapes', async () => {
  const { result } = await read('mixed');
  expect([0, 1, 2].map((row) => geometryAt(result.table, row)?.type)).toEqual(['Polygon', 'Point', undefined]);
  expect(result.notes).toEqual([
    'M values, where the shapes have any, were left out.',
    '1 time: its arcs are made of straight pieces, 32 to a quarter of a circle (first: row 1).',
  ]);
  const { result: view } = await read('points_only');
  expect([view.crs, view.table.rows]).toEqual([{ kind: 'epsg', code: 3857 }, 1]);
});

test('shapes of several systems in one column are refused, also where a box would leave some of them out', async () => {
  expect(await problem(read('systems'))).toContain(
    'Row 2: its shape is in the system 3857 of the database, where the column shape has 4326',
  );
  const asked = { ...NOTHING, bbox: [0, 1, 2, 3] as [number, number, number, number] };
  const some = within(async (database) => {
    const table = await described(database, tableNamed(await spatialTables(database), 'systems')!);
    return readRows(database, table, asked, {});
  });
  expect(await problem(some)).toContain('Row 2');
});

test('rows come in the order of a key of several columns; positions on the earth are longitude and latitude', async () => {
  const { result } = await read('earth');
  expect([0, 1, 2].map((row) => [rowOf(result.table, row), geometryAt(result.table, row)])).toEqual([
    [
      { a: 1, b: 'x' },
      { type: 'Point', coordinates: [0, 0] },
    ],
    [
      { a: 2, b: 'x' },
      { type: 'Point', coordinates: [179, 10] },
    ],
    [
      { a: 1, b: 'y' },
      { type: 'Point', coordinates: [-179, 10] },
    ],
  ]);
});

test('who may read some columns reads those, and is told of the others', async () => {
  const { result } = await read('earth', 'guest');
  expect(result.table.columns.map(({ name }) => name)).toEqual(['a']);
  expect(result.notes).toEqual(['b may not be read by guest and was left out.']);
  expect((await within(spatialTables, 'guest')).map(({ id }) => id)).toEqual(['public.earth']);
});

test('what is asked for comes, and is counted, of more rows than come at a time', async () => {
  await within(async (database) => {
    const table = await described(database, tableNamed(await spatialTables(database), 'many')!);
    const { expr } = parseFilter('n > 17 AND S_INTERSECTS(geometry, BBOX(-10, -1, 10, 1))');
    const parted = partFilter(expr, declaredOfTable(table));
    expect(parted.conditions.map(({ by }) => by)).toEqual(['there', 'both']);
    const { result } = await readRows(database, table, parted.asked, {});
    expect(result.table.rows).toBe(await countOf(database, table, parted.asked));
    const { table: all } = (await readRows(database, table, NOTHING, {})).result;
    // Numbers in the order of numbers.
    const numbers = Array.from({ length: all.rows }, (_, row) => rowOf(all, row).n);
    expect(numbers).toEqual(Array.from({ length: 9001 }, (_, i) => i + 1));
    // Room for what might bend, and no more.
    expect(result.table.rows).toBeGreaterThanOrEqual(21 * 25 - 1);
    expect(result.table.rows).toBeLessThan(30 * 25);
  });
});

test('texts of a database whose bytes have an order of their own are put in order here', async () => {
  await cluster.sql("create database western template template0 encoding 'WIN1252' locale 'C'");
  await cluster.sql(
    "create extension postgis; create table t as select k, st_setsrid(st_makepoint(1, 2), 4326) as g from unnest(array['z', '€', 'é', 'ÿ']) k",
    'western',
  );
  const { address } = databaseAddressOf(cluster.address.replace('/gis', '/western'));
  await Database.with(address, { password: null, signal: new AbortController().signal }, async (database) => {
    const table = await described(database, tableNamed(await spatialTables(database), 't')!);
    const parts = ["k > 'ÿ'", "k = '€'"].map((filter) => partFilter(parseFilter(filter).expr, declaredOfTable(table)));
    // The sign for the euro is a small byte and a high code point.
    expect(parts.map(({ conditions }) => conditions[0].by)).toEqual(['here', 'both']);
    const { result } = await readRows(database, table, parts[1].asked, {});
    expect(rowOf(result.table, 0)).toEqual({ k: '€' });
  });
});

test('nothing can be changed there', async () => {
  expect(await problem(within((database) => database.rows('delete from many')))).toContain('read-only transaction');
  expect(await cluster.sql('select count(*) from many')).toBe('9001');
});

test('what is cancelled ends in the database too', async () => {
  const mark = `clean_sieve_${randomUUID().slice(0, 8)}`;
  const end = new AbortController();
  const asked = within((database) => database.rows(`select '${mark}', pg_sleep(60)`), 'keeper', null, end.signal);
  const running = () => cluster.sql(`select count(*) from pg_stat_activity where state = 'active' and query like 'select ''${mark}%'`);
  const until = async (wanted: string) => {
    for (let n = 0; n < 100 && (await running()) !== wanted; n++) await new Promise((done) => setTimeout(done, 50));
    expect(await running()).toBe(wanted);
  };
  await until('1');
  end.abort(new Error('no longer wanted'));
  await expect(asked).rejects.toThrow('no longer wanted');
  await until('0');
});

test('what goes wrong is said in words', async () => {
  const at = (change: (address: string) => string, password: string | null = null) => {
    const { address } = databaseAddressOf(change(cluster.address));
    return problem(Database.with(address, { password, signal: new AbortController().signal }, spatialTables));
  };
  const own = `127.0.0.1:${cluster.port}`;
  expect(await at((text) => text.replace('/gis', '/elsewhere'))).toContain(`${own} has no database elsewhere`);
  expect(await at((text) => text.replace('/gis', '/postgres'))).toContain('The database postgres has no PostGIS');
  expect(await at((text) => text.replace(String(cluster.port), '1'))).toContain('Nothing answers at 127.0.0.1:1');
  expect(await at((text) => text.replace('keeper', 'locked'), 'wrong')).toContain(`${own} does not let locked in`);
  process.env.PGPASSWORD = 'gannet-7431';
  // What was not given is not looked for elsewhere.
  expect(await at((text) => text.replace('keeper', 'locked'))).toContain(`${own} wants a password of locked`);
  delete process.env.PGPASSWORD;
  expect(await at((text) => text.replace('keeper', 'locked'), 'gannet-7431')).toContain('no table with shapes that locked may read');
  expect(await at((text) => text.replace('sslmode=disable', 'sslmode=require'))).toContain(`${own} has no TLS`);
  expect(await problem(within((database) => database.rows('select * from nothing')))).toContain('The database answers with an error');
  expect(
    await problem(
      within((database) =>
        database.rows("select set_config('statement_timeout', '10', false), pg_sleep(0)").then(() => database.rows('select pg_sleep(5)')),
      ),
    ),
  ).toContain('The database gave up');
});

test('from the shell: what is asked there, what is decided here, and how many rows came', async () => {
  // All of it can be decided there: nothing comes over.
  const all = { where: 'n > 8000 AND NOT (n IN (8500, 8600))', explain: true };
  expect(await sift(`${cluster.address}&table=public.many`, all)).toEqual({
    ...{ read: 9001, kept: 999, unknown: 0, pushed: 'n > 8000 AND n NOT IN (8500, 8600)', here: null, fetched: 0 },
    stack: [
      { level: 0, condition: 'all of', reach: 9001, left: 999, unknown: 0, alone: 999, without: undefined },
      { level: 1, condition: 'n > 8000', reach: 9001, left: 1001, unknown: 0, alone: 1001, without: 8999 },
      { level: 1, condition: 'n NOT IN (8500, 8600)', reach: 1001, left: 999, unknown: 0, alone: 8999, without: 1001 },
    ],
  });
  expect(await sift(`${cluster.address}&table=many`, {})).toMatchObject({ read: 9001, kept: 9001, pushed: null, fetched: 0 });
  // What does not fit says where it stands.
  const unfit = sift(`${cluster.address}&table=many`, { where: "n > 'x'" });
  await expect(unfit).rejects.toMatchObject({ span: { from: 4, to: 7 } });
  const where = 'n > 8000 AND n + 0 < 8010';
  const counts = await sift(`${cluster.address}&table=public.many`, { where });
  expect(counts).toMatchObject({ read: 9001, kept: 9, unknown: 0, pushed: 'n > 8000', here: 'n + 0 < 8010', fetched: 1001 });
  expect(await sift(cluster.address, { layer: 'many', where: 'n + 0 <= 3', explain: true })).toMatchObject({
    read: 9001,
    kept: 3,
    unknown: 0,
    fetched: 9001,
  });
  // Nothing is as it was asked for: the columns are those of the table all the same.
  expect(await sift(`${cluster.address}&table=many`, { where: 'n > 10000 AND n + 0 > 1' })).toMatchObject({
    read: 9001,
    kept: 0,
    fetched: 0,
  });
  expect(await problem(sift(`${cluster.address}&table=public.bare`, {}))).toContain('has no table public.bare with shapes. It has');
  await expect(sift(cluster.address, {})).rejects.toThrow('several tables with shapes');
});

test('rows are told apart however their tables are made, where a condition is decided here', async () => {
  const point = 'st_setsrid(st_makepoint(i, 0), 4326)::geometry(Point, 4326) as shape';
  await cluster.sql(`
    create table in_parts (n int primary key, shape geometry(Point, 4326)) partition by range (n);
    create table part_1 partition of in_parts for values from (0) to (6);
    create table part_2 partition of in_parts for values from (6) to (20);
    insert into in_parts select i, ${point} from generate_series(1, 10) i;
    create table parent as select i as n, ${point} from generate_series(1, 5) i;
    create table heir () inherits (parent);
    insert into heir select i, ${point} from generate_series(6, 10) i;
    create materialized view looked_at as select * from parent;
    create view seen as select * from parent`);
  const count = async (table: string) => sift(`${cluster.address}&table=${table}`, { where: 'n + 0 <= 3' });
  // Counted there: all rows are known of.
  for (const table of ['in_parts', 'looked_at']) expect(await count(table)).toMatchObject({ read: 10, kept: 3, unknown: 0, fetched: 10 });
  // The first row of the parent stands where the first of its heir does; a view has no rows of its own. All comes over.
  for (const table of ['parent', 'seen']) expect(await count(table)).toMatchObject({ read: 10, kept: 3, fetched: 10 });
});

test('a hole that sticks out of its shape is found by a stack, and what comes by a box says that it may not be', async () => {
  const square = (x: number) => `(${x} 44, ${x + 3} 44, ${x + 3} 47, ${x} 47, ${x} 44)`;
  await cluster.sql(`
    create table holed as select row_number() over () as n, st_geomfromtext(w, 4326)::geometry(Geometry, 4326) as shape from unnest(array[
      'POLYGON(${square(1)}, (3 45, 3 47, 5 47, 5 45, 3 45))',
      'GEOMETRYCOLLECTION(POINT(0 0), POLYGON(${square(1)}, (3 45, 3 47, 5 47, 5 45, 3 45)))',
      'POLYGON(${square(1)})',
      'POLYGON(${square(20)}, (21 45, 22 45, 22 46, 21 45))', null]) w`);
  // At its edge only the holes of the first two are there, which the database has boxes to 4° E of.
  const where = 'S_INTERSECTS(geometry, POLYGON((5 46, 6 48, 6 49, 5 46)))';
  expect(await sift(`${cluster.address}&table=holed`, { where })).toMatchObject({ read: 5, kept: 2, unknown: 1, fetched: 4 });
});
