import { CRS84, geometryAt, TableBuilder, typedColumn, valueAt, type FeatureTable } from '@clean-sieve/core';
import { crsNamed } from '../crs/epsg.ts';
import { workspaceState } from '../workspace_state.ts';
import { CodeList, Sieve, Source, SourceColumn, Workspace } from './entities.ts';
import { storeForTests, type StoreForTests } from './store_for_tests.ts';
import { entities, type Store } from './store.ts';
import { exchangeVersions, loadTable, putColumns, saveRepaired, saveTable, type SourceDescription } from './table_store.ts';

let store: Store;
let remove: StoreForTests['remove'];
beforeAll(async () => ({ store, remove } = await storeForTests()));
afterAll(() => remove());

function tableOf(rows: number): FeatureTable {
  const builder = new TableBuilder();
  for (let i = 0; i < rows; i++) {
    const properties = {
      n: i % 7 === 0 ? null : i,
      t: ['a', '', 'zwei', null][i % 4],
      b: i % 2 === 0,
      d: i % 5 === 0 ? '2020' : '2020-05-01',
      w: '2020-01-01T10:00:00+02:00',
    };
    builder.addFeature(i % 3 === 0 ? null : { type: 'Point', coordinates: [i % 180, 1, i] }, properties, `id-${i}`);
  }
  return builder.finish();
}
const about = (name: string, more: Partial<SourceDescription> = {}): SourceDescription => ({
  ...{ name, fileName: `${name}.geojson`, format: 'geojson', layer: null, encoding: null, role: 'layer' },
  ...{ notes: [], remarks: [], invalidShapes: 0 },
  ...more,
});
const rowsOf = (table: FeatureTable, some: number[]) =>
  some.map((row) => [...table.columns.map((column) => valueAt(column, row)), geometryAt(table, row)]);

test('a table comes back as it was stored, across chunks', async () => {
  const table = { ...tableOf(70_000), crs: crsNamed('EPSG:32629') };
  const id = await saveTable(entities(store), table, about('large'));
  const back = await loadTable(entities(store), id);
  expect(back.crs).toEqual(table.crs);
  expect(back.columns.map(({ name, type, role }) => [name, type, role])).toEqual(
    table.columns.map(({ name, type, role }) => [name, type, role]),
  );
  const some = [0, 1, 2, 3, 65_535, 65_536, 69_999];
  expect(rowsOf(back, some)).toEqual(rowsOf(table, some));
});

test('a failure on the way leaves nothing', async () => {
  const before = await entities(store).count(Source);
  const broken = tableOf(10);
  // The second column fails after the source and the first column are written.
  broken.columns[1] = {
    ...broken.columns[1],
    chunks: [{ ...broken.columns[1].chunks[0], rows: 'x' as never }, null as never],
  };
  await expect(saveTable(entities(store), broken, about('broken'))).rejects.toThrow();
  expect(await entities(store).count(Source)).toBe(before);
});

test('a derived column and a repaired copy stand beside the original', async () => {
  const table = tableOf(12);
  const id = await saveTable(entities(store), table, about('derived'));
  const text = table.columns.find(({ name }) => name === 't')!;
  const derivation = {
    kind: 'typed' as const,
    from: 't',
    as: 'boolean' as const,
    decimal: 'point' as const,
    order: 'dmy' as const,
  };
  await putColumns(entities(store), id, [{ column: typedColumn(text, derivation, 't_yes'), derivation }]);
  const builder = new TableBuilder();
  for (let i = 0; i < 12; i++) builder.addFeature({ type: 'Point', coordinates: [0, 0] }, null);
  await saveRepaired(entities(store), id, builder.finish().geometry);
  const now = await loadTable(entities(store), id);
  expect(now.columns.map(({ name }) => name)).toContain('t_yes');
  expect(geometryAt(now, 1)).toEqual({ type: 'Point', coordinates: [0, 0] });
  expect(geometryAt(await loadTable(entities(store), id, 'original'), 1)).toEqual(geometryAt(table, 1));
});

test('versions are exchanged and come back; sieves and what was said of the columns stay', async () => {
  const id = await saveTable(entities(store), tableOf(5), about('first'));
  const version = await saveTable(entities(store), tableOf(8), about('second', { role: 'candidate', versionOf: id }));
  const em = entities(store);
  const list = em.create(CodeList, {
    name: 'codes',
    entries: [['a', 'A']],
    workspace: await em.findOneOrFail(Workspace, { id: { $gt: 0 } }),
  });
  const column = await em.findOneOrFail(SourceColumn, { source: id, name: 't' });
  Object.assign(column, { title: 'Text', hidden: true, codeList: list });
  em.create(Sieve, {
    source: id,
    name: null,
    tree: { kind: 'group', id: 'root', combine: 'all', children: [] },
    colour: 0,
    visible: true,
    mentions: [],
  });
  await em.flush();
  for (const [rows, older] of [
    [8, 5],
    [5, 8],
  ] as const) {
    await exchangeVersions(entities(store), id, version);
    expect((await loadTable(entities(store), id)).rows).toBe(rows);
    const state = await workspaceState(entities(store));
    const source = state.sources.find((one) => one.id === id)!;
    expect(source).toMatchObject({ name: 'first', rows, fileName: rows === 8 ? 'second.geojson' : 'first.geojson' });
    expect(source.older).toMatchObject([{ id: version, rows: older }]);
    expect(source.columns.find(({ name }) => name === 't')).toMatchObject({
      title: 'Text',
      hidden: true,
      codeList: list.id,
    });
    expect(state.sieves.some(({ sourceId }) => sourceId === id)).toBe(true);
    expect(state.sources.some((one) => one.id === version)).toBe(false);
  }
});

test('a source goes with everything that belongs to it', async () => {
  const id = await saveTable(entities(store), { ...tableOf(4), crs: CRS84 }, about('gone'));
  await entities(store).nativeDelete(Source, { id });
  const left = async (table: string, where: string) =>
    (await entities(store).getConnection().execute<{ n: number }[]>(`select count(*) as n from ${table} where ${where}`))[0].n;
  expect(await left('source_column', `source_id = ${id}`)).toBe(0);
  expect(await left('geometry', `source_id = ${id}`)).toBe(0);
  expect(await left('row_group', 'column_id not in (select id from source_column)')).toBe(0);
});
