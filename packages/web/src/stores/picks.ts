import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import { useHistory } from './history.ts';
import { useWorkspace } from './workspace.ts';

type Rows = ReadonlySet<number>;
const NONE: Rows = new Set();

/** Features chosen by hand just now, of each source. They go when the application is closed or their source is exchanged. */
export const usePicks = defineStore('picks', () => {
  const workspace = useWorkspace();
  const history = useHistory();
  const bySource = shallowRef<ReadonlyMap<number, Rows>>(new Map());

  function of(sourceId: number): Rows {
    return bySource.value.get(sourceId) ?? NONE;
  }
  function put(sourceId: number, rows: Rows): void {
    bySource.value = new Map(bySource.value).set(sourceId, rows);
  }

  /** Those of the source on show. */
  const rows = computed(() => (workspace.activeSource ? of(workspace.activeSource.id) : NONE));

  /** Steps back and forth end where a source is exchanged. */
  const forgotten = new Map<number, number>();
  const times = (sourceId: number) => forgotten.get(sourceId) ?? 0;

  function change(label: string, make: (rows: Set<number>) => void): void {
    const source = workspace.activeSource;
    if (!source) return;
    const before = rows.value;
    const after = new Set(before);
    make(after);
    put(source.id, after);
    const then = times(source.id);
    const back = (state: Rows) => () => {
      if (times(source.id) === then) put(source.id, state);
    };
    history.record({ label, undo: back(before), redo: back(after) });
  }
  function toggle(row: number): void {
    change(rows.value.has(row) ? 'unpick a feature' : 'pick a feature', (set) => set.delete(row) || set.add(row));
  }
  function add(more: Iterable<number>): void {
    change('pick features', (set) => {
      for (const row of more) set.add(row);
    });
  }
  function clear(): void {
    change('clear the picks', (set) => set.clear());
  }
  /** Rows of another version are others. */
  function forget(sourceId: number): void {
    put(sourceId, NONE);
    forgotten.set(sourceId, times(sourceId) + 1);
  }

  return { rows, of, toggle, add, clear, forget };
});
