import type { WorkspaceState } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { useHistory } from './history.ts';
import { useNotices } from './notices.ts';
import { useWorkspace } from './workspace.ts';

// A server that keeps an as-of date, which another window changes too.
let asOf: string | null;
let changes: { asOf: string | null; from?: { asOf: string | null } }[];
const realFetch = globalThis.fetch;
const state = () =>
  ({
    name: 'test',
    asOf,
    today: '2026-11-24',
    sources: [],
    sieves: [],
    areas: [],
    feeds: [],
    feedsAt: null,
    simulatedAt: null,
    codeLists: [],
  }) satisfies WorkspaceState;

beforeEach(async () => {
  setActivePinia(createPinia());
  [asOf, changes] = ['2026-01-01', []];
  globalThis.fetch = (_, init) => {
    if (init?.method !== 'PATCH') return Promise.resolve(Response.json(state()));
    const change = JSON.parse(init.body as string) as (typeof changes)[number];
    changes.push(change);
    if (change.from && change.from.asOf !== asOf)
      return Promise.resolve(
        Response.json({ error: 'The workspace was changed in another window meanwhile', elsewhere: true }, { status: 409 }),
      );
    asOf = change.asOf;
    return Promise.resolve(Response.json(state()));
  };
  await useWorkspace().load();
});
afterEach(() => {
  globalThis.fetch = realFetch;
});

test('a change says what it was made from, and so does each step of undo', async () => {
  const [workspace, history] = [useWorkspace(), useHistory()];
  await workspace.setAsOf('2026-02-02');
  await history.undo();
  await history.redo();
  expect(changes.map(({ asOf: to, from }) => [from?.asOf, to])).toEqual([
    ['2026-01-01', '2026-02-02'],
    ['2026-02-02', '2026-01-01'],
    ['2026-01-01', '2026-02-02'],
  ]);
});

test('where another window was faster, its state is shown, the own one offered, and one undo goes back to the other one', async () => {
  const [workspace, history, notices] = [useWorkspace(), useHistory(), useNotices()];
  asOf = '2025-05-05';
  await workspace.setAsOf('2026-02-02');
  expect([workspace.asOf, asOf, notices.current?.text]).toEqual([
    '2025-05-05',
    '2025-05-05',
    'The workspace was changed in another window meanwhile. It is shown as it is now.',
  ]);
  expect(history.undoLabel).toBeNull();
  await notices.current!.offer!.take();
  expect([workspace.asOf, asOf]).toEqual(['2026-02-02', '2026-02-02']);
  await history.undo();
  expect([workspace.asOf, asOf]).toEqual(['2025-05-05', '2025-05-05']);
});

test('an undo of what another window has changed since stays where it is, and says why', async () => {
  const [workspace, history] = [useWorkspace(), useHistory()];
  await workspace.setAsOf('2026-02-02');
  asOf = '2025-05-05';
  await expect(history.undo()).rejects.toThrow('changed in another window');
  expect([asOf, history.undoLabel]).toEqual(['2025-05-05', 'as-of date']);
});
