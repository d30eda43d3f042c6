import { emptyTree, parseFilter, PLAIN_STYLE, type Amount, type Expr, type Group } from '@clean-sieve/core';
import type { SieveInfo, WholeTileAsk } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { nextTick } from 'vue';
import { packSift } from '../../../server/src/api/sift_frame.ts';
import { useMapShow } from './map_show.ts';
import { useWholeMap } from './whole_map.ts';
import { useWorkspace } from './workspace.ts';

// The server is played: about how many are kept in view, or what is wrong.
const realFetch = globalThis.fetch;
let about: Amount | 'down';
let counted: Group[];
const treeOf = (expr: Expr): Group => ({ ...emptyTree(), children: [{ kind: 'condition', id: 'c', expr }] });
const atLeast = (n: number) => treeOf({ op: '>=', args: [{ property: 'n' }, n] });
const sieve: SieveInfo = {
  ...{ id: 1, sourceId: 1, name: 'sieve', tree: atLeast(0), colour: 0, visible: true, style: null, view: null, mentions: [], version: 1 },
};
const fetchedFrom = { address: 'postgresql://h/d', collection: 't', filter: null, leftOut: [], askedAt: '', matched: 9000, came: 3 };
const live = { held: 'x', conditions: [], sample: { wanted: 3, of: 9000 } };
const source = (sample: boolean) => ({
  ...{ id: 1, name: 'source', role: 'layer', rows: 9000, held: 3, takenAt: '2026-01-01T00:00:00.000Z', shapes: 'original' },
  ...{ columns: [{ name: 'n', type: 'number', derivation: null }], older: [], notes: [], geometryTypes: {}, extent: null, style: null },
  fetchedFrom: { ...fetchedFrom, live: sample ? live : { ...live, sample: undefined } },
});
const state = (sample = true) => ({
  ...{ name: 'test', asOf: null, today: '2026-11-24', sources: [source(sample)], sieves: [sieve], areas: [], feeds: [], feedsAt: null },
  ...{ simulatedAt: null, codeLists: [] },
});
let now = state();
const estimated = { total: 9000, kept: { about: 6000 }, unknown: null, rows: [], nearMisses: {}, without: {}, findings: [] };

beforeEach(async () => {
  setActivePinia(createPinia());
  Object.assign(globalThis, { localStorage: { getItem: () => null, setItem: () => undefined } });
  [about, counted, now] = [{ about: 20_000 }, [], state()];
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
    return Promise.resolve(Response.json({ ...sieve, ...change, version: 2 }));
  };
  await useWorkspace().load();
  useWorkspace().openSieve(1);
});
afterEach(async () => {
  await useWorkspace().save();
  globalThis.fetch = realFetch;
});

async function until(holds: () => boolean): Promise<void> {
  for (let i = 0; i < 300 && !holds(); i++) await new Promise((done) => setTimeout(done, 10));
  await nextTick();
  expect(holds()).toBe(true);
}
const asked = () => JSON.parse(useWholeMap().ofAll ?? 'null') as WholeTileAsk | null;
/** Longer than the map rests before anything is asked. */
const rest = () => new Promise((done) => setTimeout(done, 600));

test('all that is kept in view is drawn where it is not too much, and other conditions are not drawn by what was asked before', async () => {
  const [map, show, workspace] = [useWholeMap(), useMapShow(), useWorkspace()];
  await until(() => map.ofAll !== null);
  expect(asked()).toMatchObject({ classing: null, tree: { children: [{ expr: { args: [{ property: 'n' }, 0] } }] } });
  expect(JSON.stringify(counted[0].children[1])).toContain('[-180,-85,180,85]');
  about = { about: 30_001 };
  const before = map.ofAll;
  show.view = [10, 20, 30, 40];
  await nextTick();
  expect(map.ofAll).toBe(before);
  await until(() => map.ofAll === null);
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
  now = { ...state(false), sieves: [sieve] };
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
