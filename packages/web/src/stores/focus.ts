import { defineStore } from 'pinia';
import { ref, shallowRef, watch } from 'vue';
import type { FeatureAnswer, Selection, ThereAnswer } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { useNotices } from './notices.ts';
import { useSifting } from './sifting.ts';
import { useWorkspace } from './workspace.ts';

/** What the eye is on: the feature with its card, the one under the pointer, the condition being edited, near misses. */
export const useFocus = defineStore('focus', () => {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const notices = useNotices();
  /** Row of the feature whose card is open. */
  const row = ref<number | null>(null);
  const card = shallowRef<FeatureAnswer | null>(null);
  const hovered = ref<number | null>(null);
  /** All features at the place of the map where the one with the card was found. */
  const there = shallowRef<ThereAnswer | null>(null);
  const editing = ref<string | null>(null);
  /** The condition whose near misses are shown instead of the kept features. */
  const nearMissesOf = ref<string | null>(null);
  /** The condition that the text cursor stands in. */
  const inText = ref<string | null>(null);
  /** The row of the stack under the pointer or with the keyboard focus. */
  const pointed = ref<string | null>(null);
  /** What the numbers at the rows of the stack tell: what is left there, kept by it alone, kept without it. */
  const numbers = ref<'left' | 'alone' | 'without'>('left');
  /** Asks the map to show a row; the number makes a repeated wish a new one. */
  const wish = shallowRef<{ row: number } | null>(null);

  function selection(): Selection {
    return { tree: sifting.shownTree, ...(nearMissesOf.value === null ? {} : { nearMissesOf: nearMissesOf.value }) };
  }

  async function refresh(): Promise<void> {
    const source = workspace.activeSource;
    const asked = row.value;
    if (!source || asked === null) {
      card.value = null;
      return;
    }
    try {
      const answer = await sifting.besides((signal) => api.why(source.id, sifting.shownTree, asked, signal));
      if (answer && row.value === asked) card.value = answer;
    } catch (error) {
      notices.complain(error);
    }
  }

  /** @param found the features at the place where it was found */
  function show(feature: number | null, bringIntoView = false, found: ThereAnswer | null = null): void {
    row.value = feature;
    there.value = found;
    if (feature !== null && bringIntoView) wish.value = { row: feature };
  }

  /** Another feature at the same place of the map. */
  function step(by: 1 | -1): void {
    const rows = there.value?.features.map((one) => one.row) ?? [];
    const at = rows.indexOf(row.value ?? -1);
    if (at >= 0) row.value = rows[(at + by + rows.length) % rows.length];
  }

  watch([row, () => sifting.version], () => void refresh());
  watch(
    () => workspace.activeSource?.id,
    () => {
      show(null);
      hovered.value = null;
    },
  );
  watch(
    () => workspace.activeSieveId,
    () => {
      nearMissesOf.value = null;
      editing.value = null;
    },
  );

  return { row, there, step, card, hovered, editing, nearMissesOf, inText, pointed, numbers, wish, selection, show };
});
