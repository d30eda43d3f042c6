import { displayTile, packTile, TableBuilder } from '@clean-sieve/core';
import { TileStore, type FetchTile } from './tile_store.ts';

const builder = new TableBuilder();
builder.addFeature({ type: 'Point', coordinates: [1, 1] }, null);
const bytes = packTile(displayTile(builder.finish(), 0, 0, 0));
const tile = (x: number, state = 'original', ofAll: string | null = null) => ({
  sourceId: 7,
  state,
  ofAll,
  plane: 'mercator' as const,
  z: 5,
  x,
  y: 0,
});
const settled = () => new Promise((done) => setTimeout(done, 5));

function storeOf(fetch: FetchTile) {
  const told: string[] = [];
  const store = new TileStore(
    fetch,
    () => told.push('changed'),
    (error, ofAll) => told.push(`${(error as Error).message}${ofAll ?? ''}`),
  );
  return { store, told };
}

test('what is wanted is fetched once, and told when it is there', async () => {
  const asked: number[] = [];
  const { store, told } = storeOf(({ x }) => (asked.push(x), Promise.resolve(bytes)));
  store.want([tile(1), tile(2), tile(1)]);
  expect(store.get(tile(1))).toBeNull();
  await settled();
  store.want([tile(1), tile(2)]);
  await settled();
  expect([asked, told.length, [...store.get(tile(2))!.pointRows]]).toEqual([[1, 2], 2, [0]]);
  // Other shapes are other tiles.
  expect(store.get(tile(1, 'repaired'))).toBeNull();
  expect(store.get(tile(1, 'original', '{}'))).toBeNull();
});

test('what is wanted again while it is on its way is fetched once', async () => {
  let asked = 0;
  const { store } = storeOf(() => (asked++, new Promise((resolve) => setTimeout(() => resolve(bytes), 3))));
  store.want([tile(1), tile(2)]);
  store.want([tile(1), tile(2)]);
  await settled();
  await settled();
  expect([asked, store.get(tile(2)) !== null]).toEqual([2, true]);
});

test('what is no longer wanted is given up, without a word', async () => {
  const given: number[] = [];
  const { store, told } = storeOf(
    ({ x }, signal) => new Promise((_, reject) => signal.addEventListener('abort', () => (given.push(x), reject(new Error('aborted'))))),
  );
  store.want(Array.from({ length: 9 }, (_, x) => tile(x)));
  store.want([tile(100)]);
  await settled();
  expect([given, told]).toEqual([[0, 1, 2, 3, 4, 5], []]);
});

test('a tile that cannot be had is told, one of a source that is gone is empty', async () => {
  const { store, told } = storeOf(({ x }) => (x === 1 ? Promise.reject(new Error('no answer')) : Promise.resolve(null)));
  store.want([tile(1), tile(2)]);
  await settled();
  expect(told).toContain('no answer');
  expect(store.get(tile(2))!.pointRows).toHaveLength(0);
});

test('memory is bounded: the tiles that were used last stay', async () => {
  const large = new Uint8Array(40 * 2 ** 20);
  large.set(bytes);
  const { store } = storeOf(() => Promise.resolve(large));
  for (let x = 0; x < 9; x++) {
    store.want([tile(x)]);
    await settled();
  }
  expect(store.bytes).toBeLessThanOrEqual(200 * 2 ** 20 + large.length);
  expect([store.get(tile(0)), store.get(tile(8)) !== null]).toEqual([null, true]);
});
