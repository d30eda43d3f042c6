import { TableBuilder } from '@clean-sieve/core';
import { workspaceState } from '../workspace_state.ts';
import { Source } from './entities.ts';
import { storeForTests, type StoreForTests } from './store_for_tests.ts';
import { entities, type Store } from './store.ts';
import { exchangeVersions, putToUse, removeUnfinished, saveTable, storeTable, type SourceDescription } from './table_store.ts';

let store: Store;
let remove: StoreForTests['remove'];
beforeEach(async () => ({ store, remove } = await storeForTests()));
afterEach(() => remove());

function tableOf(rows: number) {
  const builder = new TableBuilder();
  for (let n = 0; n < rows; n++) builder.addFeature({ type: 'Point', coordinates: [n % 90, 0] }, { n, text: `t${n}` });
  return builder.finish();
}
const about = (name: string, more: Partial<SourceDescription> = {}): SourceDescription => ({
  ...{ name, fileName: `${name}.geojson`, format: 'geojson', layer: null, encoding: null, role: 'layer' },
  ...{ notes: [], remarks: [], invalidShapes: 0 },
  ...more,
});
const shown = async () => (await workspaceState(entities(store))).sources.map(({ name }) => name);

test('several sources are seen together, and those that are being made by nobody', async () => {
  const em = entities(store);
  const ids = [await storeTable(em, tableOf(3), about('one')), await storeTable(em, tableOf(3), about('two'))];
  expect(await shown()).toEqual([]);
  await putToUse(
    em,
    ids.map((id) => ({ id, role: 'layer' as const })),
  );
  expect(await shown()).toEqual(['one', 'two']);
});

test('a name that is taken gets a number, also by one of the same import', async () => {
  const em = entities(store);
  await saveTable(em, tableOf(1), about('trees'));
  const ids = [await storeTable(em, tableOf(1), about('trees')), await storeTable(em, tableOf(1), about('trees'))];
  await putToUse(
    em,
    ids.map((id) => ({ id, role: 'layer' as const })),
  );
  expect(await shown()).toEqual(['trees', 'trees 2', 'trees 3']);
});

test('stopped between its transactions, a large table leaves nothing', async () => {
  const em = entities(store);
  let steps = 0;
  const stop = () => {
    if (++steps === 2) throw new Error('stop');
  };
  const made: number[] = [];
  const large = tableOf(1_200_000);
  await expect(storeTable(em, large, about('large'), { step: stop, made: (id) => made.push(id) })).rejects.toThrow('stop');
  expect(made).toHaveLength(1);
  expect(await em.count(Source)).toBe(0);
  const left = await store.em.getConnection().execute('select (select count(*) from row_group) + (select count(*) from geometry) as n');
  expect(left).toEqual([{ n: 0 }]);
}, 60_000);

test('what was being made or compared when the program stopped is taken away; what is in use stays', async () => {
  const em = entities(store);
  const id = await saveTable(em, tableOf(2), about('kept'));
  await saveTable(em, tableOf(2), about('candidate', { role: 'candidate', versionOf: id }));
  await storeTable(em, tableOf(2), about('half'));
  await removeUnfinished(em);
  expect((await entities(store).find(Source, {})).map(({ name }) => name)).toEqual(['kept']);
});

test('versions are in the order in which they came in, whatever the clock says', async () => {
  const em = entities(store);
  const realNow = Date.now;
  const RealDate = Date;
  const at = (time: string) => {
    const now = RealDate.parse(time);
    globalThis.Date = class extends RealDate {
      constructor(value?: number | string) {
        super(value ?? now);
      }
    } as DateConstructor;
    globalThis.Date.now = () => now;
  };
  try {
    at('2030-01-01T00:00:00Z');
    const id = await saveTable(em, tableOf(1), about('trees'));
    // The clock was wrong, and is set.
    for (const [rows, day] of [
      [2, '2026-11-01'],
      [3, '2026-11-02'],
      [4, '2026-10-30'],
    ] as const) {
      at(`${day}T00:00:00Z`);
      const version = await saveTable(entities(store), tableOf(rows), about('newer', { role: 'candidate', versionOf: id }));
      await exchangeVersions(entities(store), id, version);
    }
    const [source] = (await workspaceState(entities(store))).sources;
    expect([source.rows, source.older.map(({ rows }) => rows)]).toEqual([4, [3, 2, 1]]);
  } finally {
    globalThis.Date = RealDate;
    Date.now = realNow;
  }
});
