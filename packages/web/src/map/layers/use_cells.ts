import { cellAt, cellsIn, fromMercator } from '@clean-sieve/core';
import type { Coordinate } from 'ol/coordinate.js';
import Feature from 'ol/Feature.js';
import VectorLayer from 'ol/layer/Vector.js';
import VectorSource from 'ol/source/Vector.js';
import { Fill, Stroke, Style, Text } from 'ol/style.js';
import { watch, type Ref } from 'vue';
import { MOST_CELLS, useMapShow } from '../../stores/map_show.ts';
import { shapeOnMap } from '../area_tools.ts';
import type { MapColours } from './map_colours.ts';

/** More cells than this have no names: they would not be read. */
const MOST_NAMED = 60;

/** The cells of a grid in view, and those that are picked. */
export function useCells(colours: Readonly<Ref<MapColours>>): { layer: VectorLayer; pickCell: (at: Coordinate) => void } {
  const show = useMapShow();
  const cells = new VectorSource<Feature>();

  const style = (feature: unknown) => {
    const { violet, rim } = colours.value;
    const picked = (feature as Feature).get('picked') === true;
    return new Style({
      fill: new Fill({ color: picked ? `${violet}3a` : 'transparent' }),
      stroke: new Stroke({ color: `${violet}${picked ? 'ff' : '80'}`, width: picked ? 2 : 1 }),
      text: new Text({
        text: String((feature as Feature).get('name')),
        font: "12px 'IBM Plex Mono', monospace",
        fill: new Fill({ color: violet }),
        stroke: new Stroke({ color: rim, width: 3 }),
      }),
    });
  };

  watch(
    () => [show.grid, show.view, show.cells] as const,
    ([grid, view, picked]) => {
      cells.clear();
      show.gridProblem = '';
      if (!grid) return;
      const found = cellsIn(grid, view, MOST_CELLS);
      if (!found) show.gridProblem = 'Too many cells to show here. Zoom in, or take larger ones.';
      else if (found.length === 0) show.gridProblem = 'This grid has no cells here.';
      const named = (found?.length ?? 0) <= MOST_NAMED;
      for (const { name, shape } of found ?? [])
        cells.addFeature(new Feature({ geometry: shapeOnMap(shape), name: named ? name : '', picked: picked.has(name) }));
      const shown = new Set((found ?? []).map(({ name }) => name));
      for (const [name, shape] of picked)
        if (!shown.has(name)) cells.addFeature(new Feature({ geometry: shapeOnMap(shape), name: '', picked: true }));
    },
  );

  function pickCell([x, y]: Coordinate): void {
    const [lon, lat] = fromMercator(x, y);
    const cell = show.grid && cellAt(show.grid, lon, lat);
    if (cell) show.toggleCell(cell.name, cell.shape);
  }
  return { layer: new VectorLayer({ source: cells, zIndex: 1, style, declutter: true }), pickCell };
}
