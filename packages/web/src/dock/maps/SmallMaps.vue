<script setup lang="ts">
import { classCounts, emptyTree, REST, type Classing } from '@clean-sieve/core';
import { mdiFilterPlusOutline } from '@mdi/js';
import { computed, nextTick, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { api } from '../../api/client.ts';
import { latest } from '../../api/latest.ts';
import type { MapFrame } from '../../map/drawing/paint.ts';
import { PictureQueue } from '../../map/drawing/picture_queue.ts';
import { useMapColours } from '../../map/layers/map_colours.ts';
import { choosePlane } from '../../map/plane_choice.ts';
import { boxOnPlane } from '../../map/planes.ts';
import { smallPasses } from '../../map/passes.ts';
import { useTreeEditing } from '../../stack/tree_editing.ts';
import { useNotices } from '../../stores/notices.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useStyles } from '../../stores/styles.ts';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { shownClasses, type ShownClass } from '../../style/class_marks.ts';
import { conditionsOfClass } from '../../style/class_conditions.ts';
import { styled } from '../../style/first_style.ts';
import { stateOf } from '../../sources/state.ts';
import { labelOf } from '../../words/cells.ts';
import { counted, plural } from '../../words/numbers.ts';
import ColumnSelect from '../charts/ColumnSelect.vue';
import { classMasks } from './class_masks.ts';
import { firstMappable, mapClasses, mappableOf } from './map_classes.ts';

/** One little map a class, all of one extent, each with its count: how does it differ between them? */
const emit = defineEmits<{ state: [text: string] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const views = useViews();
const styles = useStyles();
const notices = useNotices();
const editing = useTreeEditing();
const colours = useMapColours();

const [WIDE, HIGH] = [160, 106];
const source = computed(() => workspace.activeSource!);
const columns = computed(() => mappableOf(source.value.columns));
const column = computed(() => columns.value.find(({ name }) => name === views.view.maps) ?? firstMappable(source.value.columns));

const parted = shallowRef<{ classing: Classing; codes: Uint8Array } | null>(null);
const asking = latest();
watch(
  () => [column.value?.name, stateOf(source.value)],
  async () => {
    const of = column.value;
    parted.value = null;
    if (!of) return;
    const found = await asking(async (signal) => {
      const classing = await mapClasses(source.value.id, of);
      return { classing, codes: await api.classes(source.value.id, classing, signal) };
    }).catch(notices.complain);
    if (found) parted.value = found;
  },
  { immediate: true },
);
const mask = computed(() => (workspace.activeSieve ? (sifting.active?.mask ?? null) : null));
/** The classes that have a feature, with how many of it are kept. */
const maps = computed(() => {
  if (!parted.value || !column.value || (workspace.activeSieve && !mask.value)) return [];
  const { classing, codes } = parted.value;
  const of = column.value;
  const counts = classCounts(codes, mask.value);
  const { dark, faint } = colours.value;
  return shownClasses(classing, of, (value) => workspace.shownOf(of, value), { dark, faint }).flatMap((one) =>
    counts.all[one.number] === 0 ? [] : [{ ...one, all: counts.all[one.number], kept: counts.kept[one.number] }],
  );
});
watch(
  () => maps.value.length,
  (many) => emit('state', many > 0 ? plural(many, 'map') : ''),
  { immediate: true },
);

/** Where the features lie; what is wide may be closer together across the 180° meridian. */
const extent = shallowRef(source.value.extent);
watch(
  () => stateOf(source.value),
  async () => {
    const [west, , east] = (extent.value = source.value.extent) ?? [0, 0, 0];
    if (east - west <= 180) return;
    const found = await api.aggregate(source.value.id, { tree: emptyTree() }, { kind: 'extent' }).catch(notices.complain);
    if (found) extent.value = found;
  },
  { immediate: true },
);
const frame = computed<MapFrame | null>(() => {
  if (!extent.value) return null;
  const plane = choosePlane(extent.value, 'mercator');
  const [west, south, east, north] = boxOnPlane(extent.value, plane);
  const ratio = window.devicePixelRatio;
  const resolution = Math.max((east - west) / (WIDE - 8), (north - south) / (HIGH - 8), 0.05);
  return {
    plane,
    center: [(west + east) / 2, (south + north) / 2],
    resolution,
    width: Math.round(WIDE * ratio),
    height: Math.round(HIGH * ratio),
    ratio,
  };
});

const canvases = ref<HTMLCanvasElement[]>([]);
const queue = new PictureQueue();
onBeforeUnmount(() => {
  round++;
  queue.close();
});
let round = 0;
/** Draws each map anew; a change meanwhile begins with the first again. */
async function draw(): Promise<void> {
  const mine = ++round;
  await nextTick();
  if (!parted.value || !frame.value) return;
  const numbers = maps.value.map(({ number }) => number);
  const some = classMasks(parted.value.codes, numbers, null);
  const kept = classMasks(parted.value.codes, numbers, mask.value);
  for (const one of maps.value) {
    if (mine !== round) return;
    const masks = { some: some.get(one.number)!, kept: kept.get(one.number)!, colour: one.mark.colour };
    try {
      const picture = await queue.draw(frame.value, smallPasses(workspace.sources, source.value, masks, colours.value));
      const canvas = canvases.value.find(({ dataset }) => dataset.number === String(one.number));
      if (mine !== round || !canvas) return picture.close();
      canvas.getContext('bitmaprenderer')?.transferFromImageBitmap(picture);
    } catch (error) {
      notices.complain(error);
      return;
    }
  }
}
watch([maps, frame, colours], () => void draw(), { immediate: true });

function keep({ number }: ShownClass): void {
  if (parted.value && column.value) editing.narrowBy(conditionsOfClass(parted.value.classing, column.value, number), 'keep a class');
}
/** The class alone on the large map. */
function showAlone({ number }: ShownClass): void {
  if (!parted.value) return;
  const hidden = [...new Set([...maps.value.map((one) => one.number), REST, 255])].filter((one) => one !== number);
  void styles.change({ ...styled(parted.value.classing, styles.style), hidden });
}
</script>

<template>
  <div class="small-maps" data-test="small-maps">
    <header>
      <ColumnSelect
        v-if="column"
        :column="column.name"
        :columns="columns"
        label="A map for each"
        data-test="maps-column"
        @change="(name) => views.change({ maps: name }, 'small maps')"
      />
      <span class="soft">{{ parted ? 'All of one extent. A click shows one alone on the large map.' : 'Counting …' }}</span>
    </header>
    <p v-if="!column" class="soft none">This source has no column to part its features by.</p>
    <p v-else-if="!frame" class="soft none">No feature of this source has a place on a map.</p>
    <div v-else class="grid" role="group" :aria-label="`Small maps by ${labelOf(column)}`">
      <figure v-for="one in maps" :key="one.number" data-test="small-map">
        <button type="button" class="plain picture" :aria-label="`Show ${one.label} alone on the map`" @click="showAlone(one)">
          <canvas
            ref="canvases"
            :data-number="one.number"
            :width="frame.width"
            :height="frame.height"
            :style="{ width: `${WIDE}px`, height: `${HIGH}px`, background: colours.sea }"
          />
        </button>
        <figcaption>
          <span class="name" :title="one.label">{{ one.label }}</span>
          <span class="count"
            ><b>{{ counted(one.kept) }}</b
            ><span class="soft"> of {{ counted(one.all) }}</span></span
          >
          <button
            type="button"
            class="plain keep"
            :aria-label="`Keep only ${one.label}`"
            title="Keep only these: a condition"
            @click="keep(one)"
          >
            <v-icon :icon="mdiFilterPlusOutline" size="15" />
          </button>
        </figcaption>
      </figure>
    </div>
  </div>
</template>

<style scoped>
.small-maps {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-height: 0;
}
header {
  display: flex;
  flex: none;
  align-items: center;
  gap: 12px;
  padding: 6px 12px 4px;
  font-size: 12.5px;
}
.none {
  margin: 0;
  padding: 8px 12px;
}
.grid {
  display: flex;
  flex: 1;
  flex-wrap: wrap;
  align-content: flex-start;
  gap: 8px 10px;
  min-height: 0;
  overflow-y: auto;
  padding: 2px 12px 10px;
}
figure {
  width: 162px;
  margin: 0;
}
.picture {
  display: block;
  overflow: hidden;
  border-radius: 6px;
  border: 1px solid var(--line) !important;
}
.picture:hover {
  border-color: var(--copper) !important;
}
canvas {
  display: block;
}
figcaption {
  display: flex;
  align-items: baseline;
  gap: 6px;
  padding-top: 2px;
  font-size: 12.5px;
}
.name {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.count {
  white-space: nowrap;
  font-variant-numeric: tabular-nums;
}
.keep {
  align-self: center;
  min-width: 24px;
  min-height: 24px;
  color: var(--soft);
}
.keep:hover {
  color: var(--ink);
}
</style>
