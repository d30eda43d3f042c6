<script setup lang="ts">
import {
  areaRef,
  call,
  cellsIn,
  GEOMETRY_NAME,
  isGeographic,
  property,
  REFERENCE_SIZES,
  utm,
  utmZone,
  type Crs,
  type Grid,
} from '@clean-sieve/core';
import { computed, ref, watch } from 'vue';
import { api } from '../api/client.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { MOST_CELLS, useMapShow } from '../stores/map_show.ts';
import { useJobs } from '../stores/jobs.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { plural } from '../words/numbers.ts';

const workspace = useWorkspace();
const show = useMapShow();
const notices = useNotices();
const editing = useTreeEditing();
const jobs = useJobs();

const KINDS: { value: Grid['kind']; title: string }[] = [
  { value: 'square', title: 'Squares' },
  { value: 'hexagon', title: 'Hexagons' },
  { value: 'graticule', title: 'Degrees' },
  { value: 'mgrs', title: 'UTM / MGRS squares' },
  { value: 'british', title: 'British National Grid' },
  { value: 'irish', title: 'Irish Grid' },
];
const DEGREES = [0.001, 0.005, 0.01, 0.05, 0.1, 0.25, 0.5, 1, 5, 10, 15, 30];
const kind = ref<Grid['kind']>('square');
const size = ref('1000');
const referenced = computed(() => ['mgrs', 'british', 'irish'].includes(kind.value));
const free = computed(() => kind.value === 'square' || kind.value === 'hexagon');
const sizes = computed(() =>
  kind.value === 'graticule'
    ? DEGREES.map((value) => ({ value: String(value), title: `${value}°` }))
    : REFERENCE_SIZES.map((value) => ({ value: String(value), title: value >= 1000 ? `${value / 1000} km` : `${value} m` })),
);

/** The source's own system where it is in metres, else the zone of UTM that the map shows the middle of. */
const crs = computed<Crs>(() => {
  const own = workspace.activeSource?.crs;
  if (own && !isGeographic(own)) return own;
  const [west, south, east, north] = show.view;
  return utm(utmZone((west + east) / 2, (south + north) / 2), south + north < 0);
});
const grid = computed<Grid | null>(() => {
  const cell = Number(size.value);
  if (!(cell > 0)) return null;
  if (kind.value === 'square' || kind.value === 'hexagon') return { kind: kind.value, size: cell, crs: crs.value };
  return { kind: kind.value, size: cell };
});
watch(kind, (now) => {
  if (now === 'graticule') size.value = '0.05';
  else if (referenced.value ? !REFERENCE_SIZES.includes(Number(size.value)) : Number(size.value) < 1) size.value = '1000';
});
watch(grid, (now) => show.setGrid(now), { immediate: true });

const picked = computed(() => [...show.cells.keys()]);

function pickAll(): void {
  for (const { name, shape } of (grid.value && cellsIn(grid.value, show.view, MOST_CELLS)) ?? [])
    if (!show.cells.has(name)) show.toggleCell(name, shape);
}

async function areaOfCells(): Promise<string | null> {
  const names = picked.value;
  const what = referenced.value ? 'squares' : { square: 'squares', hexagon: 'hexagons', graticule: 'cells' }[kind.value as 'square'];
  const wanted = names.length === 1 ? names[0] : `${names.length} ${what}`;
  const shapes = [...show.cells.values()];
  try {
    const area = await workspace.addArea(
      workspace.freeAreaName(wanted),
      shapes.length === 1 ? shapes[0] : { type: 'GeometryCollection', geometries: shapes },
    );
    show.clearCells();
    return area.name;
  } catch (error) {
    notices.complain(error);
    return null;
  }
}

async function keepInCells(): Promise<void> {
  const name = await areaOfCells();
  if (name === null) return;
  show.useTool('pick');
  await editing.addCondition(call('s_intersects', property(GEOMETRY_NAME), areaRef(name)));
}

/** Cells over the whole of the active source, or over the view where nothing is open. */
const over = computed(() => workspace.activeSource?.extent ?? show.view);
async function makeSource(): Promise<void> {
  const now = grid.value;
  if (!now) return;
  const { name: of } = workspace.activeSource ?? { name: 'the view' };
  const title = KINDS.find(({ value }) => value === kind.value)!.title;
  const sizeNow = now.kind === 'graticule' ? `${now.size}°` : now.size >= 1000 ? `${now.size / 1000} km` : `${now.size} m`;
  const crs = 'crs' in now ? now.crs.name : null;
  const name = workspace.freeSourceName(`${title} of ${sizeNow} over ${of}`);
  try {
    const made = await api.makeSource({ kind: 'grid', name, grid: { kind: now.kind, size: now.size, crs }, box: over.value });
    const { result } = await jobs.follow(made);
    if (result?.sourceId === undefined) return;
    await workspace.load();
    workspace.openSource(result.sourceId);
    show.useTool('pick');
    notices.say(`${name}: a new source of ${plural(result.features ?? 0, 'cell')}.`);
  } catch (error) {
    notices.complain(error);
  }
}

async function makeArea(): Promise<void> {
  const name = await areaOfCells();
  if (name !== null) notices.say(`${name} is an area now.`);
}
</script>

<template>
  <aside class="grid-panel" aria-label="Grid" data-test="grid-panel">
    <div class="fields">
      <v-select v-model="kind" :items="KINDS" label="Grid" data-test="grid-kind" />
      <v-text-field
        v-if="free"
        v-model="size"
        type="number"
        min="1"
        suffix="m"
        :label="kind === 'hexagon' ? 'Width' : 'Side'"
        class="size"
        data-test="grid-size"
      />
      <v-select v-else v-model="size" :items="sizes" label="Side" class="size" data-test="grid-size" />
    </div>
    <p v-if="show.gridProblem" class="soft" role="status">{{ show.gridProblem }}</p>
    <p v-else-if="picked.length === 0" class="soft" role="status">
      Click the cells that you want, or
      <button class="plain link" type="button" data-test="all-cells" @click="pickAll">take all in view</button
      ><template v-if="free">. In {{ crs.name }}</template
      ><template v-else-if="kind === 'british'">. Good to about 5 m here</template>
    </p>
    <template v-else>
      <p role="status" data-test="cells-picked">
        <b>{{ picked.length === 1 ? picked[0] : plural(picked.length, 'cell') }}</b> ·
        <button class="plain link" type="button" @click="show.clearCells()">none</button>
      </p>
      <div class="fields">
        <v-btn size="small" color="primary" :disabled="!workspace.activeSource" data-test="keep-cells" @click="keepInCells"
          >Keep what meets {{ picked.length === 1 ? 'it' : 'them' }}</v-btn
        >
        <v-btn size="small" variant="text" data-test="cells-area" @click="makeArea">Make an area</v-btn>
      </div>
    </template>
    <p v-if="grid && !show.gridProblem.startsWith('This grid')" class="soft">
      <button class="plain link" type="button" data-test="cells-source" @click="makeSource">Make a source of all cells</button>
      {{ workspace.activeSource ? `that meet the box of ${workspace.activeSource.name}` : 'in view' }}
    </p>
  </aside>
</template>

<style scoped>
.grid-panel {
  position: absolute;
  left: 12px;
  top: 62px;
  width: 316px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 12px;
  border-radius: 14px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
}
.fields {
  display: flex;
  gap: 8px;
}
.fields > :first-child {
  flex: 1;
  min-width: 0;
}
.size {
  flex: none !important;
  width: 112px;
}
p {
  margin: 0;
}
</style>
