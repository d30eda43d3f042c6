import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { emptyTree, type Explained, type FeatureKey, type Selection } from '@clean-sieve/core';
import { api } from '../api/client.ts';
import type { LyingThere } from '../map/use_there.ts';
import { useNotices } from './notices.ts';
import { useSifting } from './sifting.ts';
import { useWorkspace } from './workspace.ts';
import type { SideNumbers } from '../stack/side_number.ts';

/** What the eye is on: the feature with its card, the one under the pointer, the condition being edited, near misses. */
export const useFocus = defineStore('focus', () => {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const notices = useNotices();
  /** The feature whose card is open, of any source that is drawn. */
  const at = shallowRef<{ sourceId: number; key: FeatureKey } | null>(null);
  const card = shallowRef<(Explained & { sourceId: number }) | null>(null);
  /** It, where it is one of the active source. */
  const key = computed(() => (at.value && at.value.sourceId === workspace.activeSource?.id ? at.value.key : null));
  const hovered = ref<FeatureKey | null>(null);
  /** All features at the place of the map where the one with the card was found. */
  const there = shallowRef<LyingThere | null>(null);
  const editing = ref<string | null>(null);
  /** The condition whose near misses are shown instead of the kept features. */
  const nearMissesOf = ref<string | null>(null);
  /** The condition that the text cursor stands in. */
  const inText = ref<string | null>(null);
  /** The row of the stack under the pointer or with the keyboard focus. */
  const pointed = ref<string | null>(null);
  const numbers = ref<SideNumbers>('left');
  /** Asks the map to show a feature, as large as it is or where it is; a repeated wish is a new one. */
  const wish = shallowRef<{ sourceId: number; key: FeatureKey; closely: boolean } | null>(null);

  function selection(): Selection {
    return { tree: sifting.shownTree, ...(nearMissesOf.value === null ? {} : { nearMissesOf: nearMissesOf.value }) };
  }

  async function refresh(): Promise<void> {
    const asked = at.value;
    if (!asked) {
      card.value = null;
      return;
    }
    const { sourceId } = asked;
    const tree = sourceId === workspace.activeSource?.id ? sifting.shownTree : emptyTree();
    try {
      const answer = await sifting.besides((signal) => api.explain(sourceId, tree, asked.key, signal));
      if (answer && at.value === asked) card.value = { ...answer, sourceId };
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Opens the card of a feature of the active source, or closes it. */
  function show(feature: FeatureKey | null, bringIntoView = false): void {
    const sourceId = workspace.activeSource?.id;
    at.value = feature === null || sourceId === undefined ? null : { sourceId, key: feature };
    there.value = null;
    if (at.value && bringIntoView) wish.value = { ...at.value, closely: false };
  }

  /** Opens the card of the first feature at a place; where there is none it is closed. */
  function showThere(found: LyingThere): void {
    at.value = found.features[0] ?? null;
    there.value = found;
  }

  /** Shows the feature with the card on the map as large as it fits. */
  function zoomTo(): void {
    if (at.value) wish.value = { ...at.value, closely: true };
  }

  /** Which of the features at the same place of the map has the card; -1 for none. */
  const place = computed(() =>
    (there.value?.features ?? []).findIndex(({ sourceId, key: one }) => sourceId === at.value?.sourceId && one === at.value.key),
  );
  /** The card of another feature at the same place of the map. @param to its number there, which comes round */
  function turnTo(to: number): void {
    const { features } = there.value ?? { features: [] };
    if (features.length > 0) at.value = features[(to + features.length) % features.length];
  }

  watch([at, () => sifting.version], () => void refresh());
  watch(
    () => workspace.activeSource?.id,
    (id) => {
      hovered.value = null;
      // Its source may have become the active one.
      if (at.value?.sourceId === id) void refresh();
      else show(null);
    },
  );
  watch(
    () => workspace.activeSieveId,
    () => {
      nearMissesOf.value = null;
      editing.value = null;
    },
  );

  return {
    at,
    key,
    there,
    place,
    turnTo,
    showThere,
    zoomTo,
    card,
    hovered,
    editing,
    nearMissesOf,
    inText,
    pointed,
    numbers,
    wish,
    selection,
    show,
  };
});
