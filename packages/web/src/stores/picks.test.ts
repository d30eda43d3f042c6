import type { FeatureKey } from '@clean-sieve/core';
import type { SourceInfo } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { useHistory } from './history.ts';
import { usePicks } from './picks.ts';
import { useWorkspace } from './workspace.ts';

beforeEach(() => setActivePinia(createPinia()));

function opened() {
  const workspace = useWorkspace();
  const source = (id: number) => ({ id, name: `s${id}`, role: 'layer', rows: 10, columns: [] }) as unknown as SourceInfo;
  workspace.sources = [source(1), source(2)];
  workspace.openSource(1);
  return { workspace, picks: usePicks(), history: useHistory() };
}
const sorted = (keys: ReadonlySet<FeatureKey>) => [...keys].sort();

test('picks are taken and given back one by one and together, each step undone by itself', async () => {
  const { picks, history } = opened();
  picks.toggle(3);
  picks.add([1, 2, 3]);
  expect(sorted(picks.keys)).toEqual([1, 2, 3]);
  picks.toggle(2);
  expect([sorted(picks.keys), history.undoLabel]).toEqual([[1, 3], 'unpick a feature']);
  await history.undo();
  await history.undo();
  expect(sorted(picks.keys)).toEqual([3]);
  await history.redo();
  picks.clear();
  expect(picks.keys.size).toBe(0);
  await history.undo();
  expect(sorted(picks.keys)).toEqual([1, 2, 3]);
});

test('each source has its own; undo reaches the source that was picked from', async () => {
  const { workspace, picks, history } = opened();
  picks.toggle(5);
  workspace.openSource(2);
  expect(picks.keys.size).toBe(0);
  picks.toggle(7);
  workspace.openSource(1);
  expect(sorted(picks.keys)).toEqual([5]);
  await history.undo();
  expect([picks.of(1).size, picks.of(2).size]).toEqual([1, 0]);
  // Rows of another version are others, so nothing brings the picks of the one before back.
  picks.forget(1);
  await history.undo();
  await history.redo();
  expect(picks.keys.size).toBe(0);
  picks.toggle(2);
  await history.undo();
  await history.redo();
  expect(sorted(picks.keys)).toEqual([2]);
});
