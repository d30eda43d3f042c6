<script setup lang="ts">
import { coordinateInWords, emptyTree, fromMercator } from '@clean-sieve/core';
import { defaults as defaultControls, ScaleLine } from 'ol/control.js';
import { defaults as defaultInteractions } from 'ol/interaction/defaults.js';
import OlMap from 'ol/Map.js';
import View from 'ol/View.js';
import { onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { latest } from '../api/latest.ts';
import { useFocus } from '../stores/focus.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { AREA_HELP } from './area_tools.ts';
import FeatureCard from './FeatureCard.vue';
import GridPanel from './GridPanel.vue';
import { useMapColours } from './layers/map_colours.ts';
import { useCells } from './layers/use_cells.ts';
import { useConditionShapes } from './layers/use_condition_shapes.ts';
import { useFeatures } from './layers/use_features.ts';
import { useMarks } from './layers/use_marks.ts';
import { onMap } from './on_map.ts';
import SentenceStrip from './SentenceStrip.vue';
import MapTools from './tools/MapTools.vue';
import { useDrawing } from './tools/use_drawing.ts';
import ViewTools from './tools/ViewTools.vue';
import { worldLayer } from './world.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const notices = useNotices();
const picks = usePicks();
const show = useMapShow();

const target = ref<HTMLElement>();
const pointer = ref('');
const map = shallowRef<OlMap | null>(null);

const colours = useMapColours();
const world = worldLayer(() => colours.value);
watch(colours, () => world.changed());
const features = useFeatures(colours);
const cells = useCells(colours);
const shapes = useConditionShapes(map, colours);
const { typed, measure, ...drawing } = useDrawing(map, shapes.style, shapes.placed);
const marks = useMarks(map, colours);

onMounted(() => {
  const made = new OlMap({
    target: target.value,
    controls: defaultControls({ zoom: false, rotate: false, attribution: false }).extend([new ScaleLine({ minWidth: 90 })]),
    interactions: defaultInteractions({ altShiftDragRotate: false, pinchRotate: false, doubleClickZoom: false }),
    layers: [world, features, cells.layer, shapes.layer, drawing.layer, marks],
    view: new View({ center: [0, 3_000_000], zoom: 2, maxZoom: 22, enableRotation: false }),
  });
  made.on('pointermove', ({ coordinate }) => {
    drawing.pointAt(coordinate);
    const [lon, lat] = fromMercator(coordinate[0], coordinate[1]);
    pointer.value = coordinateInWords(((((lon + 180) % 360) + 360) % 360) - 180, lat);
  });
  made.on('moveend', () => {
    const [west, south, east, north] = made.getView().calculateExtent(made.getSize());
    show.view = [...fromMercator(west, south), ...fromMercator(east, north)] as typeof show.view;
  });
  made.on('singleclick', ({ coordinate, originalEvent }) => {
    // A click that ended a drawing asks nothing of what lies there; this event comes a moment after it.
    if (drawing.endedBy(originalEvent.timeStamp)) return;
    if (show.tool === 'cells') cells.pickCell(coordinate);
    else pick(coordinate, originalEvent as MouseEvent).catch(notices.complain);
  });
  map.value = made;
  void fit();
});
onBeforeUnmount(() => map.value?.setTarget(undefined));

/** The source that the view was last fitted to. */
let fitted: number | null = null;
/** What the active source's features take up, or those kept of them. */
async function fit(onlyKept = false): Promise<void> {
  const source = workspace.activeSource;
  if (!source) return;
  const tree = onlyKept ? sifting.shownTree : emptyTree();
  const { extent } = onlyKept ? await api.extent(source.id, tree) : source;
  if (!extent || workspace.activeSource?.id !== source.id) return;
  map.value?.getView().fit(onMap(extent), { padding: [56, 40, 44, 40], maxZoom: 19, duration: onlyKept ? 250 : 0 });
}
watch(
  () => workspace.activeSource?.id ?? null,
  (id) => {
    const source = workspace.activeSource;
    if (id === null || !source || fitted === id) return;
    const first = fitted === null;
    fitted = id;
    // Going from one source to its neighbour keeps the view if both are in it.
    const box = source.extent && onMap(source.extent);
    const seen = map.value?.getView().calculateExtent();
    if (first || !box || !seen || box[0] < seen[0] || box[1] < seen[1] || box[2] > seen[2] || box[3] > seen[3]) void fit();
  },
  { immediate: true, flush: 'post' },
);

const asking = latest();
/** Asks the feature there, or with a key held down picks it by hand. */
async function pick([x, y]: number[], { ctrlKey, metaKey, shiftKey }: MouseEvent): Promise<void> {
  const source = workspace.activeSource;
  if (show.tool !== 'pick' || !source || !map.value) return;
  const reach = 7 * map.value.getView().getResolution()!;
  const found = await asking((signal) => api.there(source.id, { ...focus.selection(), x, y, reach }, signal));
  if (!found || workspace.activeSource?.id !== source.id) return;
  const row = found.features[0]?.row ?? null;
  if (!(ctrlKey || metaKey || shiftKey)) focus.show(row, false, found);
  else if (row !== null) picks.toggle(row);
}

function zoom(step: number): void {
  const view = map.value?.getView();
  view?.animate({ zoom: (view.getZoom() ?? 2) + step, duration: 150 });
}
</script>

<template>
  <section class="map-view" aria-label="Map">
    <SentenceStrip />
    <div class="canvas" :style="{ background: colours.sea }" :class="{ drawing: show.tool !== 'pick' }">
      <div ref="target" class="target" data-test="map" tabindex="0" aria-label="Map of the features" />
      <MapTools class="on-map top" />
      <GridPanel v-if="show.tool === 'cells'" />
      <div v-else-if="show.tool !== 'pick'" class="help" role="status">
        {{ AREA_HELP[show.tool] }}<b v-if="typed" data-test="typed"> · {{ typed }} m, Enter</b><b v-else-if="measure"> · {{ measure }}</b>
      </div>
      <ViewTools class="on-map side" @fit="fit(true).catch(notices.complain)" @zoom="zoom" />
      <FeatureCard />
      <div class="pointer mono" aria-hidden="true">{{ pointer }}</div>
    </div>
  </section>
</template>

<style scoped>
.map-view {
  display: flex;
  flex-direction: column;
  min-height: 0;
  min-width: 0;
}
.canvas {
  position: relative;
  flex: 1;
  min-height: 0;
}
.target {
  position: absolute;
  inset: 0;
}
.drawing .target {
  cursor: crosshair;
}
.on-map {
  position: absolute;
  left: 12px;
  padding: 3px;
  border-radius: 22px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
}
.on-map.top {
  top: 12px;
}
.on-map.side {
  bottom: 40px;
}
.help {
  position: absolute;
  left: 12px;
  top: 62px;
  padding: 5px 12px;
  border-radius: 14px;
  background: var(--violet);
  color: #fffdf7;
  font-size: 13px;
}
.v-theme--dark .help {
  color: #1d2622;
}
.pointer {
  position: absolute;
  right: 14px;
  bottom: 8px;
  color: var(--soft);
  pointer-events: none;
}
.canvas :deep(.drawn-box) {
  border: 2px solid var(--copper);
  background: color-mix(in srgb, var(--copper) 12%, transparent);
}
.canvas :deep(.ol-scale-line) {
  left: 12px;
  bottom: 8px;
  background: none;
  padding: 0;
}
.canvas :deep(.ol-scale-line-inner) {
  color: var(--soft);
  border-color: var(--soft);
  font:
    12.5px 'Source Sans 3 Variable',
    sans-serif;
  padding-left: 6px;
  text-align: left;
}
</style>
