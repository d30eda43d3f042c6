import type { Group, FeatureKey } from '@clean-sieve/core';
import type { SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';

/** What the hand-over screen begins with, where that is not what is on show. */
export interface HandOverWish {
  source: SourceInfo;
  sieve: SieveInfo | null;
  tree: Group;
  name: string;
  picks: FeatureKey[];
  /** How they came to be picked, as in "those picked by hand"; null for that. */
  pickedAs: string | null;
}

/** Whether the hand-over screen is open, and with what. */
export const useExports = defineStore('hand over', () => {
  const open = ref(false);
  const wish = shallowRef<HandOverWish | null>(null);

  function show(asked: HandOverWish | null = null): void {
    wish.value = asked;
    open.value = true;
  }

  return { open, wish, show };
});
