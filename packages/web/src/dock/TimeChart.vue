<script setup lang="ts">
import { exprOfForm, lastDayOf } from '@clean-sieve/core';
import { mdiPause, mdiPlay } from '@mdi/js';
import { axisBottom, brushX, max as largest, scaleSqrt, scaleUtc, select, type D3BrushEvent } from 'd3';
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { api } from '../api/client.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';
import { useAnswerBeside, useOwnCondition } from './own_condition.ts';
import { periodInWords } from './period_words.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const editing = useTreeEditing();

const EDGE = 16;
const FOOT = 20;
/** Milliseconds between two steps of the moving window. */
const PACE = 700;

const frame = ref<HTMLElement>();
const brushed = ref<SVGGElement>();
const axis = ref<SVGGElement>();
const size = ref({ width: 600, height: 150 });
const chosen = ref<string | null>(null);
const hovered = ref<number | null>(null);

const columns = computed(() => (workspace.activeSource?.columns ?? []).filter(({ type, hidden }) => !hidden && type.startsWith('date')));
const column = computed(() => columns.value.find(({ name }) => name === chosen.value) ?? columns.value[0] ?? null);

/** The condition that the brush is: from … to on this column, at the top of the stack. */
const condition = useOwnCondition(column, (form) => (form.kind === 'days' && !form.outside ? form : null));
/** The bars stay while the brush moves over them. */
const times = useAnswerBeside(column, condition, api.times);

const bins = computed(() => times.value?.bins ?? []);
const starts = computed(() => bins.value.map(({ from }) => Date.parse(from)));
const x = computed(() => {
  const last = bins.value[bins.value.length - 1] as { from: string } | undefined;
  const end = times.value && last ? Date.parse(lastDayOf(times.value.unit, last.from)) + 86_400_000 : 1;
  return scaleUtc([starts.value[0] ?? 0, end], [EDGE, size.value.width - EDGE]);
});
/** By square root, as in the stack: small counts stay visible beside large ones. */
const y = computed(() => scaleSqrt([0, largest(bins.value, ({ all }) => all) ?? 1], [size.value.height - FOOT, 6]));
const bars = computed(() =>
  bins.value.map(({ all, kept }, i) => {
    const from = x.value(starts.value[i]);
    const to = i + 1 < bins.value.length ? x.value(starts.value[i + 1]) : size.value.width - EDGE;
    return {
      x: from,
      width: Math.max(0.6, to - from - (to - from > 3 ? 1 : 0)),
      all: y.value(all),
      kept: y.value(kept),
    };
  }),
);
const foot = computed(() => size.value.height - FOOT);

/** First and last bin of the window; null when the brush is not set. */
const window_ = computed<[number, number] | null>(() => {
  const form = condition.value?.form;
  if (!form || bins.value.length === 0) return null;
  const [from, to] = [form.from ?? bins.value[0].from, form.to ?? '9999-12-31'];
  const first = bins.value.findIndex((bin) => lastDayOf(times.value!.unit, bin.from) >= from);
  const last = bins.value.findLastIndex((bin) => bin.from <= to);
  return first < 0 || last < first ? null : [first, last];
});

function setWindow(first: number, last: number): void {
  if (!times.value || !column.value) return;
  const [from, to] = [bins.value[first].from, lastDayOf(times.value.unit, bins.value[last].from)];
  const expr = exprOfForm({ kind: 'days', column: column.value.name, from, to, outside: false, blanks: false });
  if (condition.value) editing.setExpr(condition.value.id, expr);
  else editing.narrow(expr, 'time window');
}

function binAt(px: number): number {
  const at = x.value.invert(px).getTime();
  const after = starts.value.findIndex((start) => start > at);
  return after < 0 ? bins.value.length - 1 : Math.max(0, after - 1);
}

let silent = false;
function onBrush(event: D3BrushEvent<unknown>): void {
  if (silent || !event.sourceEvent) return;
  const span = event.selection as [number, number] | null;
  if (span === null) {
    if (event.type === 'end' && condition.value) editing.remove(condition.value.id);
    return;
  }
  if (span[1] - span[0] < 2) return;
  setWindow(binAt(span[0] + 0.5), binAt(span[1] - 0.5));
}

/** Lays the brush over the window that the condition says. */
function drawBrush(): void {
  if (!brushed.value || !axis.value) return;
  const brush = brushX<unknown>()
    .extent([
      [EDGE, 2],
      [size.value.width - EDGE, foot.value],
    ])
    .on('brush end', onBrush);
  const group = select(brushed.value);
  silent = true;
  group.call(brush as never);
  const span = window_.value;
  const ends: [number, number] | null = span && [
    bars.value[span[0]].x,
    span[1] + 1 < bars.value.length ? bars.value[span[1] + 1].x : size.value.width - EDGE,
  ];
  brush.move(group as never, ends);
  silent = false;
  select(axis.value).call(
    axisBottom(x.value)
      .ticks(Math.max(2, size.value.width / 90))
      .tickSizeOuter(0) as never,
  );
}
watch([bars, window_], () => void nextTick(drawBrush));

const playing = ref(false);
let timer: ReturnType<typeof setInterval> | undefined;
function play(): void {
  if (playing.value) return pause();
  const count = bins.value.length;
  if (count === 0) return;
  const span = window_.value;
  if (!span || span[1] >= count - 1) {
    const width = span ? span[1] - span[0] : Math.max(0, Math.round(count / 12) - 1);
    setWindow(0, Math.min(count - 1, width));
  }
  playing.value = true;
  timer = setInterval(() => step(1), PACE);
}
function pause(): void {
  clearInterval(timer);
  playing.value = false;
}
/** Moves the window by one bin; at the end it stays. */
function step(by: 1 | -1): void {
  const span = window_.value;
  if (!span || span[0] + by < 0 || span[1] + by >= bins.value.length) return pause();
  setWindow(span[0] + by, span[1] + by);
}

let watching: ResizeObserver | null = null;
onMounted(() => {
  watching = new ResizeObserver(([entry]) => {
    size.value = { width: Math.max(200, entry.contentRect.width), height: Math.max(80, entry.contentRect.height) };
  });
  watching.observe(frame.value!);
});
onBeforeUnmount(() => {
  watching?.disconnect();
  pause();
});

const said = computed(() => {
  if (!times.value) return '';
  const at = hovered.value;
  const bin = at === null ? undefined : (bins.value[at] as (typeof bins.value)[number] | undefined);
  if (bin) return `${periodInWords(bin.from, lastDayOf(times.value.unit, bin.from))}: ${counted(bin.kept)} of ${counted(bin.all)}`;
  const span = window_.value;
  if (!span) return `Counts by ${times.value.unit}, heights by square root. Drag over the bars to keep a time.`;
  return `${periodInWords(bins.value[span[0]].from, lastDayOf(times.value.unit, bins.value[span[1]].from))}: ${plural(sifting.kept ?? 0, 'feature')} kept`;
});
const aside = computed(() => {
  if (!times.value) return '';
  const { blank, unplaced, unit } = times.value;
  return [blank > 0 ? `${counted(blank)} blank` : '', unplaced > 0 ? `${counted(unplaced)} not known to the ${unit}` : '']
    .filter((part) => part !== '')
    .join(' · ');
});
</script>

<template>
  <div class="time" data-test="time-chart">
    <p v-if="columns.length === 0" class="soft none">This source has no column of dates.</p>
    <template v-else>
      <div class="bar">
        <v-select
          v-if="column"
          :model-value="column.name"
          :items="columns.map((c) => ({ value: c.name, title: labelOf(c) }))"
          aria-label="Time column"
          class="choice"
          @update:model-value="(name: string) => (chosen = name)"
        />
        <button
          class="plain link play"
          type="button"
          :disabled="!times"
          :aria-label="playing ? 'Stop the window' : 'Move the window along'"
          data-test="play"
          @click="play"
        >
          <v-icon :icon="playing ? mdiPause : mdiPlay" size="19" />
          {{ playing ? 'Stop' : 'Move along' }}
        </button>
        <span class="said" data-test="time-said">{{ said }}</span>
        <span class="soft">{{ aside }}</span>
      </div>
      <div
        ref="frame"
        class="frame"
        tabindex="0"
        role="group"
        aria-label="Counts along time; left and right move the window"
        @keydown.left.prevent="step(-1)"
        @keydown.right.prevent="step(1)"
      >
        <svg :width="size.width" :height="size.height" @pointermove="hovered = binAt($event.offsetX)" @pointerleave="hovered = null">
          <g aria-hidden="true">
            <rect v-for="(bar, i) in bars" :key="`a${i}`" class="all" :x="bar.x" :y="bar.all" :width="bar.width" :height="foot - bar.all" />
            <rect
              v-for="(bar, i) in bars"
              :key="`k${i}`"
              class="kept"
              :x="bar.x"
              :y="bar.kept"
              :width="bar.width"
              :height="foot - bar.kept"
            />
          </g>
          <g ref="brushed" class="brush" />
          <g ref="axis" class="axis" :transform="`translate(0,${foot})`" />
        </svg>
      </div>
    </template>
  </div>
</template>

<style scoped>
.time {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
}
.none {
  margin: 0;
  padding: 12px 16px;
}
.bar {
  display: flex;
  flex: none;
  align-items: center;
  gap: 14px;
  padding: 8px 16px 2px;
}
.choice {
  flex: none;
  width: 170px;
}
.play {
  display: inline-flex;
  align-items: center;
  gap: 4px;
  white-space: nowrap;
}
.said {
  flex: 1;
  min-width: 0;
}
.frame {
  flex: 1;
  min-height: 0;
  overflow: hidden;
}
.all {
  fill: var(--line);
}
.kept {
  fill: var(--spruce-2);
}
.brush :deep(.selection) {
  fill: var(--copper);
  fill-opacity: 0.16;
  stroke: var(--copper);
  stroke-width: 1.5;
}
.axis :deep(text) {
  font-family: var(--sans);
  font-size: 11.5px;
  fill: var(--soft);
}
.axis :deep(path),
.axis :deep(line) {
  stroke: var(--line);
}
</style>
