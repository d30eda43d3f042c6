import { exprOfTree, operandsIn, type Expr, type NearTold } from '@clean-sieve/core';
import { defineStore } from 'pinia';
import { computed, watch } from 'vue';
import { api } from '../api/client.ts';
import { isSample } from '../sources/state.ts';
import { useJobs } from './jobs.ts';
import { useSifting } from './sifting.ts';
import { useWorkspace } from './workspace.ts';

/** Milliseconds after which a sieve that waits is looked after, and from then on. */
const LOOK = 500;

/**
 * Where a sieve is about a source of which a sample is held, what of that is near is asked for first: that stands among the jobs, where
 * it can be cancelled.
 */
export const useNearAsks = defineStore('near asks', () => {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const jobs = useJobs();
  const waits = computed(() => sifting.busy > 0 && workspace.sources.some(isSample));
  let looking: ReturnType<typeof setTimeout> | undefined;

  async function look(): Promise<void> {
    try {
      const others = (await api.asks()).asks.filter((job) => !jobs.jobs.some(({ id }) => id === job.id));
      // What went wrong stands in the stack.
      for (const job of others) void jobs.follow(job).then(({ id }) => jobs.dismiss(id));
    } catch {
      // Whoever waits for the answer is told.
    }
    if (waits.value) looking = setTimeout(() => void look(), LOOK);
  }
  watch(
    waits,
    (now) => {
      clearTimeout(looking);
      if (now) looking = setTimeout(() => void look(), LOOK);
    },
    { immediate: true },
  );

  const namesIn = (expr: Expr) => operandsIn(expr).map(({ op, args: [name] }) => `${op} ${name}`);
  /** What was asked for of what a condition names, as far as it is near. */
  function toldOf(expr: Expr): NearTold | null {
    const names = namesIn(expr);
    return sifting.active?.head.near.find(({ called }) => names.includes(called)) ?? null;
  }
  /** Whether the open sieve may be about such a source, if only by what the sieves that it names are about. */
  const isAsked = computed(() => workspace.sources.some(isSample) && namesIn(exprOfTree(workspace.activeTree) ?? true).length > 0);

  async function again(): Promise<void> {
    await api.askAgain();
    sifting.refresh();
  }
  return { isAsked, toldOf, again };
});
