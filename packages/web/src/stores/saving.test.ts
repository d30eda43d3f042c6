import { emptyTree, type Group } from '@clean-sieve/core';
import type { SieveInfo, WorkspaceState } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { useHistory } from './history.ts';
import { useNotices } from './notices.ts';
import { useWorkspace } from './workspace.ts';

// The server is played: what it was sent, and what it answers next.
let sent: { method: string; path: string; body: Record<string, unknown> }[];
let answers: ((path: string, body: Record<string, unknown>) => { status: number; body: unknown } | 'no answer')[];
let state: WorkspaceState;
/** Answers to the next readings of the workspace, where they come late. */
let reads: Promise<Response>[] = [];
let isDown = false;
const realFetch = globalThis.fetch;

const sieve = (id: number, more: Partial<SieveInfo> = {}): SieveInfo => ({
  ...{
    id,
    sourceId: 1,
    name: `sieve ${id}`,
    tree: emptyTree(),
    colour: 0,
    visible: true,
    style: null,
    view: null,
    mentions: [],
    version: 1,
  },
  ...more,
});
const treeOf = (n: number): Group => ({
  ...emptyTree(),
  children: [{ kind: 'condition', id: 'c', expr: { op: '>=', args: [{ property: 'n' }, n] } }],
});

beforeEach(async () => {
  setActivePinia(createPinia());
  [sent, answers, reads, isDown] = [[], [], [], false];
  state = {
    name: 'test',
    asOf: null,
    today: '2026-11-24',
    sources: [],
    sieves: [sieve(1), sieve(2)],
    areas: [],
    feeds: [],
    feedsAt: null,
    simulatedAt: null,
    codeLists: [],
  };
  globalThis.fetch = (address, init) => {
    const path = typeof address === 'string' ? address.replace('/api', '') : '';
    const body = init?.body ? (JSON.parse(init.body as string) as Record<string, unknown>) : {};
    if (path === '/workspace' && reads.length > 0) return reads.shift()!;
    if (path === '/workspace') return isDown ? Promise.reject(new TypeError('fetch failed')) : Promise.resolve(Response.json(state));
    sent.push({ method: init?.method ?? 'GET', path, body });
    const id = Number(path.split('/').at(-1));
    const answer = answers.shift()?.(path, body) ?? { status: 200, body: sieve(id, { ...body, version: 2 }) };
    if (answer === 'no answer') return Promise.reject(new TypeError('fetch failed'));
    return Promise.resolve(Response.json(answer.body, { status: answer.status }));
  };
  await useWorkspace().load();
});
afterEach(() => {
  globalThis.fetch = realFetch;
});

test('a change carries the version that it was made from, the next one that of its answer', async () => {
  const workspace = useWorkspace();
  workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
  await workspace.save();
  workspace.changeSieve(1, { tree: treeOf(2) }, 'edit');
  await workspace.save();
  expect(sent.map(({ path, body }) => [path, body.from])).toEqual([
    ['/sieves/1', 1],
    ['/sieves/1', 2],
  ]);
});

test('what finds no answer stays unsaved and is sent again, joined with what came after', async () => {
  const workspace = useWorkspace();
  answers.push(() => 'no answer');
  workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
  await workspace.save();
  expect(useNotices().current?.text).toMatch(/does not answer/);
  expect(workspace.sieves[0].tree).toEqual(treeOf(1));
  workspace.changeSieve(1, { name: 'renamed', mentions: [] }, 'rename');
  await workspace.save();
  expect(sent.at(-1)!.body).toEqual({ tree: treeOf(1), name: 'renamed', mentions: [], from: 1 });
  await workspace.save();
  expect(sent).toHaveLength(2);
});

test('what is refused is told and shown as it is on the server; the rest is saved', async () => {
  const workspace = useWorkspace();
  answers.push(() => ({ status: 400, body: { error: 'There is no column n' } }));
  workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
  workspace.changeSieve(2, { tree: treeOf(2) }, 'edit');
  await workspace.save();
  expect(useNotices().current?.text).toBe('There is no column n');
  expect(sent.map(({ path }) => path)).toEqual(['/sieves/1', '/sieves/2']);
  expect(workspace.sieves.map(({ tree }) => tree)).toEqual([emptyTree(), treeOf(2)]);
});

test('a server that goes away in the midst of a refusal ends no saving', async () => {
  const workspace = useWorkspace();
  answers.push(() => {
    isDown = true;
    return { status: 400, body: { error: 'refused' } };
  });
  workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
  await workspace.save();
  isDown = false;
  workspace.changeSieve(2, { tree: treeOf(2) }, 'edit');
  await workspace.save();
  expect(sent.map(({ path }) => path)).toEqual(['/sieves/1', '/sieves/2']);
});

test('coming back to what is unchanged, sources and areas are the same objects', async () => {
  const workspace = useWorkspace();
  const before = [workspace.sources, workspace.areas, workspace.codeLists];
  state = structuredClone(state);
  await workspace.refresh();
  for (const [i, now] of [workspace.sources, workspace.areas, workspace.codeLists].entries()) expect(now).toBe(before[i]);
});

describe('a sieve that another window has changed', () => {
  const theirs = sieve(1, { tree: treeOf(7), version: 5 });
  async function met() {
    const workspace = useWorkspace();
    answers.push(() => ({ status: 409, body: { error: 'The sieve was changed in another window', current: theirs } }));
    workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
    await workspace.save();
    expect(workspace.conflict).toEqual({ mine: { tree: treeOf(1) }, theirs });
    return workspace;
  }

  test('nothing of it is sent before one is chosen; others are', async () => {
    const workspace = await met();
    workspace.changeSieve(1, { tree: treeOf(2) }, 'edit');
    workspace.changeSieve(2, { visible: false }, 'hide');
    await workspace.save();
    expect(sent.map(({ path }) => path)).toEqual(['/sieves/1', '/sieves/2']);
    await workspace.settleConflict('mine');
    await workspace.save();
    expect(sent.at(-1)).toMatchObject({ path: '/sieves/1', body: { tree: treeOf(2), from: 5 } });
  });

  test('the other one’s is taken: nothing is sent', async () => {
    const workspace = await met();
    await workspace.settleConflict('theirs');
    await workspace.save();
    expect([workspace.conflict, workspace.sieves[0].tree, sent.length]).toEqual([null, treeOf(7), 1]);
  });

  test('this one’s is kept, from the version that is there; one undo brings the other’s back', async () => {
    const workspace = await met();
    await workspace.settleConflict('mine');
    await workspace.save();
    expect(sent.at(-1)).toMatchObject({ path: '/sieves/1', body: { tree: treeOf(1), from: 5 } });
    await useHistory().undo();
    await workspace.save();
    expect(sent.at(-1)).toMatchObject({ body: { tree: treeOf(7) } });
  });

  test('both are kept: this one’s as a sieve of its own', async () => {
    const workspace = await met();
    answers.push((_, body) => ({ status: 200, body: sieve(3, { ...body, version: 1 }) }));
    await workspace.settleConflict('both');
    expect(sent.at(-1)).toMatchObject({ method: 'POST', path: '/sieves', body: { tree: treeOf(1) } });
    expect(workspace.sieves.map(({ id, tree }) => [id, tree])).toEqual([
      [1, treeOf(7)],
      [2, emptyTree()],
      [3, treeOf(1)],
    ]);
  });
});

test('a window that comes back shows what others have changed, and keeps what it has not sent', async () => {
  const workspace = useWorkspace();
  state = { ...state, sieves: [sieve(1, { name: 'by another', version: 3 }), sieve(2)] };
  await workspace.refresh();
  expect(workspace.sieves[0].name).toBe('by another');
  answers.push(() => 'no answer');
  workspace.changeSieve(2, { tree: treeOf(4) }, 'edit');
  await workspace.refresh();
  expect(workspace.sieves[1].tree).toEqual(treeOf(4));
  workspace.changeSieve(1, { tree: treeOf(5) }, 'edit');
  await workspace.save();
  expect(sent.find(({ path }) => path === '/sieves/1')!.body.from).toBe(3);
});

test('conditions follow what they are about under any name, and one undo never brings an old name back', async () => {
  const about = (area: string | number): Group => ({
    ...emptyTree(),
    children: [{ kind: 'condition', id: 'c', expr: { op: 's_within', args: [{ property: 'geometry' }, { op: 'AREA', args: [area] }] } }],
  });
  const area = (name: string) => ({ id: 7, name, shape: { type: 'Point' as const, coordinates: [0, 0] } });
  const [workspace, history] = [useWorkspace(), useHistory()];
  state = { ...state, areas: [area('Harbour')] };
  await workspace.load();
  const shown = () => JSON.stringify(workspace.sieves[0].tree);
  workspace.changeSieve(1, { tree: about('Harbour') }, 'edit');
  await workspace.save();
  // What is kept is about the area, whatever it is called.
  expect(sent[0].body.tree).toEqual(about(7));
  workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
  await workspace.save();
  // Another window calls it something else.
  state = { ...state, areas: [area('Port')], sieves: [sieve(1, { tree: treeOf(1), version: 3 }), sieve(2)] };
  await workspace.load();
  await history.undo();
  expect(shown()).toBe(JSON.stringify(about('Port')));
  await workspace.save();
  expect(sent.at(-1)!.body.tree).toEqual(about(7));
});

test('sieves in which nothing changes stay the same objects when something has another name', async () => {
  const workspace = useWorkspace();
  const before = workspace.sieves;
  workspace.changeSieve(2, { name: 'another name' }, 'rename');
  await workspace.save();
  expect(workspace.sieves[0]).toBe(before[0]);
  expect(workspace.sieves[1].name).toBe('another name');
});

test('a workspace that was read before a change was saved does not take its place', async () => {
  const workspace = useWorkspace();
  let arrives = (_: Response) => {};
  reads = [new Promise((resolve) => (arrives = resolve))];
  const before = Response.json(state);
  const loading = workspace.load();
  workspace.changeSieve(1, { tree: treeOf(7) }, 'edit');
  await workspace.save();
  state = { ...state, sieves: [sieve(1, { tree: treeOf(7), version: 2 }), sieve(2, { name: 'another' })] };
  arrives(before);
  await loading;
  expect(workspace.sieves[0].tree).toEqual(treeOf(7));
  expect(workspace.sieves[1].name).toBe('another');
});
