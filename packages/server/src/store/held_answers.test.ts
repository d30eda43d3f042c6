import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { randomUUID } from 'node:crypto';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { geometryAt, TableBuilder, typedColumn, valueAt, type FeatureTable } from '@clean-sieve/core';
import { RowGroup, Source, Workspace } from './entities.ts';
import { heldFolder, holdOnly, letGoOfAll } from './held_answers.ts';
import { closeWorkspace, openWorkspace } from './open_workspace.ts';
import { storeForTests, type StoreForTests } from './store_for_tests.ts';
import { entities, type Store } from './store.ts';
import { exchangeVersions, loadTable, putColumns, saveTable, storeTable, type SourceDescription } from './table_store.ts';
import { WriteTurn } from './write_turn.ts';

let store: Store;
let [folder, database] = ['', ''];
let remove: StoreForTests['remove'];
beforeAll(async () => ({ store, folder, database, remove } = await storeForTests()));
afterAll(() => remove());

/** A text that stands in the features and nowhere else. */
const MARKER = 'gannet on the mole';

function tableOf(rows: number, first = 0): FeatureTable {
  const builder = new TableBuilder();
  for (let i = first; i < first + rows; i++) {
    const text = ['a', '', MARKER, null][i % 4];
    const properties = { n: i % 7 === 0 ? null : i, t: text, d: i % 5 === 0 ? '2020' : '2020-05-01', b: i % 2 === 0 };
    builder.addFeature(i % 3 === 0 ? null : { type: 'Point', coordinates: [i % 180, 1] }, properties, `id-${i}`);
  }
  return builder.finish();
}
const from = { address: 'https://data.example.org/', collection: 'c', filter: null, leftOut: [], askedAt: '2026-11-01T10:00:00.000Z' };
const about = (name: string, held: string, more: Partial<SourceDescription> = {}): SourceDescription => ({
  ...{ name, fileName: 'c at data.example.org', format: 'geojson', layer: 'c', encoding: null, role: 'layer' },
  ...{ notes: [], remarks: [], invalidShapes: 0, fetchedFrom: { ...from, matched: null, came: 0, live: { held, conditions: [] } } },
  ...more,
});
/** The features, of many those round the end of the first chunk. */
const featuresOf = (table: FeatureTable) =>
  Array.from({ length: Math.min(table.rows, 50) }, (_, i) => table.rows - 1 - i).map((row) => [
    ...table.columns.map((column) => valueAt(column, row)),
    geometryAt(table, row),
  ]);

test.each([0, 1, 33, 65_537])('an answer of %i features comes back as it was, and none of it stands in the database', async (rows) => {
  const table = tableOf(rows);
  const id = await saveTable(entities(store), table, about(`live of ${rows}`, randomUUID()));
  const back = await loadTable(entities(store), id);
  expect(back.rows).toBe(rows);
  expect(back.columns.map(({ name, type, role }) => [name, type, role])).toEqual(
    table.columns.map(({ name, type, role }) => [name, type, role]),
  );
  expect(featuresOf(back)).toEqual(featuresOf(table));
  expect(await entities(store).count(RowGroup, { column: { source: id } })).toBe(0);
});

test('a version that takes the place of another brings its answer along, and the derived columns are those of it', async () => {
  const id = await saveTable(entities(store), tableOf(10), about('asked twice', randomUUID()));
  const next = await saveTable(entities(store), tableOf(7, 100), about('asked twice', randomUUID(), { role: 'candidate', versionOf: id }));
  const text = (await loadTable(entities(store), next)).columns.find(({ name }) => name === 't')!;
  const derivation = { kind: 'typed' as const, from: 't', as: 'boolean' as const, decimal: 'point' as const, order: 'dmy' as const };
  await putColumns(entities(store), next, [{ column: typedColumn(text, derivation, 'of t'), derivation }]);
  await exchangeVersions(entities(store), id, next);
  const back = await loadTable(entities(store), id);
  expect(back.rows).toBe(7);
  expect(back.columns.at(-1)?.name).toBe('of t');
  expect(
    valueAt(
      back.columns.find(({ name }) => name === 'n')!,
      0,
    ),
  ).toBe(100);
});

test('what is let go of is refused, and nothing of it is left', async () => {
  const id = await saveTable(entities(store), tableOf(50), about('gone soon', randomUUID()));
  await letGoOfAll(entities(store), database);
  await expect(loadTable(entities(store), id)).rejects.toThrow('gone soon has not been asked since the program began');
  expect(existsSync(heldFolder(database))).toBe(false);
  const { fetchedFrom } = await entities(store).findOneOrFail(Source, { id });
  expect(fetchedFrom).toMatchObject({ address: from.address, live: { held: null } });
  for (const name of readdirSync(folder)) expect(readFileSync(join(folder, name)).includes(MARKER)).toBe(false);
});

test('what a killed program held is let go of when it starts again', async () => {
  const data = mkdtempSync(join(tmpdir(), 'clean-sieve-killed-'));
  const before = await openWorkspace(data, new WriteTurn());
  const em = entities(before);
  em.create(Workspace, { name: 'killed', asOf: null });
  await em.flush();
  const id = await saveTable(em, tableOf(40), about('in use', randomUUID()));
  const next = await saveTable(em, tableOf(41), about('in use', randomUUID(), { role: 'candidate', versionOf: id }));
  await exchangeVersions(entities(before), id, next);
  await before.close();
  expect(readdirSync(join(data, 'held'))).toHaveLength(2);
  const again = await openWorkspace(data, new WriteTurn());
  expect(existsSync(join(data, 'held'))).toBe(false);
  await expect(loadTable(entities(again), id)).rejects.toThrow('in use has not been asked since the program began');
  expect(await entities(again).count(Source)).toBe(1);
  await closeWorkspace(again, data);
  rmSync(data, { recursive: true });
});

test('only what belongs to no source is let go of', async () => {
  const [kept, dropped] = [randomUUID(), randomUUID()];
  const id = await saveTable(entities(store), tableOf(5), about('kept', kept));
  await saveTable(entities(store), tableOf(5), about('dropped', dropped));
  await holdOnly(database, new Set([kept]));
  expect(readdirSync(heldFolder(database))).toEqual([kept]);
  expect((await loadTable(entities(store), id)).rows).toBe(5);
});

test('where it is stopped on the way, nothing of an answer is left', async () => {
  const held = randomUUID();
  const before = await entities(store).count(Source);
  let written = 0;
  const step = () => {
    if (written++ < 3) return;
    expect(readdirSync(join(heldFolder(database), held))).toHaveLength(3);
    throw new Error('stopped');
  };
  await expect(storeTable(entities(store), tableOf(9), about('cut short', held), { step })).rejects.toThrow('stopped');
  expect(existsSync(join(heldFolder(database), held))).toBe(false);
  expect(await entities(store).count(Source)).toBe(before);
});
