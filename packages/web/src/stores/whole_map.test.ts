import { parseFilter, PLAIN_STYLE, type Amount, type Group } from '@clean-sieve/core';
import type { SieveInfo, WholeTileAsk } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { nextTick } from 'vue';
import { packSift } from '../../../server/src/api/sift_frame.ts';
import { useMapShow } from './map_show.ts';
import { atLeast, estimated, sampledSieve, sampledState, treeOf, until } from './sample_for_tests.ts';
import { useWholeMap } from './whole_map.ts';
import { useWorkspace } from './workspace.ts';

// The server is played: about how many are kept in view, or what is wrong.
const realFetch = globalThis.fetch;
let about: Amount | 'down';
let counted: Group[];
let now: object;

beforeEach(async () => {
  setActivePinia(createPinia());
  Object.assign(globalThis, { localStorage: { getItem: () => null, setItem: () => undefined } });
  [about, counted, now] = [{ about: 20_000 }, [], sampledState()];
  globalThis.fetch = (address, init) => {
    const path = typeof address === 'string' ? address.replace('/api', '') : '';
    if (path === '/workspace') return Promise.resolve(Response.json(now));
    if (path.endsWith('/sift')) return Promise.resolve(new Response(packSift(estimated, new Uint32Array([0b101]))));
    if (path.endsWith('/counts')) {
      counted.push(...(JSON.parse(init?.body as string) as { trees: Group[] }).trees);
      if (about === 'down') return Promise.resolve(Response.json({ error: 'The database is away' }, { status: 400 }));
      return Promise.resolve(Response.json({ kept: [about] }));
    }
    const change = init?.body ? (JSON.parse(init.body as string) as Partial<SieveInfo>) : {};
    return Promise.resolve(Response.json({ ...sampledSieve, ...change, version: 2 }));
  };
  await useWorkspace().load();
  useWorkspace().openSieve(1);
});
afterEach(async () => {
  await useWorkspace().save();
  globalThis.fetch = realFetch;
});

const asked = () => JSON.parse(useWholeMap().ofAll ?? 'null') as WholeTileAsk | null;
/** Longer than the map rests before anything is asked. */
const rest = () => new Promise((done) => setTimeout(done, 600));

test('all that is kept in view is drawn where it is not too much, and other conditions are not drawn by what was asked before', async () => {
  const [map, show, workspace] = [useWholeMap(), useMapShow(), useWorkspace()];
  await until(() => map.ofAll !== null);
  expect(asked()).toMatchObject({ classing: null, tree: { children: [{ expr: { args: [{ property: 'n' }, 0] } }] } });
  expect(JSON.stringify(counted[0].children[1])).toContain('[-180,-85,180,85]');
  // It is not said to be drawn before it is in the picture, nor once other conditions hold.
  expect(map.drawn).toBe(false);
  map.pictured(true);
  expect(map.drawn).toBe(true);
  about = { about: 30_001 };
  const before = map.ofAll;
  show.view = [10, 20, 30, 40];
  await nextTick();
  expect(map.ofAll).toBe(before);
  await until(() => map.ofAll === null);
  expect(map.drawn).toBe(false);
  // Of what none of the sample is, there is little.
  about = null;
  show.view = [10, 20, 11, 21];
  await until(() => map.ofAll !== null);
  about = { about: 10 };
  workspace.changeSieve(1, { tree: atLeast(7) }, 'edit');
  await until(() => map.ofAll === null);
  await until(() => JSON.stringify(asked()?.tree ?? null).includes('7'));
});

test('what hangs on other features, marks as large as a number, and sources of which all is held are drawn as they are held', async () => {
  const [map, workspace] = [useWholeMap(), useWorkspace()];
  await until(() => map.ofAll !== null);
  workspace.changeSieve(1, { style: { ...PLAIN_STYLE, sizeBy: 'n' } }, 'style');
  await until(() => map.ofAll === null);
  workspace.changeSieve(1, { style: null }, 'style');
  await until(() => map.ofAll !== null);
  workspace.changeSieve(1, { tree: treeOf(parseFilter('S_NEAREST(geometry, POINT(1 2), 3)').expr) }, 'edit');
  await until(() => map.ofAll === null);
  await rest();
  expect(map.ofAll).toBeNull();
  now = sampledState(false);
  await workspace.load();
  await rest();
  expect(map.ofAll).toBeNull();
});

test('where all cannot be had, the sample stays and the reason is told until map or conditions are others', async () => {
  const [map, show] = [useWholeMap(), useMapShow()];
  about = 'down';
  await until(() => map.trouble !== '');
  expect([map.ofAll, map.trouble]).toEqual([null, 'The database is away.']);
  about = { about: 5 };
  show.view = [0, 0, 1, 1];
  await until(() => map.ofAll !== null);
  expect(map.trouble).toBe('');
  map.fail('It took too long');
  expect([map.ofAll, map.trouble]).toEqual([null, 'It took too long.']);
  map.again();
  await until(() => map.ofAll !== null);
  expect(map.trouble).toBe('');
});
