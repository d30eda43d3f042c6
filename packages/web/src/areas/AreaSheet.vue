<script setup lang="ts">
import { fourNumbers, LENGTH_UNITS, readShape, ShapeError, type AreaShape, type LengthUnit } from '@clean-sieve/core';
import { computed, ref, watch } from 'vue';
import type { Geometry } from 'geojson';
import { api } from '../api/client.ts';
import { useJobs } from '../stores/jobs.ts';
import { useNotices } from '../stores/notices.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';
import LayerPreviewMap from '../import/LayerPreviewMap.vue';
import { placeInWords, sizeInWords } from './size.ts';
import { useOutline } from './outline.ts';

const open = defineModel<boolean>({ required: true });
const workspace = useWorkspace();
const show = useMapShow();
const notices = useNotices();
const jobs = useJobs();
const units = Object.keys(LENGTH_UNITS).map((unit) => ({ value: unit, title: unit }));

const name = ref('');
const text = ref('');
const widened = ref(false);
const distance = ref('400');
const unit = ref<LengthUnit>('m');

const read = computed<{ shape: AreaShape | null; problem: string }>(() => {
  if (text.value.trim() === '') return { shape: null, problem: '' };
  const reach = Number(distance.value);
  if (widened.value && !(reach > 0)) return { shape: null, problem: 'The distance is a number above 0' };
  try {
    return {
      shape: readShape(
        text.value,
        widened.value ? { distance: reach, unit: unit.value } : null,
        workspace.activeSource?.crs.definition ? workspace.activeSource.crs : null,
      ),
      problem: '',
    };
  } catch (error) {
    if (error instanceof ShapeError) return { shape: null, problem: error.message };
    throw error;
  }
});
const outline = useOutline(() => read.value.shape);
/** Four numbers can be a box in two orders; which one is for the person to say. */
const four = computed(() => fourNumbers(text.value));
function readBox([a, b, c, d]: number[], longitudeFirst: boolean): void {
  text.value = longitudeFirst ? `BBOX(${a}, ${b}, ${c}, ${d})` : `BBOX(${b}, ${a}, ${d}, ${c})`;
  widened.value = false;
}
const taken = computed(() => workspace.areaShapes.has(name.value.trim()));

watch(
  open,
  (now) => {
    if (!now) return;
    name.value = freeName();
    text.value = '';
    widened.value = false;
    distance.value = '400';
    unit.value = 'm';
  },
  { immediate: true },
);
/** A place is most often meant with something round it. */
watch(
  () => read.value.shape,
  (shape) => {
    if (shape && 'type' in shape && shape.type === 'Point') widened.value = true;
  },
);

function freeName(): string {
  for (let i = workspace.areas.length + 1; ; i++) if (!workspace.areaShapes.has(`Area ${i}`)) return `Area ${i}`;
}

/** What the map shows now, as a rectangle that stays. */
function takeView(): void {
  const [west, south, east, north] = show.view;
  const corners = [
    [west, south],
    [east, south],
    [east, north],
    [west, north],
    [west, south],
  ];
  text.value = `POLYGON((${corners.map((corner) => corner.map((v) => Number(v.toFixed(6))).join(' ')).join(', ')}))`;
  widened.value = false;
}

const chooser = ref<HTMLInputElement>();
const reading = ref(false);

/** The shapes of a file, all of them together. */
async function readFile(event: Event): Promise<void> {
  const files = [...((event.target as HTMLInputElement).files ?? [])];
  (event.target as HTMLInputElement).value = '';
  if (files.length === 0) return;
  reading.value = true;
  let upload: string | undefined;
  try {
    for (const file of files) upload = await api.upload(file, upload);
    const job = await jobs.follow(
      await api.look(
        upload!,
        files.map((file) => file.name),
        {},
      ),
    );
    const looks = job.result?.looks ?? [];
    const problem = looks.find((look) => look.error ?? look.crsProblem);
    if (problem) throw new Error(`${problem.file}: ${problem.error ?? problem.crsProblem}`);
    const cut = looks.find((look) => !look.complete);
    if (cut)
      throw new Error(
        `${cut.file} has more than ${counted(cut.looked)} features. Bring it in as a source, which conditions can be about as a whole`,
      );
    const geometries = looks.flatMap((look) => look.shapes as Geometry[]);
    if (geometries.length === 0) throw new Error(`There is no shape in ${files[0].name}`);
    text.value = JSON.stringify(geometries.length === 1 ? geometries[0] : { type: 'GeometryCollection', geometries });
    widened.value = false;
    if (/^Area \d+$/.test(name.value)) name.value = workspace.freeAreaName(files[0].name.replace(/\.[^.]+$/, ''));
  } catch (error) {
    notices.complain(error);
  } finally {
    reading.value = false;
    if (upload) void api.dropUpload(upload);
  }
}

async function add(): Promise<void> {
  if (!read.value.shape) return;
  try {
    await workspace.addArea(name.value.trim(), read.value.shape);
    open.value = false;
  } catch (error) {
    notices.complain(error);
  }
}
</script>

<template>
  <v-dialog v-model="open" width="560">
    <v-card class="dialog" data-test="area-sheet">
      <h3>A new area</h3>
      <v-text-field
        v-model="name"
        label="Name"
        maxlength="200"
        data-test="area-name"
        :error-messages="taken ? 'There is an area of this name' : ''"
      />
      <v-textarea
        v-model="text"
        label="Shape"
        persistent-placeholder
        rows="5"
        autofocus
        class="shape"
        data-test="area-shape"
        placeholder="46.6012, -12.0954    or    46°36′04″N 12°05′43″W&#10;29T MM 123 456    or    TG 514 131    or    29N 512000 5160000&#10;POLYGON((-12.1 46.6, -12.0 46.6, -12.0 46.7, -12.1 46.6))&#10;or GeoJSON"
      />
      <p v-if="four" class="problem" role="alert" data-test="area-order">
        Four numbers can be a box in two orders. These are
        <button class="plain link" type="button" @click="readBox(four, true)">west, south, east, north</button> or
        <button class="plain link" type="button" @click="readBox(four, false)">south, west, north, east</button>?
      </p>
      <p v-else-if="read.problem" class="problem" role="alert" data-test="area-problem">{{ read.problem }}</p>
      <template v-else-if="read.shape">
        <p class="soft" data-test="area-size">
          {{ sizeInWords(read.shape) }}, {{ placeInWords(read.shape) }}
          <template v-if="workspace.activeSource?.extent"> · dashed: where {{ workspace.activeSource.name }} lies</template>
        </p>
        <div class="understood" data-test="area-preview">
          <LayerPreviewMap v-if="outline" :shapes="[outline.shape]" :extent="outline.extent" :beside="workspace.activeSource?.extent" />
        </div>
      </template>
      <p v-else class="soft">
        Longitude first in WKT and GeoJSON, latitude first in a place.
        <button class="plain link" type="button" @click="takeView">Take what the map shows now</button> ·
        <button class="plain link" type="button" :disabled="reading" @click="chooser?.click()">
          {{ reading ? 'Reading …' : 'Read it from a file' }}
        </button>
      </p>
      <input ref="chooser" type="file" multiple hidden data-test="area-file" @change="readFile" />
      <div class="round">
        <v-checkbox v-model="widened" label="and everything within" />
        <v-text-field v-model="distance" type="number" min="0" :disabled="!widened" aria-label="Distance" />
        <v-select v-model="unit" :items="units" :disabled="!widened" aria-label="Unit" />
      </div>
      <div class="buttons">
        <v-btn variant="text" @click="open = false">Cancel</v-btn>
        <v-btn color="primary" :disabled="!read.shape || name.trim() === '' || taken" data-test="area-add" @click="add">Add the area</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.understood {
  height: 190px;
}
.shape :deep(textarea::placeholder) {
  color: var(--soft);
  opacity: 1;
}
.shape :deep(textarea) {
  font-family: var(--mono);
  font-size: 13px;
}
.problem {
  color: var(--copper-text);
  font-weight: 600;
}
.round {
  display: grid;
  grid-template-columns: auto 110px 90px;
  align-items: center;
  gap: 10px;
}
</style>
