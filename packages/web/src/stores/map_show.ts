import { defineStore } from 'pinia';
import { reactive, ref } from 'vue';
import type { AreaTool } from '../map/area_tools.ts';

/** How the map shows things, and the tool in hand. */
export const useMapShow = defineStore('mapShow', () => {
  const tool = ref<AreaTool | 'pick'>('pick');
  /** The condition whose area the next drawn one replaces. */
  const replaces = ref<string | null>(null);
  const sifted = ref(true);
  /** Sources that are not shown as context. */
  const hidden = reactive(new Set<number>());

  function useTool(next: AreaTool | 'pick', replacing: string | null = null): void {
    tool.value = next;
    replaces.value = replacing;
  }

  function toggleSource(id: number): void {
    if (!hidden.delete(id)) hidden.add(id);
  }

  return { tool, replaces, sifted, hidden, useTool, toggleSource };
});
