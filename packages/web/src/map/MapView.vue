<script setup lang="ts">
import {
  mdiArrowExpandAll,
  mdiCircleOutline,
  mdiCursorDefaultOutline,
  mdiEyeOffOutline,
  mdiEyeOutline,
  mdiGrid,
  mdiLasso,
  mdiMinus,
  mdiPlus,
  mdiRectangleOutline,
  mdiVectorPolyline,
  mdiVectorPolygon,
} from '@mdi/js';
import {
  cellAt,
  cellsIn,
  coordinateInWords,
  emptyMask,
  emptyTree,
  exprOfForm,
  fromMercator,
  isSpaceForm,
  placeOf,
  put,
  solidOf,
  toMercator,
  type Form,
  type SpaceForm,
} from '@clean-sieve/core';
import { withPlace } from '../stack/space_forms.ts';
import Collection from 'ol/Collection.js';
import { defaults as defaultControls, ScaleLine } from 'ol/control.js';
import Feature from 'ol/Feature.js';
import { MultiPoint, Point, Polygon } from 'ol/geom.js';
import Modify from 'ol/interaction/Modify.js';
import { defaults as defaultInteractions } from 'ol/interaction/defaults.js';
import Snap from 'ol/interaction/Snap.js';
import type { Geometry } from 'geojson';
import type { Coordinate } from 'ol/coordinate.js';
import VectorLayer from 'ol/layer/Vector.js';
import OlMap from 'ol/Map.js';
import VectorSource from 'ol/source/Vector.js';
import { Circle, Fill, Stroke, Style, Text } from 'ol/style.js';
import View from 'ol/View.js';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { useTheme } from 'vuetify';
import { api } from '../api/client.ts';
import { latest } from '../api/latest.ts';
import { useFocus } from '../stores/focus.ts';
import { MOST_CELLS, useMapShow, type MapTool } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { sizeInWords } from '../areas/size.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import {
  AREA_HELP,
  cornersOf,
  isRound,
  movedGeometry,
  placedConditions,
  shapeOfForm,
  shapeOnMap,
  startDrawing,
  withHole,
  type Drawing,
} from './area_tools.ts';
import FeatureCard from './FeatureCard.vue';
import GridPanel from './GridPanel.vue';
import { FeatureLayer } from './feature_layer.ts';
import { passesOf } from './passes.ts';
import SentenceStrip from './SentenceStrip.vue';
import { worldLayer } from './world.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const notices = useNotices();
const picks = usePicks();
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

const features = new FeatureLayer(null, (error) => notices.complain(error));
const world = worldLayer(() => colours.value);
const areas = new VectorSource<Feature>();
const scratch = new VectorSource();
const marks = new VectorSource();
const cells = new VectorSource<Feature>();
const map = shallowRef<OlMap | null>(null);
let modify: Modify | null = null;
let drawing: Drawing | null = null;
/** When the last drawing ended, on the clock of events. */
let drawnUntil = 0;
let snap: Snap | null = null;
let under: Coordinate | null = null;
let fitted: number | null = null;

const areaStyle = (feature: unknown) => {
  const edited = (feature as Feature).get('condition') === focus.editing;
  const off = (feature as Feature).get('off') === true;
  const { violet, rim } = colours.value;
  return [
    new Style({
      fill: new Fill({ color: `${violet}${off ? '08' : '1c'}` }),
      stroke: new Stroke({ color: `${violet}${off ? '70' : 'ff'}`, width: edited ? 2.4 : 1.8, lineDash: [6, 4] }),
      text: new Text({
        text: edited ? String((feature as Feature).get('size') ?? '') : '',
        font: "600 13px 'Source Sans 3 Variable', sans-serif",
        overflow: true,
        fill: new Fill({ color: violet }),
        stroke: new Stroke({ color: rim, width: 4 }),
      }),
    }),
    ...(edited
      ? [
          new Style({
            image: new Circle({
              radius: 4.5,
              fill: new Fill({ color: '#fffdf7' }),
              stroke: new Stroke({ color: violet, width: 2 }),
            }),
            geometry: (f) => ((f as Feature).get('round') === true ? undefined : new MultiPoint(cornersOf((f as Feature).getGeometry()!))),
          }),
        ]
      : []),
  ];
};
const cellStyle = (feature: unknown) => {
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
    controls: defaultControls({ zoom: false, rotate: false, attribution: false }).extend([new ScaleLine({ minWidth: 90 })]),
    interactions: defaultInteractions({ altShiftDragRotate: false, pinchRotate: false, doubleClickZoom: false }),
    layers: [
      world,
      features,
      new VectorLayer({ source: cells, zIndex: 1, style: cellStyle, declutter: true }),
      new VectorLayer({ source: areas, zIndex: 2, style: areaStyle }),
      new VectorLayer({ source: scratch, zIndex: 3, style: areaStyle }),
      new VectorLayer({ source: marks, zIndex: 4, style: markStyle }),
    ],
    view: new View({ center: [0, 3_000_000], zoom: 2, maxZoom: 22, enableRotation: false }),
  });
  made.on('pointermove', ({ coordinate }) => {
    under = coordinate;
    const [lon, lat] = fromMercator(coordinate[0], coordinate[1]);
    pointer.value = coordinateInWords(((((lon + 180) % 360) + 360) % 360) - 180, lat);
  });
  made.on('moveend', () => {
    const [west, south, east, north] = made.getView().calculateExtent(made.getSize());
    show.view = [...fromMercator(west, south), ...fromMercator(east, north)] as typeof show.view;
  });
  made.on('singleclick', ({ coordinate, originalEvent }) => {
    // A click that ended a drawing asks nothing of what lies there; this event comes a moment after it.
    if (originalEvent.timeStamp <= drawnUntil) return;
    if (show.tool === 'cells') pickCell(coordinate);
    else pick(coordinate, originalEvent as MouseEvent).catch(notices.complain);
  });
  map.value = made;
  repaint();
  void fit();
});
onBeforeUnmount(() => {
  features.dispose();
  map.value?.setTarget(undefined);
});

function maskOf(sieveId: number): Uint32Array | null {
  return sifting.results.get(sieveId)?.mask ?? null;
}

function maskOfPicks(): Uint32Array {
  const mask = emptyMask(workspace.activeSource!.rows);
  for (const row of picks.rows) if (row < workspace.activeSource!.rows) put(mask, row);
  return mask;
}

function pickCell([x, y]: Coordinate): void {
  const [lon, lat] = fromMercator(x, y);
  const cell = show.grid && cellAt(show.grid, lon, lat);
  if (cell) show.toggleCell(cell.name, cell.shape);
}

function repaint(): void {
  features.setPasses(
    passesOf({
      sources: workspace.sources,
      sieves: workspace.sieves,
      activeSource: workspace.activeSource,
      activeSieve: workspace.activeSieve,
      maskOf,
      nearMisses: focus.nearMissesOf === null ? null : nearMask.value,
      picks: picks.rows.size > 0 ? maskOfPicks() : null,
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
    show.sifted,
    [...show.hidden],
    nearMask.value,
    focus.nearMissesOf,
    picks.rows,
    colours.value,
  ],
  repaint,
);
// What is kept is drawn while the rest of the screen follows.
watch(() => sifting.results, repaint, { flush: 'sync' });
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

type Box = [west: number, south: number, east: number, north: number];
const onMap = ([west, south, east, north]: Box): Box => [...toMercator(west, south), ...toMercator(east, north)];

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

const marking = latest();
watch(
  () => [focus.row, focus.hovered, workspace.activeSource?.id] as const,
  async ([row, hovered, sourceId]) => {
    const rows = [hovered, row].filter((one) => one !== null);
    const found = await marking((signal) =>
      sourceId === undefined || rows.length === 0 ? Promise.resolve([]) : api.boxes(sourceId, rows, signal),
    ).catch(notices.complain);
    if (!Array.isArray(found)) return;
    marks.clear();
    for (const [i, box] of found.entries()) {
      if (!box) continue;
      const [w, s, e, n] = onMap(box);
      const ring = [
        [w, s],
        [e, s],
        [e, n],
        [w, n],
        [w, s],
      ];
      const mark = new Feature(w === e && s === n ? new Point([w, s]) : new Polygon([ring]));
      mark.set('picked', rows[i] === row);
      marks.addFeature(mark);
    }
  },
);
const wishing = latest();
watch(
  () => focus.wish,
  async (wish) => {
    const source = workspace.activeSource;
    if (!wish || !source) return;
    const found = await wishing((signal) => api.boxes(source.id, [wish.row], signal)).catch(notices.complain);
    if (!Array.isArray(found) || !found[0] || !map.value) return;
    const [w, s, e, n] = onMap(found[0]);
    const view = map.value.getView();
    const [west, south, east, north] = view.calculateExtent();
    if (w < west || s < south || e > east || n > north) view.animate({ center: [(w + e) / 2, (s + n) / 2], duration: 200 });
  },
);

const forms = computed(() => {
  const { activeSieve, activeSource } = workspace;
  if (!activeSieve || !activeSource) return [];
  return placedConditions(activeSieve.tree, activeSource.columns);
});

watch(
  [forms, () => focus.editing, () => workspace.areaShapes],
  () => {
    areas.clear();
    for (const { id, form, off } of forms.value) {
      const shape = shapeOfForm(form, workspace.areaShapes);
      if (!shape || (off && focus.editing !== id)) continue;
      shape.setProperties({ condition: id, round: isRound(form, workspace.areaShapes), off, size: sizeOfPlace(form) });
      areas.addFeature(shape);
    }
    watchCorners();
  },
  { immediate: true },
);

/** How large the shape of a condition is, in words; nothing for several. */
function sizeOfPlace(form: Form): string {
  if (form.kind === 'radius') return '';
  const place = isSpaceForm(form) ? placeOf(form) : null;
  const shape = place && 'op' in place && place.op === 'AREA' ? workspace.areaShapes.get(place.args[0]) : place;
  return shape && (!('op' in shape) || shape.op === 'BUFFER') ? sizeInWords(shape) : '';
}

/** The corners of the area whose condition is open can be moved. */
function watchCorners(): void {
  if (modify) map.value?.removeInteraction(modify);
  modify = null;
  const edited = forms.value.find(({ id, form }) => id === focus.editing && !isRound(form, workspace.areaShapes));
  const shape = edited && areas.getFeatures().find((feature) => feature.get('condition') === edited.id);
  if (!shape || !map.value) return;
  modify = new Modify({ features: new Collection([shape]) });
  modify.on('modifyend', () => {
    if (isSpaceForm(edited.form)) putShape(edited.id, edited.form, movedGeometry(shape.getGeometry()!));
  });
  map.value.addInteraction(modify);
}

watch(
  () => show.tool,
  (tool, before) => {
    stopDrawing();
    if (before === 'cells') show.setGrid(null);
    if (tool === 'pick' || tool === 'cells' || !map.value) return;
    drawing = startDrawing(
      map.value,
      scratch,
      tool,
      (form) => void finishDrawing(form, tool === 'hole'),
      (text) => (measure.value = text),
    );
    snap = new Snap({ source: nearby, pixelTolerance: 8 });
    map.value.addInteraction(snap);
    void findNearby();
  },
);

function stopDrawing(): void {
  drawing?.stop();
  if (snap) map.value?.removeInteraction(snap);
  drawing = snap = null;
  scratch.clear();
  measure.value = typed.value = '';
}

/** Exact shapes round here for a drawing to snap to: those of the areas, and of sources of which few are in view. */
const nearby = new VectorSource<Feature>();
async function findNearby(): Promise<void> {
  const found = workspace.areas.map(({ shape }) => new Feature(shapeOnMap(shape)));
  for (const source of workspace.layers) {
    if (show.hidden.has(source.id)) continue;
    const shapes = await api.nearby(source.id, show.view).catch(() => []);
    found.push(...shapes.map((shape) => new Feature(shapeOnMap(shape))));
  }
  nearby.clear();
  nearby.addFeatures(found);
}
watch(
  () => show.view,
  () => {
    if (drawing) void findNearby();
  },
);

/** The grid's cells in view, and those picked. */
watch(
  () => [show.grid, show.view, show.cells] as const,
  ([grid, view, picked]) => {
    cells.clear();
    show.gridProblem = '';
    if (!grid) return;
    const found = cellsIn(grid, view, MOST_CELLS);
    if (!found) show.gridProblem = 'Too many cells to show here. Zoom in, or take larger ones.';
    else if (found.length === 0) show.gridProblem = 'This grid has no cells here.';
    const labelled = (found?.length ?? 0) <= 60;
    for (const { name, shape } of found ?? [])
      cells.addFeature(new Feature({ geometry: shapeOnMap(shape), name: labelled ? name : '', picked: picked.has(name) }));
    const shown = new Set((found ?? []).map(({ name }) => name));
    for (const [name, shape] of picked)
      if (!shown.has(name)) cells.addFeature(new Feature({ geometry: shapeOnMap(shape), name: '', picked: true }));
  },
);

async function finishDrawing(form: Form, hole: boolean): Promise<void> {
  drawnUntil = performance.now();
  const replaced = show.replaces;
  show.useTool('pick');
  const before = forms.value.find(({ id }) => id === replaced)?.form;
  if (hole) {
    if (before && isSpaceForm(before) && form.kind === 'area') cutHole(replaced!, before, form.geometry as Geometry);
    return;
  }
  // A shape without a distance of its own is asked what the one before was.
  const again =
    before && isSpaceForm(before) && form.kind === 'area' ? withPlace(before, form.geometry, false, workspace.areaShapes) : form;
  if (replaced !== null) editing.setExpr(replaced, exprOfForm(again));
  else await editing.addCondition(exprOfForm(form));
}

/** Cuts a drawn ring out of the shape of a condition. */
function cutHole(id: string, form: SpaceForm, drawn: Geometry): void {
  const solid = solidOf(placeOf(form), workspace.areaShapes);
  const cut = solid && drawn.type === 'Polygon' ? withHole(solid.geometry, drawn.coordinates[0]) : null;
  if (!cut) notices.complain(new Error('A hole lies wholly within the area, apart from its other holes'));
  else putShape(id, form, cut);
}

/** Another shape for a condition, or for the area that it is about. */
function putShape(id: string, form: SpaceForm, geometry: Geometry): void {
  if (form.kind === 'radius') return;
  const named = 'op' in form.geometry && form.geometry.op === 'AREA' ? form.geometry.args[0] : null;
  const area = workspace.areas.find(({ name }) => name === named);
  if (area) workspace.changeArea(area, { shape: geometry }, 'shape').catch((error: unknown) => notices.complain(error));
  else editing.setExpr(id, exprOfForm({ ...form, geometry }));
}

/** A length in metres that is being typed while drawing. */
const typed = ref('');

function onKey(event: KeyboardEvent): void {
  const { key, target: at } = event;
  if (!drawing || (at instanceof HTMLElement && at.matches('input, textarea, [contenteditable="true"]'))) return;
  if (key === 'Escape' && typed.value !== '') typed.value = '';
  else if (key === 'Escape') show.useTool('pick');
  else if (/^[\d.,]$/.test(key)) typed.value += key === ',' ? '.' : key;
  else if (key === 'Backspace' && typed.value !== '') typed.value = typed.value.slice(0, -1);
  else if (key === 'Enter' && typed.value !== '') {
    const metres = Number(typed.value);
    typed.value = '';
    if (metres > 0 && under) drawing.reach(metres, under);
  } else if (key === 'Enter') drawing.interaction.finishDrawing();
  else if (key === 'Backspace') drawing.interaction.removeLastPoint();
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
  { immediate: true },
);

function zoom(step: number): void {
  const view = map.value?.getView();
  view?.animate({ zoom: (view.getZoom() ?? 2) + step, duration: 150 });
}

const TOOLS: { tool: MapTool; icon: string; label: string }[] = [
  { tool: 'pick', icon: mdiCursorDefaultOutline, label: 'Ask a feature' },
  { tool: 'polygon', icon: mdiVectorPolygon, label: 'Draw a polygon' },
  { tool: 'lasso', icon: mdiLasso, label: 'Draw round it' },
  { tool: 'circle', icon: mdiCircleOutline, label: 'Draw a circle' },
  { tool: 'rectangle', icon: mdiRectangleOutline, label: 'Draw a rectangle' },
  { tool: 'line', icon: mdiVectorPolyline, label: 'Draw a line with a width' },
  { tool: 'cells', icon: mdiGrid, label: 'Grid: pick its cells' },
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
          :disabled="tool !== 'pick' && tool !== 'cells' && !workspace.activeSource"
          @click="show.useTool(tool)"
        >
          <v-icon :icon="icon" size="20" />
          <v-tooltip activator="parent" location="bottom" :text="label" />
        </button>
      </div>
      <GridPanel v-if="show.tool === 'cells'" />
      <div v-else-if="show.tool !== 'pick'" class="help" role="status">
        {{ AREA_HELP[show.tool] }}<b v-if="typed" data-test="typed"> · {{ typed }} m, Enter</b><b v-else-if="measure"> · {{ measure }}</b>
      </div>
      <div class="view-tools">
        <button
          type="button"
          aria-label="Show all that is kept"
          :disabled="!workspace.activeSource"
          @click="fit(true).catch(notices.complain)"
        >
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
          <v-tooltip activator="parent" location="right" :text="show.sifted ? 'Hide what is sifted out' : 'Show what is sifted out'" />
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
