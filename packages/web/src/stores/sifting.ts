import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { areasIn, emptyTree, exprKey, exprOfTree, layersNamedIn, type Group } from '@clean-sieve/core';
import type { SiftHead } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { stateOf } from '../sources/state.ts';
import { useNotices } from './notices.ts';
import { useWorkspace } from './workspace.ts';

export interface SieveResult {
  head: SiftHead;
  mask: Uint32Array<ArrayBuffer>;
  tree: Group;
}

/**
 * Numbers and masks of the sieves. A changed sieve is sifted again at once; while one question is under way only the
 * latest of the following ones is kept, so that a dragged handle never queues up.
 */
export const useSifting = defineStore('sifting', () => {
  const workspace = useWorkspace();
  const notices = useNotices();
  const results = shallowRef(new Map<number, SieveResult>());
  const errors = ref(new Map<number, string>());
  const asked = new Map<number, string>();
  const waiting = new Map<number, () => Promise<void>>();
  const busy = ref(0);
  /** Goes up by one whenever the active sieve has new results; what depends on the kept features watches it. */
  const version = ref(0);

  let wanted = new AbortController();
  /**
   * Asks for what is shown beside the counts; once counts are asked for anew it is given up, as it comes after them.
   * @returns undefined where it was given up
   */
  async function besides<T>(ask: (signal: AbortSignal) => Promise<T>): Promise<T | undefined> {
    const { signal } = wanted;
    try {
      const answer = await ask(signal);
      return signal.aborted ? undefined : answer;
    } catch (error) {
      if (signal.aborted) return undefined;
      throw error;
    }
  }

  async function sift(sieveId: number, sourceId: number, tree: Group): Promise<void> {
    const run = async () => {
      busy.value++;
      if (sieveId === workspace.activeSieveId) {
        wanted.abort();
        wanted = new AbortController();
      }
      try {
        // The server knows other sieves as they are saved.
        if (layersNamedIn(exprOfTree(tree) ?? true).some(({ op }) => op === 'SIEVE')) await workspace.save();
        const { head, mask } = await api.sift(sourceId, { tree });
        results.value = new Map(results.value).set(sieveId, { head, mask, tree });
        errors.value.delete(sieveId);
        if (sieveId === workspace.activeSieveId) version.value++;
      } catch (error) {
        errors.value.set(sieveId, (error as Error).message);
        const others = new Map(results.value);
        others.delete(sieveId);
        results.value = others;
        notices.complain(error);
      } finally {
        busy.value--;
      }
    };
    const turn = waiting.has(sieveId);
    waiting.set(sieveId, run);
    if (turn) return;
    let next: (() => Promise<void>) | undefined;
    while ((next = waiting.get(sieveId)) !== undefined && next !== idle) {
      waiting.set(sieveId, idle);
      await next();
    }
    waiting.delete(sieveId);
  }

  /** Another window can put other features into a source too. */
  const stateOfSource = (id: number | undefined) => {
    const source = workspace.sources.find((one) => one.id === id);
    return source && stateOf(source);
  };

  /** What a tree's result depends on beside itself: the areas and the other sieves that it names, and theirs. */
  function basisOf(tree: Group, seen: Set<number>): string {
    const expr = exprOfTree(tree) ?? true;
    const named = areasIn(expr).map((name) => workspace.areaShapes.get(name));
    const others = layersNamedIn(expr).map(({ op, args: [name] }) => {
      const sieve = op === 'SIEVE' ? workspace.sieves.find((one) => one.name === name) : undefined;
      if (!sieve) return [name, stateOfSource(workspace.sources.find((one) => one.name === name)?.id)];
      if (seen.has(sieve.id)) return name;
      return [stateOfSource(sieve.sourceId), sieve.sourceId, sieve.tree, basisOf(sieve.tree, new Set([...seen, sieve.id]))];
    });
    return exprKey([named, others]);
  }

  function siftChanged(): void {
    const { sieves, asOfDay, activeSieveId } = workspace;
    let activeAsked = false;
    for (const sieve of sieves) {
      const key = `${stateOfSource(sieve.sourceId)}|${asOfDay}|${exprKey(sieve.tree)}|${basisOf(sieve.tree, new Set([sieve.id]))}`;
      if (asked.get(sieve.id) === key) continue;
      asked.set(sieve.id, key);
      activeAsked ||= sieve.id === activeSieveId;
      void sift(sieve.id, sieve.sourceId, sieve.tree);
    }
    const known = new Set(sieves.map((sieve) => sieve.id));
    for (const id of asked.keys()) if (!known.has(id)) asked.delete(id);
    // What is asked now tells of its results itself; another sieve's are there already.
    if (activeSieveId !== null && !activeAsked) version.value++;
  }
  watch(
    () => [workspace.sieves, workspace.asOfDay, workspace.activeSieveId, workspace.areaShapes, workspace.sources.map(stateOf).join()],
    siftChanged,
    { immediate: true },
  );

  /** The features of a source have changed: everything is sifted again. */
  function refresh(): void {
    asked.clear();
    siftChanged();
    version.value++;
  }

  const active = computed(() => (workspace.activeSieveId === null ? null : (results.value.get(workspace.activeSieveId) ?? null)));
  /** Features kept by the active sieve, or all of the active source; null while not known yet. */
  const kept = computed(() =>
    workspace.activeSieveId === null ? (workspace.activeSource?.rows ?? null) : (active.value?.head.kept ?? null),
  );
  /** The tree whose results are on show, so that table and card never ask about conditions that the map has not caught up with. */
  const shownTree = computed<Group>(() => active.value?.tree ?? emptyTree());

  return { results, errors, active, kept, version, busy, shownTree, besides, refresh };
});

const idle = async (): Promise<void> => {};
