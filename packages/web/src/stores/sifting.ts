import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { areasIn, count, emptyTree, exprKey, exprOfTree, operandsIn, type Group } from '@clean-sieve/core';
import type { SiftHead, SourceInfo } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { hasAnswer, isSample, stateOf } from '../sources/state.ts';
import { useNotices } from './notices.ts';
import { useWorkspace } from './workspace.ts';

export interface SieveResult {
  head: SiftHead;
  mask: Uint32Array<ArrayBuffer>;
  tree: Group;
}

/** Milliseconds that what is shown beside counts and picture waits for the picture. */
const PICTURE_FIRST = 100;

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
  /**
   * Goes up by one whenever the active sieve has new results; what depends on the kept features watches it. Counts and
   * picture follow the results themselves: rows, charts and figures come after them, so that they do not compete.
   */
  const version = ref(0);
  /**
   * The question of the active sieve that is under way, and whether it was answered in the end. What is as quick as the counts is asked
   * with it (`alongside`), and goes up in `begun`.
   */
  const underWay = shallowRef<{ tree: Group; done: Promise<boolean> } | null>(null);
  const begun = ref(0);
  let besidesDue: ReturnType<typeof setTimeout> | undefined;
  function tellSoon(): void {
    besidesDue ??= setTimeout(tell, PICTURE_FIRST);
  }
  function tell(): void {
    clearTimeout(besidesDue);
    besidesDue = undefined;
    version.value++;
  }
  /** Nothing is asked that would tell of itself. */
  function tellNow(): void {
    tell();
    begun.value++;
  }
  /** The map shows what was kept last. */
  function pictured(): void {
    if (besidesDue !== undefined) tell();
  }

  let wanted = new AbortController();
  /**
   * Asks for what is shown beside the counts; once counts are asked for anew it is given up, as it comes after them.
   * @returns undefined where it was given up, or the source could not be asked, which stands with the source
   */
  async function besides<T>(ask: (signal: AbortSignal) => Promise<T>): Promise<T | undefined> {
    const { signal } = wanted;
    try {
      const answer = await ask(signal);
      return signal.aborted ? undefined : answer;
    } catch (error) {
      if (signal.aborted || (workspace.activeSource && !hasAnswer(workspace.activeSource))) return undefined;
      throw error;
    }
  }

  /**
   * Asks, beside the counts that are under way, for what is to be shown with them; once counts are asked for anew it is given up.
   * @param ask about the conditions that those counts are of
   * @returns undefined where it was given up, or there are no counts
   */
  async function alongside<T>(ask: (tree: Group, signal: AbortSignal) => Promise<T>): Promise<T | undefined> {
    const { tree, done } = underWay.value ?? { tree: shownTree.value, done: true };
    try {
      const answer = await besides((signal) => ask(tree, signal));
      // Never ahead of the counts.
      return (await done) ? answer : undefined;
    } catch (error) {
      // What is wrong with the conditions themselves is said once, with the counts.
      if (!(await done)) return undefined;
      throw error;
    }
  }

  async function sift(sieveId: number, sourceId: number, tree: Group): Promise<void> {
    const run = async () => {
      busy.value++;
      const isActive = sieveId === workspace.activeSieveId;
      if (isActive) {
        wanted.abort();
        wanted = new AbortController();
      }
      let settle = (_answered: boolean): void => undefined;
      const question = { tree, done: new Promise<boolean>((resolve) => (settle = resolve)) };
      try {
        // The server knows other sieves as they are saved.
        if (operandsIn(exprOfTree(tree) ?? true).some(({ op }) => op === 'SIEVE')) await workspace.save();
        // By identity: another window may call an area something else at this moment.
        const answer = api.sift(sourceId, { tree: workspace.byIdentity({ tree }).tree });
        if (isActive) {
          underWay.value = question;
          begun.value++;
        }
        const { head, mask } = await answer;
        results.value = new Map(results.value).set(sieveId, { head, mask, tree });
        errors.value.delete(sieveId);
        settle(true);
        if (sieveId === workspace.activeSieveId) tellSoon();
        // It has been opened meanwhile.
        if (sieveId === workspace.activeSieveId && !isActive) begun.value++;
      } catch (error) {
        errors.value.set(sieveId, (error as Error).message);
        const others = new Map(results.value);
        others.delete(sieveId);
        results.value = others;
        // Of what could not be asked it stands with the source.
        if (workspace.sources.some((source) => source.id === sourceId && hasAnswer(source))) notices.complain(error);
      } finally {
        busy.value--;
        settle(false);
        if (underWay.value === question) underWay.value = null;
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
    const others = operandsIn(expr).map(({ op, args: [name] }) => {
      const sieve = op === 'SIEVE' ? workspace.sieveOfName(name) : undefined;
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
    if (activeSieveId !== null && !activeAsked) tellNow();
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
    tellNow();
  }

  const active = computed(() => (workspace.activeSieveId === null ? null : (results.value.get(workspace.activeSieveId) ?? null)));
  /** Features kept by the active sieve, or all of the active source; null while not known yet. */
  const kept = computed(() => (workspace.activeSieveId === null ? allOf(workspace.activeSource) : (active.value?.head.kept ?? null)));
  /** The same of those that are here: where only a sample is held, fewer. */
  const keptHere = computed(() => {
    const source = workspace.activeSource;
    if (!source || !isSample(source) || !hasAnswer(source)) return kept.value;
    return workspace.activeSieveId === null ? source.held : active.value && count(active.value.mask);
  });
  /** The tree whose results are on show, so that table and card never ask about conditions that the map has not caught up with. */
  const shownTree = computed<Group>(() => active.value?.tree ?? emptyTree());

  return { results, errors, active, kept, keptHere, version, begun, busy, shownTree, besides, alongside, pictured, refresh };
});

const allOf = (source: SourceInfo | null) => (source && hasAnswer(source) ? source.rows : null);
const idle = async (): Promise<void> => {};
