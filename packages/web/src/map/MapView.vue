<script setup lang="ts">
import { coordinateInWords, emptyTree, planeNamed } from '@clean-sieve/core';
import { defaults as defaultControls, ScaleLine } from 'ol/control.js';
import { defaults as defaultInteractions } from 'ol/interaction/defaults.js';
import OlMap from 'ol/Map.js';
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import type { SourceInfo } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { latest } from '../api/latest.ts';
import { useFocus } from '../stores/focus.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { useStyles } from '../stores/styles.ts';
import { useWholeMap } from '../stores/whole_map.ts';
import MapLegend from '../style/MapLegend.vue';
import { AREA_HELP } from './area_tools.ts';
import DrawnOf from './DrawnOf.vue';
import FeatureCard from './FeatureCard.vue';
import GridPanel from './GridPanel.vue';
import HoverNote from './HoverNote.vue';
import { useMapColours } from './layers/map_colours.ts';
import { useCells } from './layers/use_cells.ts';
import { useConditionShapes } from './layers/use_condition_shapes.ts';
import { useFeatures } from './layers/use_features.ts';
import { useLabels } from './layers/use_labels.ts';
import { useMarks } from './layers/use_marks.ts';
import { boxOnPlane } from './planes.ts';
import { usePlane, viewOf } from './use_plane.ts';
import { useThere } from './use_there.ts';
import SentenceStrip from './SentenceStrip.vue';
import MapTools from './tools/MapTools.vue';
import { useDrawing } from './tools/use_drawing.ts';
import { useHover } from './tools/use_hover.ts';
import { useMapKeys } from './tools/use_map_keys.ts';
import ViewTools from './tools/ViewTools.vue';
import { useGround } from './layers/use_ground.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const notices = useNotices();
const picks = usePicks();
const show = useMapShow();
const styles = useStyles();
const wholeMap = useWholeMap();
const StylePanel = defineAsyncComponent(() => import('../style/StylePanel.vue'));

const target = ref<HTMLElement>();
const pointer = ref('');
const map = shallowRef<OlMap | null>(null);

const colours = useMapColours();
const ground = useGround(colours);
const features = useFeatures(colours);
const cells = useCells(colours);
const { corner, ...shapes } = useConditionShapes(map, colours);
const { typed, measure, ...drawing } = useDrawing(map, shapes.style, shapes.placed);
const labels = useLabels(colours);
const marks = useMarks(map, colours);
const lyingThere = useThere();
const aims = useMapKeys(map);
const hovered = useHover(map, lyingThere);
const edited = computed(() => shapes.placed.value.some(({ id }) => id === focus.editing));
const plane = usePlane(map, () => show.tool !== 'pick' || edited.value);

onMounted(() => {
  const made = new OlMap({
    target: target.value,
    controls: defaultControls({ zoom: false, rotate: false, attribution: false }).extend([new ScaleLine({ minWidth: 90 })]),
    interactions: defaultInteractions({ altShiftDragRotate: false, pinchRotate: false, doubleClickZoom: false }),
    layers: [...ground, features, cells.layer, shapes.layer, drawing.layer, labels, marks],
    view: viewOf(show.plane, [0, 3_000_000], 39_000),
  });
  made.on('pointermove', ({ coordinate }) => {
    drawing.pointAt(coordinate);
    const place = planeNamed(show.plane).inverse(coordinate[0], coordinate[1]);
    pointer.value = place ? coordinateInWords(((((place[0] + 180) % 360) + 360) % 360) - 180, place[1]) : '';
  });
  made.on('moveend', () => {
    show.view = plane.seen() ?? show.view;
    plane.choose();
  });
  made.on('singleclick', ({ coordinate, originalEvent }) => {
    // A click that ended a drawing asks nothing of what lies there; this event comes a moment after it.
    if (drawing.endedBy(originalEvent.timeStamp)) return;
    if (show.tool === 'cells') cells.pickCell(coordinate);
    else pick(coordinate, originalEvent as MouseEvent).catch(notices.complain);
  });
  map.value = made;
  fit().catch(notices.complain);
});
onBeforeUnmount(() => map.value?.setTarget(undefined));

/** The source that the view was last fitted to. */
let fitted: number | null = null;
/** What is wide may be closer together across the 180° meridian. */
const isWide = ({ extent }: SourceInfo) => extent !== null && extent[2] - extent[0] > 180;
/** What the active source's features take up, or those kept of them. */
async function fit(onlyKept = false): Promise<void> {
  const source = workspace.activeSource;
  if (!source) return;
  const tree = onlyKept ? sifting.shownTree : emptyTree();
  const extent = onlyKept || isWide(source) ? await api.aggregate(source.id, { tree }, { kind: 'extent' }) : source.extent;
  if (!extent || workspace.activeSource?.id !== source.id) return;
  plane.fit(extent, onlyKept ? 250 : 0);
}
watch(
  () => workspace.activeSource?.id ?? null,
  (id) => {
    const source = workspace.activeSource;
    if (id === null || !source || fitted === id) return;
    const first = fitted === null;
    fitted = id;
    // Going from one source to its neighbour keeps the view if both are in it.
    const box = source.extent && boxOnPlane(source.extent, show.plane);
    const seen = map.value?.getView().calculateExtent();
    if (first || !box || !seen || isWide(source) || box[0] < seen[0] || box[1] < seen[1] || box[2] > seen[2] || box[3] > seen[3])
      fit().catch(notices.complain);
  },
  { immediate: true, flush: 'post' },
);

const asking = latest();
/** The source of which it was told once that only its sample can be asked on the map. */
let toldOf: number | null = null;
/** Asks the feature there, or with a key held down picks it by hand. */
async function pick(at: number[], { ctrlKey, metaKey, shiftKey }: MouseEvent): Promise<void> {
  const source = workspace.activeSource;
  const resolution = map.value?.getView().getResolution();
  if (show.tool !== 'pick' || !source || resolution === undefined) return;
  const found = await asking((signal) => lyingThere(at, resolution, signal));
  if (!found || workspace.activeSource?.id !== source.id) return;
  if (found.features.length === 0 && wholeMap.ofAll !== null && toldOf !== source.id) {
    toldOf = source.id;
    notices.say('Nothing of the sample lies there; “show all in view” has every feature here, to be asked one by one.');
  }
  if (!(ctrlKey || metaKey || shiftKey)) return focus.showThere(found);
  // Only features of the active source can be picked.
  const own = found.features.find(({ sourceId }) => sourceId === source.id);
  if (own) picks.toggle(own.key);
}

function zoom(step: number): void {
  const view = map.value?.getView();
  view?.animate({ zoom: (view.getZoom() ?? 2) + step, duration: 150 });
}
</script>

<template>
  <section class="map-view" aria-label="Map">
    <SentenceStrip />
    <div
      class="canvas"
      :style="{ background: show.plane === 'mercator' ? colours.sea : colours.space }"
      :class="{ drawing: show.tool !== 'pick' }"
    >
      <div
        ref="target"
        class="target"
        data-part="map"
        data-test="map"
        :data-plane="show.plane"
        tabindex="0"
        aria-label="Map of the features: arrows move it, the space bar is a click in the middle"
      />
      <svg v-if="aims" class="aim" data-test="aim" viewBox="-14 -14 28 28" aria-hidden="true">
        <path d="M-12 0H-4M4 0H12M0 -12V-4M0 4V12" />
      </svg>
      <MapTools class="on-map top" />
      <GridPanel v-if="show.tool === 'cells'" />
      <div v-else-if="corner" class="help" role="status" data-test="corner">
        Corner {{ corner.number + 1 }} of {{ corner.of }} · {{ corner.place }} · arrows move it, with Shift finely; [ and ] go to others,
        Enter lets go
      </div>
      <div v-else-if="show.tool !== 'pick'" class="help" role="status">
        {{ AREA_HELP[show.tool] }}<b v-if="typed" data-test="typed"> · {{ typed }} m, Enter</b><b v-else-if="measure"> · {{ measure }}</b>
        <span v-if="show.tool !== 'hole' && show.replaces === null" class="makes" role="radiogroup" aria-label="What is drawn">
          <button
            v-for="[picking, text] in [
              [false, 'makes a condition'],
              [true, 'picks what lies there'],
            ] as const"
            :key="text"
            type="button"
            role="radio"
            :aria-checked="show.drawsPicks === picking"
            @click="show.drawsPicks = picking"
          >
            {{ text }}
          </button>
        </span>
      </div>
      <ViewTools class="on-map side" @fit="fit(true).catch(notices.complain)" @zoom="zoom" />
      <HoverNote v-if="hovered" :hovered="hovered" />
      <DrawnOf />
      <MapLegend />
      <StylePanel v-if="styles.open && styles.target" />
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
.aim {
  position: absolute;
  left: calc(50% - 14px);
  top: calc(50% - 14px);
  width: 28px;
  height: 28px;
  fill: none;
  stroke: var(--violet);
  stroke-width: 2.5;
  pointer-events: none;
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
.makes {
  display: inline-flex;
  margin-left: 10px;
  border-radius: 10px;
  background: rgba(255, 255, 255, 0.16);
}
.makes button {
  padding: 0 9px;
  border: 0;
  border-radius: 10px;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}
.makes button[aria-checked='true'] {
  background: #fffdf7;
  color: #64479b;
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
