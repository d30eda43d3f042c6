import type { FeatureKey } from '@clean-sieve/core';
import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import { useHistory } from './history.ts';
import { useWorkspace } from './workspace.ts';

type Keys = ReadonlySet<FeatureKey>;
const NONE: Keys = new Set();

/** Features chosen by hand just now, of each source. They go when the application is closed or their source is exchanged. */
export const usePicks = defineStore('picks', () => {
  const workspace = useWorkspace();
  const history = useHistory();
  const bySource = shallowRef<ReadonlyMap<number, Keys>>(new Map());

  function of(sourceId: number): Keys {
    return bySource.value.get(sourceId) ?? NONE;
  }
  function put(sourceId: number, keys: Keys): void {
    bySource.value = new Map(bySource.value).set(sourceId, keys);
  }

  /** Those of the source on show. */
  const keys = computed(() => (workspace.activeSource ? of(workspace.activeSource.id) : NONE));

  /** Steps back and forth end where a source is exchanged. */
  const forgotten = new Map<number, number>();
  const times = (sourceId: number) => forgotten.get(sourceId) ?? 0;

  function change(label: string, make: (keys: Set<FeatureKey>) => void): void {
    const source = workspace.activeSource;
    if (!source) return;
    const before = keys.value;
    const after = new Set(before);
    make(after);
    put(source.id, after);
    const then = times(source.id);
    const back = (state: Keys) => () => {
      if (times(source.id) === then) put(source.id, state);
    };
    history.record({ label, undo: back(before), redo: back(after) });
  }
  function toggle(key: FeatureKey): void {
    change(keys.value.has(key) ? 'unpick a feature' : 'pick a feature', (set) => set.delete(key) || set.add(key));
  }
  function add(more: Iterable<FeatureKey>): void {
    change('pick features', (set) => {
      for (const key of more) set.add(key);
    });
  }
  function clear(): void {
    change('clear the picks', (set) => set.clear());
  }
  /** Features of another version are others. */
  function forget(sourceId: number): void {
    put(sourceId, NONE);
    forgotten.set(sourceId, times(sourceId) + 1);
  }

  return { keys, of, toggle, add, clear, forget };
});
