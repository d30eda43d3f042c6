<script setup lang="ts">
import { fromMercator, mapOnPage, PAGE_MARK, sentenceOf } from '@clean-sieve/core';
import type { PageRequest, SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { api } from '../api/client.ts';
import { saveFile } from '../clipboard/save_file.ts';
import { placedConditions, shapeOfForm } from '../map/area_tools.ts';
import { useLabelled } from '../map/layers/use_labels.ts';
import { passesOf } from '../map/passes.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { isSample } from '../sources/state.ts';
import { useSifting } from '../stores/sifting.ts';
import { useStyles } from '../stores/styles.ts';
import { useClasses } from '../style/use_classes.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted, plural } from '../words/numbers.ts';
import { PALETTE, SHAPE_PATHS } from '../words/palette.ts';
import { pagePicture } from './page_sheet.ts';
import { barLength, lengthInWords, mapPicture, resolutionOf, roundScale } from './map_picture.ts';

/** The map as a page (PDF) or a picture (PNG), with legend, scale, sentence and date. */
const emit = defineEmits<{ done: [] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const classes = useClasses(true);
const styles = useStyles();
const show = useMapShow();
const labelled = useLabelled();
const notices = useNotices();

const as = ref<'a4' | 'a3' | 'png'>('a4');
const landscape = ref(true);
const width = ref(1600);
const height = ref(1000);
const title = ref('');
const scale = ref(0);
const busy = ref(false);
const shown = ref('');

/** Paper is light, whatever the screen is. */
const MAP_COLOURS = {
  dark: false,
  sea: '#dfe8e6',
  river: '#a9c3c0',
  land: '#f2ecdc',
  coast: '#b9a888',
  context: '#b3a17d',
  faint: '#56685f',
  rim: '#fffdf7',
  name: '#22302b',
  violet: '#64479b',
};
/** Of the marks in the key: on the picture pixels, on the page points, which are 0.75 CSS pixels, in a unit of their paths. */
const KEY_UNIT = PAGE_MARK;
/** Pixels in a point of the page that is looked at before. */
const PREVIEW_RATIO = 1.25;
/** Pixels in a CSS pixel of the page: some 200 to the inch. */
const PAGE_RATIO = 200 / 96;

const source = computed(() => workspace.activeSource);
const sentence = computed(() =>
  source.value
    ? sentenceOf(source.value.name, sifting.shownTree, workspace.wording(source.value))
        .map(({ text }) => text)
        .join('')
    : '',
);
/** The sieve that the title and the sentence are about comes first: a page has room for so many. */
const legend = computed(() =>
  workspace.sieves
    .filter((sieve) => sieve.visible || sieve.id === workspace.activeSieveId)
    .sort((a, b) => Number(b.id === workspace.activeSieveId) - Number(a.id === workspace.activeSieveId))
    .flatMap((sieve) => {
      const { colour, shape } = PALETTE[sieve.colour];
      const of = workspace.sources.find(({ id }) => id === sieve.sourceId);
      const kept = sifting.results.get(sieve.id)?.head.kept;
      const own = {
        name: workspace.nameOf(sieve),
        count: [
          kept === undefined || kept === null ? '' : `${counted(kept)} of ${plural(of?.rows ?? 0, 'feature')}`,
          of && isSample(of) ? 'drawn is a sample' : '',
        ]
          .filter((text) => text !== '')
          .join('; '),
        colour,
        // What is drawn by classes has no one mark.
        path: sieve.style?.classing ? '' : SHAPE_PATHS[shape],
      };
      return [own, ...keyOf(sieve)];
    })
    .concat(workspace.activeSieve || !source.value ? [] : keyOf(source.value)),
);
const ofSample = (styled: SieveInfo | SourceInfo) =>
  workspace.sources.some((one) => one.id === ('sourceId' in styled ? styled.sourceId : styled.id) && isSample(one));
/** The classes that it is drawn by, below it. */
const keyOf = (styled: SieveInfo | SourceInfo) =>
  classes.keyOf(styled, as.value === 'png' ? KEY_UNIT : KEY_UNIT / 0.75).map(({ name, kept, colour, path }) => ({
    ...{ name: `– ${name}`, colour, path },
    count: kept === null ? '' : `${plural(kept, 'feature')}${ofSample(styled) ? ' of the sample' : ''}`,
  }));
const date = new Date().toISOString().slice(0, 10);

/** Size of the map on the page in CSS pixels, by the layout that the page has. */
const mapSize = computed<[number, number]>(() => {
  if (as.value === 'png') return [Number(width.value) || 800, Number(height.value) || 600];
  const { width: w, height: h } = mapOnPage({ paper: as.value, landscape: landscape.value });
  return [Math.round((w * 96) / 72), Math.round((h * 96) / 72)];
});
const middle = computed(() => {
  const [west, south, east, north] = show.view;
  return { lon: (west + east) / 2, lat: (south + north) / 2, width: east - west, height: north - south };
});
/** The scale that holds what the map on the screen shows: a round one on paper. */
const fitting = computed(() => {
  const { lat, width: w, height: h } = middle.value;
  const ground: [number, number] = [w * 111_320 * Math.cos((lat * Math.PI) / 180), h * 111_320];
  const paper = mapSize.value.map((side) => (side * 0.0254) / 96) as [number, number];
  return as.value === 'png' ? Math.ceil(Math.max(ground[0] / paper[0], ground[1] / paper[1])) : roundScale(ground, paper);
});
const chosen = computed(() => (scale.value > 0 ? scale.value : fitting.value));

async function draw(ratio: number): Promise<HTMLCanvasElement> {
  const passes = passesOf({
    sources: workspace.sources,
    sieves: workspace.sieves,
    activeSource: workspace.activeSource,
    activeSieve: workspace.activeSieve,
    maskOf: (id) => sifting.results.get(id)?.mask ?? null,
    nearMisses: null,
    ofAll: null,
    picks: null,
    classesOf: classes.passesOf,
    levelsOf: styles.levelsOf,
    hidden: show.hidden,
    showSifted: show.sifted,
    colours: MAP_COLOURS,
  });
  const { lon, lat } = middle.value;
  const center: [number, number] = [lon * 111_319.49079327358, 6_378_137 * Math.log(Math.tan(Math.PI / 4 + (lat * Math.PI) / 360))];
  const sight = { center, resolution: resolutionOf(chosen.value, lat) };
  const areas = placedConditions(sifting.shownTree, source.value?.columns ?? []).flatMap(({ form, off }) =>
    off ? [] : (shapeOfForm(form, workspace.areaShapes) ?? []),
  );
  const half = mapSize.value.map((side) => (side / 2) * sight.resolution);
  const [west, south] = fromMercator(center[0] - half[0], center[1] - half[1]);
  const [east, north] = fromMercator(center[0] + half[0], center[1] + half[1]);
  const { features: labels } = await labelled([west, south, east, north], 'mercator');
  return mapPicture(mapSize.value, ratio, sight, passes, areas, labels, show.ground, MAP_COLOURS);
}

/** Scale bar, north and legend on the picture itself. */
function furnish(canvas: HTMLCanvasElement, ratio: number): void {
  const context = canvas.getContext('2d')!;
  context.scale(ratio, ratio);
  const [w, h] = mapSize.value;
  const metres = (chosen.value * 0.0254) / 96;
  const length = barLength(Math.min(160, w / 4) * metres);
  const lines = [...legend.value.map(({ name, count }) => `${name}  ${count}`), sentence.value];
  context.font = "13px 'Source Sans 3 Variable', sans-serif";
  const wide = Math.min(w - 24, Math.max(...lines.slice(0, -1).map((line) => context.measureText(line).width), 120) + 46);
  const high = 22 * legend.value.length + 12;
  context.fillStyle = 'rgba(255, 253, 247, 0.92)';
  context.fillRect(12, h - high - 12, wide, high);
  context.fillRect(w - 200, h - 46, 188, 34);
  legend.value.forEach(({ name, count, colour, path }, i) => {
    const y = h - high - 12 + 17 + 22 * i;
    context.save();
    context.translate(28, y);
    context.scale(KEY_UNIT, KEY_UNIT);
    context.fillStyle = colour;
    context.fill(new Path2D(path));
    context.restore();
    context.fillStyle = '#22302b';
    context.fillText(`${name}  ${count}`, 42, y + 4.5, wide - 40);
  });
  context.strokeStyle = context.fillStyle = '#22302b';
  context.lineWidth = 1.5;
  const from = w - 188;
  context.beginPath();
  context.moveTo(from, h - 30);
  context.lineTo(from, h - 22);
  context.lineTo(from + length / metres, h - 22);
  context.lineTo(from + length / metres, h - 30);
  context.stroke();
  context.fillText(`${lengthInWords(length)} · 1 : ${chosen.value.toLocaleString('en-GB')}`, from, h - 34);
}

/** What stands on the page beside the map. */
function content(paper: 'a4' | 'a3'): Omit<PageRequest, 'picture'> {
  const metres = (chosen.value * 0.0254) / 72;
  const length = barLength(150 * metres);
  return {
    paper,
    landscape: landscape.value,
    title: title.value || 'Map',
    sentence: sentence.value,
    legend: legend.value,
    scale: `1 : ${chosen.value.toLocaleString('en-GB')}`,
    bar: { points: length / metres, label: lengthInWords(length) },
    system: `Web Mercator (EPSG:3857), true scale at ${Math.abs(middle.value.lat).toFixed(2)}°${middle.value.lat < 0 ? 'S' : 'N'}`,
    date: `${date} · as of ${workspace.asOf ?? workspace.today}`,
  };
}

let timer: ReturnType<typeof setTimeout> | undefined;
async function preview(): Promise<void> {
  try {
    const paper = as.value;
    const ratio = paper === 'png' ? Math.min(1, 900 / mapSize.value[0]) : PREVIEW_RATIO / (96 / 72);
    const canvas = await draw(ratio);
    if (paper === 'png') furnish(canvas, ratio);
    shown.value = (paper === 'png' ? canvas : pagePicture(content(paper), canvas, PREVIEW_RATIO)).toDataURL();
  } catch (error) {
    notices.complain(error);
  }
}
watch([mapSize, chosen, title, legend, sentence], () => {
  clearTimeout(timer);
  timer = setTimeout(() => void preview(), 250);
});
onMounted(() => {
  title.value = workspace.activeSieve ? workspace.nameOf(workspace.activeSieve) : (source.value?.name ?? '');
  void preview();
});
onBeforeUnmount(() => clearTimeout(timer));

function save(blob: Blob, ending: string): void {
  saveFile(blob, `${title.value || 'map'}${ending}`);
}

async function make(): Promise<void> {
  busy.value = true;
  try {
    const ratio = as.value === 'png' ? 1 : PAGE_RATIO;
    const canvas = await draw(ratio);
    if (as.value === 'png') furnish(canvas, 1);
    const blob = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, 'image/png'));
    if (!blob) throw new Error('The picture is too large for this browser; choose a smaller one');
    if (as.value === 'png') save(blob, '.png');
    else {
      const picture = await new Promise<string>((resolve) => {
        const reader = new FileReader();
        reader.onload = () => resolve((reader.result as string).replace(/^[^,]*,/, ''));
        reader.readAsDataURL(blob);
      });
      save(await api.page({ ...content(as.value), picture }), '.pdf');
    }
    emit('done');
  } catch (error) {
    notices.complain(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="page side-by-side">
    <section class="choices">
      <v-text-field v-model="title" label="Title" maxlength="120" data-test="page-title" />
      <div class="kinds" role="radiogroup" aria-label="As">
        <label><input v-model="as" type="radio" value="a4" /> Page A4 <span class="soft">.pdf</span></label>
        <label><input v-model="as" type="radio" value="a3" /> Page A3 <span class="soft">.pdf</span></label>
        <label><input v-model="as" type="radio" value="png" /> Picture <span class="soft">.png</span></label>
      </div>
      <v-checkbox v-if="as !== 'png'" v-model="landscape" label="Landscape" />
      <div v-else class="row">
        <v-text-field v-model.number="width" type="number" min="200" max="8000" suffix="px" label="Width" />
        <v-text-field v-model.number="height" type="number" min="200" max="8000" suffix="px" label="Height" />
      </div>
      <v-text-field
        :model-value="scale || ''"
        type="number"
        min="1"
        prefix="1 :"
        :placeholder="fitting.toLocaleString('en-GB')"
        persistent-placeholder
        label="Scale"
        data-test="page-scale"
        @update:model-value="(value: string) => (scale = Number(value) || 0)"
      />
      <p class="soft">
        What the map shows now, about its middle. A page gets title, sentence, legend with counts, scale bar, north, system and date; a
        picture gets legend and scale bar.
      </p>
      <p class="sentence">{{ sentence }}</p>
      <v-btn color="primary" :disabled="busy" data-test="make-page" @click="make">{{
        as === 'png' ? 'Save the picture' : 'Save the page'
      }}</v-btn>
    </section>
    <div class="look">
      <img v-if="shown" :src="shown" :alt="as === 'png' ? 'The picture as it will be' : 'The page as it will be'" data-test="page-look" />
      <p v-else class="soft">Drawing the map …</p>
    </div>
  </div>
</template>

<style scoped>
.page {
  display: grid;
  flex: 1;
  grid-template-columns: 300px minmax(0, 1fr);
  gap: 20px;
  min-height: 0;
}
.choices {
  display: flex;
  flex-direction: column;
  gap: 12px;
  padding-top: 6px;
}
.choices > * {
  flex: none;
}
.kinds {
  display: grid;
  gap: 4px;
}
.kinds input {
  accent-color: var(--spruce);
}
.row {
  display: flex;
  gap: 8px;
}
.look {
  display: grid;
  place-items: center;
  min-height: 0;
  padding: 12px;
  border-radius: 10px;
  background: var(--sunk);
}
img {
  max-width: 100%;
  max-height: 620px;
  box-shadow: var(--shadow);
}
p {
  margin: 0;
}
</style>
