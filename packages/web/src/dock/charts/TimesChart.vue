<script setup lang="ts">
import { exprOfForm, lastDayOf, type ChartOf } from '@clean-sieve/core';
import { mdiPause, mdiPlay } from '@mdi/js';
import { computed, onBeforeUnmount, ref } from 'vue';
import { useTreeEditing } from '../../stack/tree_editing.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { counted, plural } from '../../words/numbers.ts';
import AxisMarks from './AxisMarks.vue';
import BinBars from './BinBars.vue';
import { useChartAnswer } from './chart_answer.ts';
import ChartFrame from './ChartFrame.vue';
import ColumnSelect from './ColumnSelect.vue';
import { timesOf } from './first_charts.ts';
import { useFrameSize } from './frame_size.ts';
import { besideWord, useOwnCondition, besideOwn } from './own_condition.ts';
import { periodInWords } from './period_words.ts';
import RangeBrush from './RangeBrush.vue';
import { timeAxis } from './time_axis.ts';

/** Counts along time, with a window that is a condition and can move along by itself. */
const props = defineProps<{ chart: ChartOf<'times'> }>();
const views = useViews();
const workspace = useWorkspace();
const sifting = useSifting();
const editing = useTreeEditing();

const EDGE = 16;
const FOOT = 20;
/** Milliseconds between two steps of the moving window. */
const PACE = 700;

const frame = ref<HTMLElement>();
const size = useFrameSize(frame);
const hovered = ref<number | null>(null);

const columns = computed(() => timesOf(workspace.activeSource?.columns ?? []));
const column = computed(() => columns.value.find(({ name }) => name === props.chart.column) ?? columns.value[0] ?? null);

/** The condition that the brush is: from … to on this column, at the top of the stack. */
const condition = useOwnCondition(column, (form) => (form.kind === 'days' && !form.outside ? form : null));
/** The bars stay while the brush moves over them. */
const { answer: times, picked } = useChartAnswer(
  computed(() => column.value && { kind: 'times' as const, column: column.value.name }),
  besideOwn(() => [condition.value]),
);

const bins = computed(() => times.value?.bins ?? []);
const foot = computed(() => size.value.height - FOOT);
const axis = computed(() => timeAxis(times.value ?? null, picked.value ?? null, [EDGE, size.value.width - EDGE], [foot.value, 6]));

/** First and last bin of the window; null when the brush is not set. */
const window_ = computed(() => (condition.value ? axis.value.windowOf(condition.value.form.from, condition.value.form.to) : null));
/** The window as the brush lies over the bars. */
const span = computed(() => window_.value && axis.value.spanOf(window_.value));

function setWindow(first: number, last: number): void {
  if (!times.value || !column.value) return;
  const [from, to] = axis.value.periodOf(first, last);
  const blanks = condition.value?.form.blanks ?? false;
  const expr = exprOfForm({ kind: 'days', column: column.value.name, from, to, outside: false, blanks });
  if (condition.value) editing.setExpr(condition.value.id, expr);
  else editing.narrow(expr, 'time window');
}

function put(drawn: readonly [number, number], grown: boolean): void {
  setWindow(...axis.value.windowDrawn(drawn, grown ? window_.value : null));
}
function nudge(end: 0 | 1, by: 1 | -1): void {
  const next = window_.value && axis.value.nudged(window_.value, end, by);
  if (next) setWindow(...next);
}
function clear(): void {
  if (condition.value) editing.remove(condition.value.id);
}

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

onBeforeUnmount(pause);

const said = computed(() => {
  if (!times.value) return '';
  const at = hovered.value;
  const bin = at === null ? undefined : (bins.value[at] as (typeof bins.value)[number] | undefined);
  if (bin) {
    const some = picked.value && at !== null ? `, ${counted(picked.value.bins[at]?.kept ?? 0)} picked` : '';
    return `${periodInWords(bin.from, lastDayOf(times.value.unit, bin.from))}: ${counted(bin.kept)} of ${counted(bin.all)} ${besideWord(condition.value !== null)}${some}`;
  }
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
const nothing = computed(() => (column.value ? '' : 'This source has no column of dates.'));
</script>

<template>
  <ChartFrame :chart="chart" :nothing="nothing" :said="said" :aside="aside">
    <template #controls>
      <ColumnSelect
        v-if="column"
        :column="column.name"
        :columns="columns"
        label="Time column"
        @change="(name) => views.putChart({ ...chart, column: name })"
      />
      <button
        v-if="column"
        class="plain link play"
        type="button"
        :disabled="!times"
        :aria-label="playing ? 'Stop the window' : 'Move the window along'"
        data-test="play"
        @click="play"
      >
        <v-icon :icon="playing ? mdiPause : mdiPlay" size="19" />
        <span class="word">{{ playing ? 'Stop' : 'Move along' }}</span>
      </button>
    </template>
    <div
      ref="frame"
      class="frame"
      tabindex="0"
      role="group"
      aria-label="Counts along time; left and right move the window"
      @keydown.left.prevent="step(-1)"
      @keydown.right.prevent="step(1)"
    >
      <svg :width="size.width" :height="size.height" @pointermove="hovered = axis.binAt($event.offsetX)" @pointerleave="hovered = null">
        <BinBars :bars="axis.bars" :foot="foot" />
        <RangeBrush
          v-if="times"
          :extent="[EDGE, size.width - EDGE]"
          :top="2"
          :bottom="foot"
          :span="span"
          :texts="[condition?.form.from ?? '', condition?.form.to ?? '']"
          label="Time window"
          @span="put"
          @nudge="nudge"
          @clear="clear"
        />
        <AxisMarks :scale="axis.x" :ticks="Math.max(2, size.width / 90)" :transform="`translate(0,${foot})`" />
      </svg>
    </div>
  </ChartFrame>
</template>

<style scoped>
.play {
  display: inline-flex;
  flex: none;
  align-items: center;
  gap: 4px;
  white-space: nowrap;
}
.word {
  font-size: 13px;
}
@container chart (max-width: 320px) {
  .word {
    display: none;
  }
}
.frame {
  flex: 1;
  min-height: 0;
  overflow: hidden;
}
</style>
