import {
  emptyTree,
  numberOf,
  type Aggregates,
  type AggregationKind,
  type AggregationOf,
  type FeatureKey,
  type Group,
  type Selection,
} from '@clean-sieve/core';
import { computed, shallowRef, watch, type ComputedRef } from 'vue';
import { QUICK } from '../../api/aggregates_together.ts';
import { api } from '../../api/client.ts';
import { useNotices } from '../../stores/notices.ts';
import { usePicks } from '../../stores/picks.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** What is answered of the kept features, and of those picked by hand, told as kept ones are; null while it is not there. */
export interface ChartAnswer<K extends AggregationKind> {
  answer: ComputedRef<Aggregates[K] | null>;
  picked: ComputedRef<Aggregates[K] | null>;
  /** How many features were kept when it was answered. */
  kept: ComputedRef<number>;
}

/**
 * Asks for what a chart shows, anew with every condition and every pick; the answer before stays until then, but never that of
 * another question.
 * @param conditions of those of the sieve the ones that it is about
 */
export function useChartAnswer<K extends AggregationKind>(
  aggregation: ComputedRef<AggregationOf<K> | null>,
  conditions: (tree: Group) => Group = (tree) => tree,
): ChartAnswer<K> {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const notices = useNotices();
  const picks = usePicks();
  interface Answered {
    asked: string;
    about: string;
    /** The picks that it is about; null: what is kept. */
    keys: ReadonlySet<FeatureKey> | null;
    kept: number;
    answer: Aggregates[K];
  }
  const found = shallowRef<Answered | null>(null);
  const ofPicks = shallowRef<Answered | null>(null);
  const question = computed(() => JSON.stringify([workspace.activeSource?.id, aggregation.value]));
  /** In more or fewer bins it is still an answer to the same question. */
  const about = computed(() => JSON.stringify([workspace.activeSource?.id, { ...aggregation.value, bins: 0, most: 0 }]));

  /** How often each was asked for. */
  const turns = new Map<typeof found, number>();
  async function ask(target: typeof found, keys: ReadonlySet<FeatureKey> | null): Promise<void> {
    const [sourceId, asked, wanted] = [workspace.activeSource?.id, question.value, aggregation.value];
    if (sourceId === undefined || !wanted) return;
    const turn = (turns.get(target) ?? 0) + 1;
    turns.set(target, turn);
    try {
      const of = (selection: Selection) => (signal: AbortSignal) => api.aggregate(sourceId, selection, wanted, signal);
      const answer = await (keys
        ? sifting.besides(of({ tree: emptyTree(), among: [...keys] }))
        : QUICK.has(wanted.kind)
          ? sifting.alongside((tree, signal) => of({ tree: conditions(tree) })(signal))
          : sifting.besides(of({ tree: conditions(sifting.shownTree) })));
      // One that waits for other counts, as those of the sieve that was open before, is not the answer any more.
      if (answer === undefined || question.value !== asked || turns.get(target) !== turn) return;
      target.value = { asked, about: about.value, keys, kept: numberOf(sifting.keptHere) ?? 0, answer };
    } catch (error) {
      notices.complain(error);
    }
  }
  watch(question, () => void ask(found, null), { immediate: true });
  // At once, right behind the counts, before anything is drawn anew.
  const isQuick = () => aggregation.value !== null && QUICK.has(aggregation.value.kind);
  watch(
    () => sifting.begun,
    () => isQuick() && void ask(found, null),
    { flush: 'sync' },
  );
  watch(
    () => sifting.version,
    () => !isQuick() && void ask(found, null),
  );
  watch(
    [question, () => picks.keys, () => sifting.version],
    ([now, keys]) => {
      const last = ofPicks.value;
      // One that was given up for new counts is asked for again with those.
      if (keys.size > 0 && (last?.asked !== now || last.keys !== keys)) void ask(ofPicks, keys);
    },
    { immediate: true },
  );
  return {
    answer: computed(() => (found.value?.about === about.value ? found.value.answer : null)),
    // Side by side they are in the same bins.
    picked: computed(() => {
      const last = ofPicks.value;
      return last && last.keys === picks.keys && last.asked === found.value?.asked ? last.answer : null;
    }),
    kept: computed(() => found.value?.kept ?? 0),
  };
}
