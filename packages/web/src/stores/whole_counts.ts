import type { DecidedBy } from '@clean-sieve/core';
import type { SiftHead } from '@clean-sieve/server/api';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { resultOf } from '../api/job_result.ts';
import { isSample } from '../sources/state.ts';
import { useSifting, type SieveResult } from './sifting.ts';
import { useWorkspace } from './workspace.ts';

/** Milliseconds that the conditions rest before all that a sample is of is counted. */
const REST = 350;

type State = 'counting' | 'counted' | 'cannot' | 'stopped' | 'failed';

/** The numbers of the open sieve over all that its source holds only a sample of: they take the place of the estimated ones. */
export const useWholeCounts = defineStore('whole counts', () => {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const state = ref<State | null>(null);
  /** How far it is, or why there are none, in words. */
  const words = ref('');
  /** The numbers that were counted, with where each condition was decided: the sieve that was open before can be opened again. */
  const counted = new WeakMap<SiftHead, Record<string, DecidedBy>>();
  /** Of the conditions of the open sieve, by their id, where they were decided, once they were counted. */
  const decided = computed(() => (sifting.active && counted.get(sifting.active.head)) ?? {});
  let under: AbortController | null = null;
  let resting: ReturnType<typeof setTimeout> | undefined;
  const source = computed(() => {
    const active = workspace.activeSource;
    return active && isSample(active) ? active : null;
  });

  function stop(): void {
    end();
    state.value = 'stopped';
  }
  function end(): void {
    clearTimeout(resting);
    under?.abort();
    under = null;
  }

  async function count(sieveId: number, sourceId: number, result: SieveResult): Promise<void> {
    const own = (under = new AbortController());
    const { signal } = own;
    [state.value, words.value] = ['counting', ''];
    try {
      const started = await api.countWhole(sourceId, workspace.byIdentity({ tree: result.tree }).tree);
      const { counts } = await resultOf(started, signal, (progress) => {
        if (progress !== started.progress) words.value = progress;
      });
      if (signal.aborted || sifting.results.get(sieveId) !== result) return;
      state.value = counts ? 'counted' : 'cannot';
      if (!counts) return;
      const { decided: by, total, kept, unknown, without = result.head.without, nearMisses = result.head.nearMisses } = counts;
      const rows = result.head.rows.map((row) => ({ ...row, ...counts.rows.find(({ id }) => id === row.id) }));
      const head = { ...result.head, total, kept, unknown, rows, without, nearMisses };
      counted.set(head, by);
      sifting.results = new Map(sifting.results).set(sieveId, { ...result, head });
    } catch (error) {
      if (!signal.aborted) [state.value, words.value] = ['failed', (error as Error).message];
    } finally {
      if (under === own) under = null;
    }
  }

  const asked = shallowRef<SieveResult | null>(null);
  watch(
    () => [source.value?.id, sifting.active] as const,
    ([sourceId, result]) => {
      if (result && counted.has(result.head)) {
        state.value = 'counted';
        return;
      }
      if (result && asked.value === result && state.value !== null) return;
      end();
      [state.value, asked.value] = [null, result];
      const sieveId = workspace.activeSieveId;
      if (sourceId === undefined || !result || sieveId === null) return;
      state.value = 'counting';
      resting = setTimeout(() => void count(sieveId, sourceId, result), REST);
    },
    { immediate: true },
  );
  function again(): void {
    const [sieveId, result] = [workspace.activeSieveId, sifting.active];
    if (source.value && sieveId !== null && result) void count(sieveId, source.value.id, result);
  }

  return { state, words, decided, stop, again };
});
