import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';

/** A change that has been made and can be taken back. Both directions bring about a state, rather than a step. */
export interface Change {
  /** What was changed, for the button's tooltip: "Undo: …". */
  label: string;
  /** Changes in a row with the same key, close in time, are one: a dragged handle, typing in a field. */
  key?: string;
  undo: () => void | Promise<void>;
  redo: () => void | Promise<void>;
}

const MERGE_MILLIS = 1200;
const LONGEST = 200;

export const useHistory = defineStore('history', () => {
  const past = shallowRef<Change[]>([]);
  const future = shallowRef<Change[]>([]);
  const lastAt = ref(0);
  /** When the gesture under way began, such as a drag, which is one change however long it takes. */
  let gestureFrom = Infinity;

  function beginGesture(): void {
    gestureFrom = Date.now();
  }
  function endGesture(): void {
    gestureFrom = Infinity;
  }

  function record(change: Change): void {
    const previous = past.value[past.value.length - 1];
    const soon = lastAt.value >= gestureFrom || Date.now() - lastAt.value < MERGE_MILLIS;
    const merges = change.key !== undefined && previous?.key === change.key && soon;
    lastAt.value = Date.now();
    past.value = merges ? [...past.value.slice(0, -1), { ...change, undo: previous.undo }] : [...past.value, change].slice(-LONGEST);
    future.value = [];
  }

  /** Steps are made one after the other, each from the state that the one before has brought about. */
  let stepping: Promise<void> = Promise.resolve();
  function inTurn(step: () => Promise<void>): Promise<void> {
    const done = stepping.then(step);
    stepping = done.catch(() => undefined);
    return done;
  }

  /** Takes the last change back. Where that fails, it stays the last change. */
  function undo(): Promise<void> {
    return inTurn(async () => {
      const change = past.value[past.value.length - 1];
      if (!change) return;
      await change.undo();
      past.value = past.value.filter((other) => other !== change);
      future.value = [...future.value, change];
    });
  }

  function redo(): Promise<void> {
    return inTurn(async () => {
      const change = future.value[future.value.length - 1];
      if (!change) return;
      await change.redo();
      future.value = future.value.filter((other) => other !== change);
      past.value = [...past.value, change];
    });
  }

  const undoLabel = computed(() => past.value[past.value.length - 1]?.label ?? null);
  const redoLabel = computed(() => future.value[future.value.length - 1]?.label ?? null);
  return { record, beginGesture, endGesture, undo, redo, undoLabel, redoLabel };
});
