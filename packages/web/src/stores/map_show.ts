import { defineStore } from 'pinia';
import type { AreaShape, Grid, PlaneName } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import { reactive, ref, shallowRef, watch } from 'vue';
import type { AreaTool } from '../map/area_tools.ts';

/** More cells of a grid than this are not shown at once. */
export const MOST_CELLS = 2500;

/** Asking features, picking cells of the grid, or drawing. */
export type MapTool = AreaTool | 'pick' | 'cells';

/** What is drawn below the features, beside the land. */
export interface Ground {
  waters: boolean;
  borders: boolean;
  names: boolean;
  graticule: boolean;
  /** Where web Mercator would mislead, the world and the poles are drawn on other planes. */
  fair: boolean;
}
const GROUND = 'clean-sieve-ground-drawn';
const FIRST_GROUND: Ground = { waters: true, borders: true, names: true, graticule: false, fair: true };
/** As this browser remembers it: the names of what is drawn. */
function storedGround(): Ground {
  const stored = localStorage.getItem(GROUND)?.split(' ');
  if (!stored) return { ...FIRST_GROUND };
  const isDrawn = (name: keyof Ground) => stored.includes(name);
  return {
    waters: isDrawn('waters'),
    borders: isDrawn('borders'),
    names: isDrawn('names'),
    graticule: isDrawn('graticule'),
    fair: isDrawn('fair'),
  };
}

/** How the map shows things, and the tool in hand. */
export const useMapShow = defineStore('mapShow', () => {
  const tool = ref<MapTool>('pick');
  /** The condition whose area the next drawn one replaces. */
  const replaces = ref<string | null>(null);
  /** What is drawn picks what lies in it, rather than becoming a condition. */
  const drawsPicks = ref(false);
  /** What is drawn below the features, beside the land; remembered by the browser. */
  const ground = reactive(storedGround());
  watch(ground, (now) =>
    localStorage.setItem(
      GROUND,
      Object.entries(now)
        .flatMap(([name, isDrawn]) => (isDrawn ? [name] : []))
        .join(' '),
    ),
  );
  /** How many labels are there, of how many features in view that have one. */
  const labelled = ref<[number, number]>([0, 0]);
  /** How many points lie on one spot of the map at most, where its colours tell that; 0 elsewhere. */
  const deepest = ref(0);
  const sifted = ref(true);
  /** What the map is drawn on just now. */
  const plane = ref<PlaneName>('mercator');
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
    drawsPicks,
    ground,
    sifted,
    plane,
    deepest,
    labelled,
    hidden,
    useTool,
    toggleSource,
  };
});
