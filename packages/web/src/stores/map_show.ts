import { defineStore } from 'pinia';
import type { AreaShape, Grid } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import { reactive, ref, shallowRef } from 'vue';
import type { AreaTool } from '../map/area_tools.ts';

/** More cells of a grid than this are not shown at once. */
export const MOST_CELLS = 2500;

/** Asking features, picking cells of the grid, or drawing. */
export type MapTool = AreaTool | 'pick' | 'cells';

/** How the map shows things, and the tool in hand. */
export const useMapShow = defineStore('mapShow', () => {
  const tool = ref<MapTool>('pick');
  /** The condition whose area the next drawn one replaces. */
  const replaces = ref<string | null>(null);
  const sifted = ref(true);
  /** West, south, east, north of what the map shows, in degrees. */
  const view = shallowRef<[number, number, number, number]>([-180, -85, 180, 85]);
  /** An area that the map is asked to show; a new object each time. */
  const looked = shallowRef<{ shape: AreaShape } | null>(null);
  /** Sources that are not shown as context. */
  const hidden = reactive(new Set<number>());

  function useTool(next: MapTool, replacing: string | null = null): void {
    tool.value = next;
    replaces.value = replacing;
  }

  /** The grid over the map while cells are picked, why it cannot be shown here, and the cells picked by their names. */
  const grid = shallowRef<Grid | null>(null);
  const gridProblem = ref('');
  const cells = shallowRef<ReadonlyMap<string, Geometry>>(new Map());

  /** Another grid has other cells. */
  function setGrid(next: Grid | null): void {
    grid.value = next;
    clearCells();
  }

  function clearCells(): void {
    cells.value = new Map();
  }

  function toggleCell(name: string, shape: Geometry): void {
    const next = new Map(cells.value);
    if (!next.delete(name)) next.set(name, shape);
    cells.value = next;
  }

  function toggleSource(id: number): void {
    if (!hidden.delete(id)) hidden.add(id);
  }

  function look(shape: AreaShape): void {
    looked.value = { shape };
  }

  return {
    view,
    looked,
    look,
    grid,
    gridProblem,
    cells,
    setGrid,
    clearCells,
    toggleCell,
    tool,
    replaces,
    sifted,
    hidden,
    useTool,
    toggleSource,
  };
});
