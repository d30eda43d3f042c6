<script setup lang="ts">
import {
  mdiArrowExpandAll,
  mdiCircleOutline,
  mdiCursorDefaultOutline,
  mdiEyeOffOutline,
  mdiEyeOutline,
  mdiMinus,
  mdiPlus,
  mdiRectangleOutline,
  mdiVectorPolyline,
  mdiVectorPolygon,
} from '@mdi/js';
import { coordinateInWords, exprOfForm, formOfExpr, fromMercator, nodesIn, type Form } from '@clean-sieve/core';
import Collection from 'ol/Collection.js';
import { defaults as defaultControls, ScaleLine } from 'ol/control.js';
import Feature from 'ol/Feature.js';
import { MultiPoint, Point, Polygon } from 'ol/geom.js';
import Modify from 'ol/interaction/Modify.js';
import { defaults as defaultInteractions } from 'ol/interaction/defaults.js';
import type Draw from 'ol/interaction/Draw.js';
import VectorLayer from 'ol/layer/Vector.js';
import OlMap from 'ol/Map.js';
import VectorSource from 'ol/source/Vector.js';
import { Circle, Fill, Stroke, Style } from 'ol/style.js';
import View from 'ol/View.js';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { useTheme } from 'vuetify';
import { api } from '../api/client.ts';
import { useFocus } from '../stores/focus.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import {
  AREA_HELP,
  cornersOf,
  isRound,
  movedGeometry,
  shapeOfForm,
  shapeOnMap,
  startDrawing,
  type AreaTool,
} from './area_tools.ts';
import { displayOf } from './display_cache.ts';
import FeatureCard from './FeatureCard.vue';
import { FeatureLayer } from './feature_layer.ts';
import { displayBox, featureAt, maskBox } from './hit.ts';
import { passesOf } from './passes.ts';
import SentenceStrip from './SentenceStrip.vue';
import { worldLayer } from './world.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const notices = useNotices();
const show = useMapShow();
const editing = useTreeEditing();
const theme = useTheme();

const target = ref<HTMLElement>();
const pointer = ref('');
const measure = ref('');
const nearMask = shallowRef<Uint32Array | null>(null);

const colours = computed(() =>
  theme.current.value.dark
    ? {
        sea: '#1a2724',
        land: '#2a3029',
        coast: '#5b6a5c',
        context: '#6d7a6c',
        faint: '#b9c4bb',
        rim: '#1d2622',
        violet: '#b9a0e8',
      }
    : {
        sea: '#dfe8e6',
        land: '#f2ecdc',
        coast: '#b9a888',
        context: '#b3a17d',
        faint: '#56685f',
        rim: '#fffdf7',
        violet: '#64479b',
      },
);

const features = new FeatureLayer();
const world = worldLayer(() => colours.value);
const areas = new VectorSource<Feature>();
const scratch = new VectorSource();
const marks = new VectorSource();
const map = shallowRef<OlMap | null>(null);
let modify: Modify | null = null;
let draw: Draw | null = null;
let fitted: number | null = null;

const areaStyle = (feature: unknown) => {
  const edited = (feature as Feature).get('condition') === focus.editing;
  const off = (feature as Feature).get('off') === true;
  const { violet } = colours.value;
  return [
    new Style({
      fill: new Fill({ color: `${violet}${off ? '08' : '1c'}` }),
      stroke: new Stroke({ color: `${violet}${off ? '70' : 'ff'}`, width: edited ? 2.4 : 1.8, lineDash: [6, 4] }),
    }),
    ...(edited
      ? [
          new Style({
            image: new Circle({
              radius: 4.5,
              fill: new Fill({ color: '#fffdf7' }),
              stroke: new Stroke({ color: violet, width: 2 }),
            }),
            geometry: (f) =>
              (f as Feature).get('round') === true
                ? undefined
                : new MultiPoint(cornersOf((f as Feature).getGeometry()!)),
          }),
        ]
      : []),
  ];
};
const markStyle = (feature: unknown) => {
  const picked = (feature as Feature).get('picked') === true;
  const { violet } = colours.value;
  const stroke = new Stroke({ color: violet, width: picked ? 3 : 2 });
  return new Style({
    image: new Circle({
      radius: picked ? 10 : 8,
      stroke,
      fill: new Fill({ color: picked ? `${violet}26` : 'transparent' }),
    }),
    stroke,
    fill: new Fill({ color: `${violet}1c` }),
  });
};

onMounted(() => {
  const made = new OlMap({
    target: target.value,
    controls: defaultControls({ zoom: false, rotate: false, attribution: false }).extend([
      new ScaleLine({ minWidth: 90 }),
    ]),
    interactions: defaultInteractions({ altShiftDragRotate: false, pinchRotate: false, doubleClickZoom: false }),
    layers: [
      world,
      features,
      new VectorLayer({ source: areas, zIndex: 2, style: areaStyle }),
      new VectorLayer({ source: scratch, zIndex: 3, style: areaStyle }),
      new VectorLayer({ source: marks, zIndex: 4, style: markStyle }),
    ],
    view: new View({ center: [0, 3_000_000], zoom: 2, maxZoom: 22, enableRotation: false }),
  });
  made.on('pointermove', ({ coordinate }) => {
    const [lon, lat] = fromMercator(coordinate[0], coordinate[1]);
    pointer.value = coordinateInWords(((((lon + 180) % 360) + 360) % 360) - 180, lat);
  });
  made.on('moveend', () => {
    const [west, south, east, north] = made.getView().calculateExtent(made.getSize());
    show.view = [...fromMercator(west, south), ...fromMercator(east, north)] as typeof show.view;
  });
  made.on('singleclick', ({ coordinate }) => pick(coordinate));
  map.value = made;
  repaint();
  fit();
});
onBeforeUnmount(() => map.value?.setTarget(undefined));

function maskOf(sieveId: number): Uint32Array | null {
  return sifting.results.get(sieveId)?.mask ?? null;
}
const display = (sourceId: number) => displayOf(sourceId, notices.complain);

function repaint(): void {
  features.setPasses(
    passesOf({
      sources: workspace.sources,
      sieves: workspace.sieves,
      activeSource: workspace.activeSource,
      activeSieve: workspace.activeSieve,
      maskOf,
      nearMisses: focus.nearMissesOf === null ? null : nearMask.value,
      displayOf: display,
      hidden: show.hidden,
      showSifted: show.sifted,
      colours: colours.value,
    }),
  );
}
watch(
  () => [
    workspace.sources,
    workspace.sieves,
    workspace.activeSource,
    workspace.activeSieve,
    sifting.results,
    show.sifted,
    [...show.hidden],
    nearMask.value,
    focus.nearMissesOf,
    colours.value,
    workspace.sources.map((s) => display(s.id)),
  ],
  repaint,
);
watch(colours, () => {
  world.changed();
  areas.changed();
});

watch(
  () => show.looked,
  (looked) => {
    if (!looked) return;
    const shape = shapeOnMap(looked.shape);
    map.value?.getView().fit(shape.getExtent(), { padding: [70, 60, 60, 60], maxZoom: 17, duration: 250 });
    const flash = new Feature(shape);
    scratch.addFeature(flash);
    setTimeout(() => scratch.removeFeature(flash), 1800);
  },
);

/** The kept features' extent, or the source's. */
function fit(onlyKept = false): void {
  const source = workspace.activeSource;
  const shape = source && display(source.id);
  if (!map.value || !source || !shape) return;
  const mask = onlyKept && workspace.activeSieve ? maskOf(workspace.activeSieve.id) : null;
  const box = maskBox(shape, mask);
  if (!box) return;
  map.value.getView().fit(box, { padding: [56, 40, 44, 40], maxZoom: 19, duration: onlyKept ? 250 : 0 });
}
watch(
  () => {
    const source = workspace.activeSource;
    return source && display(source.id) ? source.id : null;
  },
  (id) => {
    if (id === null || fitted === id) return;
    const first = fitted === null;
    fitted = id;
    // Going from one source to its neighbour keeps the view if both are in it.
    const box = maskBox(display(id)!, null);
    const seen = map.value?.getView().calculateExtent();
    if (first || !box || !seen || box[0] < seen[0] || box[1] < seen[1] || box[2] > seen[2] || box[3] > seen[3]) fit();
  },
  { immediate: true, flush: 'post' },
);

function pick(coordinate: number[]): void {
  if (show.tool !== 'pick') return;
  const source = workspace.activeSource;
  const shape = source && display(source.id);
  if (!shape || !map.value) return;
  const reach = 7 * map.value.getView().getResolution()!;
  const mask = workspace.activeSieve ? maskOf(workspace.activeSieve.id) : null;
  // Kept features are drawn on top, so they are hit first.
  const hit =
    (mask && featureAt(shape, coordinate[0], coordinate[1], reach, mask)) ??
    featureAt(shape, coordinate[0], coordinate[1], reach, null);
  focus.show(hit?.row ?? null);
}

watch(
  () => [focus.row, focus.hovered, workspace.activeSource?.id],
  () => {
    marks.clear();
    const source = workspace.activeSource;
    const shape = source && display(source.id);
    if (!shape) return;
    for (const [row, picked] of [
      [focus.hovered, false],
      [focus.row, true],
    ] as const) {
      const box = row === null ? null : displayBox(shape, row);
      if (!box) continue;
      const point = box[0] === box[2] && box[1] === box[3];
      const [w, s, e, n] = box;
      const mark = new Feature(
        point
          ? new Point([w, s])
          : new Polygon([
              [
                [w, s],
                [e, s],
                [e, n],
                [w, n],
                [w, s],
              ],
            ]),
      );
      mark.set('picked', picked);
      marks.addFeature(mark);
    }
  },
);
watch(
  () => focus.wish,
  (wish) => {
    const source = workspace.activeSource;
    const shape = source && display(source.id);
    const box = wish && shape ? displayBox(shape, wish.row) : null;
    if (!box || !map.value) return;
    const view = map.value.getView();
    const [w, s, e, n] = view.calculateExtent();
    if (box[0] < w || box[1] < s || box[2] > e || box[3] > n)
      view.animate({ center: [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2], duration: 200 });
  },
);

const forms = computed(() => {
  const { activeSieve, activeSource } = workspace;
  if (!activeSieve || !activeSource) return [];
  const found: { id: string; form: Form; off: boolean }[] = [];
  for (const { node } of nodesIn(activeSieve.tree)) {
    if (node.kind !== 'condition') continue;
    const form = formOfExpr(node.expr, activeSource.columns);
    if (form.kind === 'area' || form.kind === 'near' || form.kind === 'radius')
      found.push({ id: node.id, form, off: node.off === true });
  }
  return found;
});

watch(
  [forms, () => focus.editing, () => workspace.areaShapes],
  () => {
    areas.clear();
    for (const { id, form, off } of forms.value) {
      const shape = shapeOfForm(form, workspace.areaShapes);
      if (!shape || (off && focus.editing !== id)) continue;
      shape.setProperties({ condition: id, round: isRound(form, workspace.areaShapes), off });
      areas.addFeature(shape);
    }
    watchCorners();
  },
  { immediate: true },
);

/** The corners of the area whose condition is open can be moved. */
function watchCorners(): void {
  if (modify) map.value?.removeInteraction(modify);
  modify = null;
  const edited = forms.value.find(({ id, form }) => id === focus.editing && !isRound(form, workspace.areaShapes));
  const shape = edited && areas.getFeatures().find((feature) => feature.get('condition') === edited.id);
  if (!shape || !map.value) return;
  modify = new Modify({ features: new Collection([shape]) });
  modify.on('modifyend', () => {
    const geometry = movedGeometry(shape.getGeometry()!);
    const { form } = edited;
    if (form.kind !== 'area' && form.kind !== 'near') return;
    const named = 'op' in form.geometry && form.geometry.op === 'AREA' ? form.geometry.args[0] : null;
    const area = workspace.areas.find(({ name }) => name === named);
    if (area)
      workspace.changeArea(area, { shape: geometry }, 'shape').catch((error: unknown) => notices.complain(error));
    else editing.setExpr(edited.id, exprOfForm({ ...form, geometry }));
  });
  map.value.addInteraction(modify);
}

watch(
  () => show.tool,
  (tool) => {
    if (draw) map.value?.removeInteraction(draw);
    draw = null;
    scratch.clear();
    measure.value = '';
    if (tool === 'pick' || !map.value) return;
    draw = startDrawing(
      map.value,
      scratch,
      tool,
      (form) => void finishDrawing(form),
      (text) => (measure.value = text),
    );
  },
);

async function finishDrawing(form: Form): Promise<void> {
  const replaced = show.replaces;
  show.useTool('pick');
  if (replaced !== null) editing.setExpr(replaced, exprOfForm(form));
  else await editing.addCondition(exprOfForm(form));
}

function onKey(event: KeyboardEvent): void {
  if (!draw) return;
  if (event.key === 'Escape') show.useTool('pick');
  else if (event.key === 'Enter') draw.finishDrawing();
  else if (event.key === 'Backspace') draw.removeLastPoint();
  else return;
  event.preventDefault();
}
onMounted(() => window.addEventListener('keydown', onKey));
onBeforeUnmount(() => window.removeEventListener('keydown', onKey));

watch(
  () => [focus.nearMissesOf, sifting.version],
  async () => {
    const source = workspace.activeSource;
    nearMask.value = null;
    if (focus.nearMissesOf === null || !source) return;
    const { mask } = await api.sift(source.id, focus.selection());
    nearMask.value = mask;
  },
);

function zoom(step: number): void {
  const view = map.value?.getView();
  view?.animate({ zoom: (view.getZoom() ?? 2) + step, duration: 150 });
}

const TOOLS: { tool: AreaTool | 'pick'; icon: string; label: string }[] = [
  { tool: 'pick', icon: mdiCursorDefaultOutline, label: 'Ask a feature' },
  { tool: 'polygon', icon: mdiVectorPolygon, label: 'Draw a polygon' },
  { tool: 'circle', icon: mdiCircleOutline, label: 'Draw a circle' },
  { tool: 'rectangle', icon: mdiRectangleOutline, label: 'Draw a rectangle' },
  { tool: 'line', icon: mdiVectorPolyline, label: 'Draw a line with a width' },
];
</script>

<template>
  <section class="map-view" aria-label="Map">
    <SentenceStrip />
    <div class="canvas" :style="{ background: colours.sea }" :class="{ drawing: show.tool !== 'pick' }">
      <div ref="target" class="target" data-test="map" tabindex="0" aria-label="Map of the features" />
      <div class="tools" role="toolbar" aria-label="Map tools">
        <button
          v-for="{ tool, icon, label } in TOOLS"
          :key="tool"
          type="button"
          :class="{ on: show.tool === tool }"
          :aria-pressed="show.tool === tool"
          :aria-label="label"
          :disabled="tool !== 'pick' && !workspace.activeSource"
          @click="show.useTool(tool)"
        >
          <v-icon :icon="icon" size="20" />
          <v-tooltip activator="parent" location="bottom" :text="label" />
        </button>
      </div>
      <div v-if="show.tool !== 'pick'" class="help" role="status">
        {{ AREA_HELP[show.tool] }}<b v-if="measure"> · {{ measure }}</b>
      </div>
      <div class="view-tools">
        <button type="button" aria-label="Show all that is kept" :disabled="!workspace.activeSource" @click="fit(true)">
          <v-icon :icon="mdiArrowExpandAll" size="18" />
          <v-tooltip activator="parent" location="right" text="Show all that is kept" />
        </button>
        <button
          type="button"
          :aria-label="show.sifted ? 'Hide what is sifted out' : 'Show what is sifted out'"
          :aria-pressed="show.sifted"
          @click="show.sifted = !show.sifted"
        >
          <v-icon :icon="show.sifted ? mdiEyeOutline : mdiEyeOffOutline" size="18" />
          <v-tooltip
            activator="parent"
            location="right"
            :text="show.sifted ? 'Hide what is sifted out' : 'Show what is sifted out'"
          />
        </button>
        <button type="button" aria-label="Zoom in" @click="zoom(1)"><v-icon :icon="mdiPlus" size="18" /></button>
        <button type="button" aria-label="Zoom out" @click="zoom(-1)"><v-icon :icon="mdiMinus" size="18" /></button>
      </div>
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
.tools {
  position: absolute;
  top: 12px;
  left: 12px;
  display: flex;
  gap: 2px;
  padding: 3px;
  border-radius: 22px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
}
.tools button,
.view-tools button {
  display: grid;
  place-items: center;
  width: 32px;
  height: 32px;
  border: 0;
  border-radius: 16px;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
.tools button:hover,
.view-tools button:hover {
  background: var(--sunk);
}
.tools button.on {
  background: var(--tint);
}
button:disabled {
  opacity: 0.4;
  cursor: default;
}
.view-tools {
  position: absolute;
  left: 12px;
  bottom: 40px;
  display: flex;
  flex-direction: column;
  padding: 3px;
  border-radius: 20px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
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
