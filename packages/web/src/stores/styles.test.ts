import { emptyTree, PLAIN_STYLE, type BySteps } from '@clean-sieve/core';
import type { SieveInfo, SourceInfo, WorkspaceState } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { nextTick } from 'vue';
import { packSift } from '../../../server/src/api/sift_frame.ts';
import { useHistory } from './history.ts';
import { useStyles } from './styles.ts';
import { useWorkspace } from './workspace.ts';

// The server is played: it says of which class each of three features is, and counts how often it is asked.
let state: WorkspaceState;
let asked: string[];
let codes: number[];
const realFetch = globalThis.fetch;
const steps = (change: Partial<BySteps> = {}): BySteps => ({
  ...{ kind: 'steps', column: 'n', method: 'own', bounds: [10], ramp: 'tide', middle: null },
  ...change,
});
const source = (change: Partial<SourceInfo> = {}) =>
  ({
    id: 1,
    name: 's',
    role: 'layer',
    rows: 3,
    columns: [],
    takenAt: 'first',
    shapes: 'original',
    style: null,
    ...change,
  }) as unknown as SourceInfo;
const sieve: SieveInfo = {
  ...{ id: 1, sourceId: 1, name: 'a', tree: emptyTree(), colour: 0, visible: true, view: null, mentions: [], version: 1 },
  style: { ...PLAIN_STYLE, classing: steps() },
};
async function settle(): Promise<void> {
  for (let i = 0; i < 20; i++) await nextTick();
  await new Promise((done) => setTimeout(done));
}

beforeEach(async () => {
  setActivePinia(createPinia());
  [asked, codes] = [[], [0, 1, 1]];
  const none = { areas: [], feeds: [], feedsAt: null, simulatedAt: null, codeLists: [] };
  state = { name: 'test', asOf: null, today: '2026-11-24', sources: [source()], sieves: [sieve], ...none };
  globalThis.fetch = (address, init) => {
    const path = typeof address === 'string' ? address.replace('/api', '') : '';
    if (path === '/workspace') return Promise.resolve(Response.json(state));
    if (path.endsWith('/classes')) {
      asked.push(init?.body as string);
      return Promise.resolve(new Response(Uint8Array.from(codes)));
    }
    const head = { total: 3, kept: 2, unknown: 0, rows: [], nearMisses: {}, without: {}, findings: [], near: [] };
    if (path.endsWith('/sift')) return Promise.resolve(new Response(packSift(head, Uint32Array.of(0b101))));
    const body = JSON.parse(init?.body as string) as Partial<SieveInfo>;
    return Promise.resolve(Response.json(path.startsWith('/sources') ? { ...source(), ...body } : { ...sieve, ...body, version: 2 }));
  };
  await useWorkspace().load();
});
afterEach(async () => {
  await useWorkspace().save();
  globalThis.fetch = realFetch;
});

test('the legend counts what is kept of each class, and all of a source as a whole', async () => {
  const [workspace, styles] = [useWorkspace(), useStyles()];
  workspace.openSieve(1);
  await settle();
  const counts = () => styles.counts && [...styles.counts.all.slice(0, 2), ...styles.counts.kept.slice(0, 2)];
  expect(counts()).toEqual([1, 2, 1, 1]);
  workspace.openSource(1);
  await styles.change({ ...PLAIN_STYLE, classing: steps() });
  await settle();
  expect(counts()).toEqual([1, 2, 1, 2]);
  // The same classes of the same source are asked for once.
  expect(asked).toHaveLength(1);
});

test('other colours are the same classes; other bounds and other features are not', async () => {
  const [workspace, styles] = [useWorkspace(), useStyles()];
  workspace.openSieve(1);
  await settle();
  await styles.change({ ...styles.style, classing: steps({ ramp: 'plum' }) });
  await settle();
  expect(asked).toHaveLength(1);
  await styles.change({ ...styles.style, classing: steps({ bounds: [20] }) });
  await settle();
  expect(asked).toHaveLength(2);
  codes = [1, 1, 1];
  state = { ...state, sources: [source({ takenAt: 'second' })], sieves: [{ ...sieve, ...workspace.activeSieve! }] };
  await workspace.save();
  await workspace.load();
  await settle();
  expect(asked).toHaveLength(3);
  expect(styles.counts!.all[1]).toBe(3);
});

test('a style is taken back like any change, of a sieve and of a source', async () => {
  const [workspace, styles, history] = [useWorkspace(), useStyles(), useHistory()];
  workspace.openSieve(1);
  await styles.change({ ...PLAIN_STYLE, opacity: 0.5 }, 'opacity');
  expect(workspace.activeSieve!.style!.opacity).toBe(0.5);
  await history.undo();
  expect(workspace.activeSieve!.style).toEqual(sieve.style);
  workspace.openSource(1);
  await styles.change({ ...PLAIN_STYLE, opacity: 0.4 });
  expect(workspace.activeSource!.style!.opacity).toBe(0.4);
  await history.undo();
  expect(workspace.activeSource!.style).toBeNull();
});

test('until other classes are known the ones before are drawn, and what cannot be classed is drawn in one colour', async () => {
  const [workspace, styles] = [useWorkspace(), useStyles()];
  const drawn = () => {
    const found = styles.drawnOf(workspace.activeSieve!);
    return found && [...found.codes];
  };
  workspace.openSieve(1);
  expect(drawn()).toBeNull();
  await settle();
  expect(drawn()).toEqual([0, 1, 1]);
  codes = [1, 1, 1];
  await styles.change({ ...styles.style, classing: steps({ bounds: [5] }) });
  expect(drawn()).toEqual([0, 1, 1]);
  await settle();
  expect(drawn()).toEqual([1, 1, 1]);
  await styles.change(null);
  expect(drawn()).toBeNull();
});
