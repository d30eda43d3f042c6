import { emptyTree, type Group } from '@clean-sieve/core';
import type { SieveInfo, WorkspaceState } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { nextTick, watch } from 'vue';
import { packSift } from '../../../server/src/api/sift_frame.ts';
import { api } from '../api/client.ts';
import { useSifting } from './sifting.ts';
import { useWorkspace } from './workspace.ts';

// The server is played: it answers when it is told to.
interface Asked {
  path: string;
  tree: Group;
  answer: () => void;
  givenUp: boolean;
}
let asked: Asked[];
const realFetch = globalThis.fetch;
const treeOf = (n: number): Group => ({
  ...emptyTree(),
  children: [{ kind: 'condition', id: 'c', expr: { op: '>=', args: [{ property: 'n' }, n] } }],
});
const sieve = (id: number): SieveInfo => ({
  ...{
    id,
    sourceId: id,
    name: `sieve ${id}`,
    tree: treeOf(0),
    colour: 0,
    visible: true,
    style: null,
    view: null,
    mentions: [],
    version: 1,
  },
});
const source = (id: number) => ({
  id,
  name: `source ${id}`,
  role: 'layer',
  rows: 3,
  takenAt: '2026-01-01T00:00:00.000Z',
  shapes: 'original',
  columns: [],
  older: [],
  notes: [],
  geometryTypes: {},
  extent: null,
});
let state = {
  name: 'test',
  asOf: null,
  today: '2026-11-24',
  sources: [source(1), source(2)],
  sieves: [sieve(1), sieve(2)],
  areas: [],
  feeds: [],
  feedsAt: null,
  simulatedAt: null,
  codeLists: [],
};

const settle = async () => {
  for (let i = 0; i < 4; i++) await new Promise((done) => setTimeout(done, 0));
  await nextTick();
};
const waiting = (what: string) => asked.filter(({ path, givenUp }) => path.endsWith(what) && !givenUp);
const boundOf = ({ tree }: Asked) => JSON.stringify(tree).match(/"n"\},(\d+)/)?.[1];

beforeEach(async () => {
  setActivePinia(createPinia());
  asked = [];
  globalThis.fetch = (address, init) => {
    const path = typeof address === 'string' ? address.replace('/api', '') : '';
    if (path === '/workspace') return Promise.resolve(Response.json(state as unknown as WorkspaceState));
    if (!path.startsWith('/sources/')) return Promise.resolve(Response.json(sieve(1)));
    const body = JSON.parse(init?.body as string) as { tree: Group } | { trees: Group[] };
    const tree = 'tree' in body ? body.tree : body.trees[0];
    return new Promise((resolve, reject) => {
      const kept = Number(boundOf({ tree } as Asked) ?? 0);
      const head = { total: 3, kept, unknown: 0, rows: [], nearMisses: {}, without: {}, findings: [], near: [] };
      const own: Asked = {
        path,
        tree,
        givenUp: false,
        answer: () =>
          resolve(
            path.endsWith('sift') ? new Response(packSift(head, new Uint32Array(1))) : Response.json({ answers: [{ aggregate: [] }] }),
          ),
      };
      init?.signal?.addEventListener('abort', () => {
        own.givenUp = true;
        reject(Object.assign(new Error('aborted'), { name: 'AbortError' }));
      });
      asked.push(own);
    });
  };
  await useWorkspace().load();
  useWorkspace().openSieve(1);
});
afterEach(async () => {
  // What is unsaved would be sent again and again.
  await useWorkspace().save();
  globalThis.fetch = realFetch;
});

async function answered(what: string): Promise<void> {
  const all = waiting(what);
  asked = asked.filter((one) => !all.includes(one));
  for (const { answer } of all) answer();
  await settle();
}

test('of what changes while one question is under way only the latest is asked', async () => {
  const [workspace, sifting] = [useWorkspace(), useSifting()];
  await answered('sift');
  workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
  await settle();
  for (const n of [2, 3, 4]) {
    workspace.changeSieve(1, { tree: treeOf(n) }, 'edit');
    await settle();
  }
  expect(waiting('sift').map(boundOf)).toEqual(['1']);
  await answered('sift');
  expect(waiting('sift').map(boundOf)).toEqual(['4']);
  await answered('sift');
  expect([sifting.kept, waiting('sift')]).toEqual([4, []]);
  expect(sifting.shownTree).toEqual(treeOf(4));
});

test('what is shown beside the counts is given up when they are asked for anew, and told once they are there', async () => {
  const [workspace, sifting] = [useWorkspace(), useSifting()];
  await answered('sift');
  const before = sifting.version;
  const beside = sifting.besides((signal) => api.aggregate(1, { tree: sifting.shownTree }, { kind: 'values', column: 'n' }, signal));
  await settle();
  workspace.changeSieve(1, { tree: treeOf(2) }, 'edit');
  await settle();
  expect(await beside).toBeUndefined();
  // Nobody is told to ask again before the counts are there.
  expect(sifting.version).toBe(before);
  await answered('sift');
  // The picture comes first.
  expect([sifting.kept, sifting.version]).toEqual([2, before]);
  sifting.pictured();
  expect(sifting.version).toBe(before + 1);
  const again = sifting.besides((signal) => api.aggregate(1, { tree: sifting.shownTree }, { kind: 'values', column: 'n' }, signal));
  await settle();
  await answered('aggregates');
  expect(await again).toEqual([]);
});

test('what is shown with the counts is asked right behind them, about the same conditions, and never ahead of them', async () => {
  const [workspace, sifting] = [useWorkspace(), useSifting()];
  await answered('sift');
  const ask = (tree: Group, signal: AbortSignal) => api.aggregate(1, { tree }, { kind: 'values', column: 'n' }, signal);
  const told: unknown[] = [];
  const stop = watch(
    () => sifting.begun,
    () => void sifting.alongside(ask).then((answer) => told.push([answer, sifting.kept])),
    { flush: 'sync' },
  );
  workspace.changeSieve(1, { tree: treeOf(2) }, 'edit');
  await settle();
  expect([waiting('sift'), waiting('aggregates')].map((all) => all.map(boundOf))).toEqual([['2'], ['2']]);
  await answered('aggregates');
  expect(told).toEqual([]);
  await answered('sift');
  expect(told).toEqual([[[], 2]]);
  // Once counts are asked for anew it is given up.
  workspace.changeSieve(1, { tree: treeOf(3) }, 'edit');
  await settle();
  workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
  await settle();
  await answered('sift');
  expect(waiting('aggregates').map(boundOf)).toEqual(['1']);
  await answered('sift');
  await answered('aggregates');
  expect(told.slice(1)).toEqual([
    [undefined, 3],
    [[], 1],
  ]);
  stop();
});

test('what is shown beside a picture that does not come is told soon, and once', async () => {
  const [workspace, sifting] = [useWorkspace(), useSifting()];
  await answered('sift');
  sifting.pictured();
  const before = sifting.version;
  workspace.changeSieve(1, { tree: treeOf(2) }, 'edit');
  await settle();
  await answered('sift');
  await new Promise<void>((told) =>
    watch(
      () => sifting.version,
      () => told(),
    ),
  );
  sifting.pictured();
  expect(sifting.version).toBe(before + 1);
});

test('another sieve that is sifted gives nothing up', async () => {
  const [workspace, sifting] = [useWorkspace(), useSifting()];
  await answered('sift');
  const beside = sifting.besides((signal) => api.aggregate(1, { tree: sifting.shownTree }, { kind: 'values', column: 'n' }, signal));
  await settle();
  workspace.changeSieve(2, { tree: treeOf(7) }, 'edit');
  await settle();
  expect(waiting('sift').map(boundOf)).toEqual(['7']);
  expect(waiting('aggregates')).toHaveLength(1);
  await answered('aggregates');
  expect(await beside).toEqual([]);
});

test('other features that another window has put into a source are sifted again, and only those', async () => {
  useSifting();
  await answered('sift');
  const before = state;
  state = { ...state, sources: [{ ...source(1), takenAt: '2026-02-02T00:00:00.000Z' }, source(2)] };
  await useWorkspace().load();
  await settle();
  expect(waiting('sift').map(({ path }) => path)).toEqual(['/sources/1/sift']);
  await answered('sift');
  state = before;
});
