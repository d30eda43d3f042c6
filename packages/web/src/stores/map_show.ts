import { defineStore } from 'pinia';
import type { AreaShape } from '@clean-sieve/core';
import { reactive, ref, shallowRef } from 'vue';
import type { AreaTool } from '../map/area_tools.ts';

/** How the map shows things, and the tool in hand. */
export const useMapShow = defineStore('mapShow', () => {
  const tool = ref<AreaTool | 'pick'>('pick');
  /** The condition whose area the next drawn one replaces. */
  const replaces = ref<string | null>(null);
  const sifted = ref(true);
  /** West, south, east, north of what the map shows, in degrees. */
  const view = shallowRef<[number, number, number, number]>([-180, -85, 180, 85]);
  /** An area that the map is asked to show; a new object each time. */
  const looked = shallowRef<{ shape: AreaShape } | null>(null);
  /** Sources that are not shown as context. */
  const hidden = reactive(new Set<number>());

  function useTool(next: AreaTool | 'pick', replacing: string | null = null): void {
    tool.value = next;
    replaces.value = replacing;
  }

  function toggleSource(id: number): void {
    if (!hidden.delete(id)) hidden.add(id);
  }

  function look(shape: AreaShape): void {
    looked.value = { shape };
  }

  return { view, looked, look, tool, replaces, sifted, hidden, useTool, toggleSource };
});
