<script setup lang="ts">
import type { ChartOf } from '@clean-sieve/core';
import { max as largest, scaleLinear, scaleSqrt } from 'd3';
import { computed, ref } from 'vue';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { cellText, labelOf } from '../../words/cells.ts';
import { counted, plural } from '../../words/numbers.ts';
import AxisMarks from './AxisMarks.vue';
import BinBars from './BinBars.vue';
import { useChartAnswer } from './chart_answer.ts';
import ChartFrame from './ChartFrame.vue';
import ColumnSelect from './ColumnSelect.vue';
import { firstNumber, numbersOf } from './first_charts.ts';
import { useFrameSize } from './frame_size.ts';
import { besideWord, besideOwn } from './own_condition.ts';
import { useRangeChoice } from './range_choice.ts';
import { rangeOfStretch, roundedTo } from './ranges.ts';
import RangeBrush from './RangeBrush.vue';

/** How a number is spread: its counts in bins, with a window that is a condition. */
const props = defineProps<{ chart: ChartOf<'histogram'> }>();
const views = useViews();
const workspace = useWorkspace();

const EDGE = 14;
const FOOT = 20;
const columns = computed(() => numbersOf(workspace.activeSource?.columns ?? []));
const column = computed(
  () => columns.value.find(({ name }) => name === props.chart.column) ?? firstNumber(columns.value) ?? columns.value[0] ?? null,
);
const { condition, range, setRange, clear } = useRangeChoice(column);
const frame = ref<HTMLElement>();
const size = useFrameSize(frame);
/** A bin is a few pixels wide, whatever the room is, so that it is asked for once. */
const bins = computed(() => (size.value.width > 520 ? 120 : 60));
const { answer, picked } = useChartAnswer(
  computed(() => column.value && { kind: 'histogram' as const, column: column.value.name, bins: bins.value }),
  besideOwn(() => [condition.value]),
);

const foot = computed(() => size.value.height - FOOT);
const x = computed(() => scaleLinear([answer.value?.low ?? 0, answer.value?.high ?? 1], [EDGE, size.value.width - EDGE]));
/** By square root, as in the stack: small counts stay visible beside large ones. */
const y = computed(() => scaleSqrt([0, largest(answer.value?.all ?? [1]) ?? 1], [foot.value, 6]));
const wide = computed(() => (size.value.width - 2 * EDGE) / Math.max(1, answer.value?.all.length ?? 1));
const bars = computed(() =>
  (answer.value?.all ?? []).map((all, i) => ({
    x: EDGE + i * wide.value,
    width: wide.value - Math.min(0.8, wide.value / 5),
    all: y.value(all),
    kept: y.value(answer.value!.kept[i]),
    picked: picked.value ? y.value(picked.value.kept[i] ?? 0) : null,
  })),
);
const step = computed(() => ((answer.value?.high ?? 1) - (answer.value?.low ?? 0)) / Math.max(1, size.value.width - 2 * EDGE));
const isWhole = computed(() => answer.value?.whole ?? false);

/** A window over whole numbers reaches to the end of its last one. */
const span = computed<[number, number] | null>(() => {
  if (!range.value || !answer.value) return null;
  const { low, high } = answer.value;
  const at = (value: number) => x.value(Math.max(low, Math.min(high, value)));
  return [at(range.value[0]), at(range.value[1] + (isWhole.value ? 1 : 0))];
});
function put([from, to]: readonly [number, number], grown: boolean): void {
  const next = rangeOfStretch(x.value.invert(from), x.value.invert(to), step.value, isWhole.value);
  const before = grown ? range.value : null;
  setRange(before ? [Math.min(before[0], next[0]), Math.max(before[1], next[1])] : next);
}
function nudge(end: 0 | 1, by: 1 | -1): void {
  if (!range.value || !answer.value) return;
  const [low, high] = [Math.max(range.value[0], answer.value.low), Math.min(range.value[1], answer.value.high)];
  const least = isWhole.value ? 1 : step.value * 3;
  const moved = roundedTo((end === 0 ? low : high) + by * least, step.value, isWhole.value);
  if (end === 0 ? moved <= high : moved >= low) setRange(end === 0 ? [moved, high] : [low, moved]);
}

const hovered = ref<number | null>(null);
const texts = computed<[string, string]>(() => [cellText(range.value?.[0] ?? 0), cellText(range.value?.[1] ?? 0)]);
const said = computed(() => {
  if (!answer.value) return '';
  const { low, high, all, kept, whole } = answer.value;
  const at = hovered.value;
  if (at !== null && at >= 0 && at < all.length) {
    const wideOf = (high - low) / all.length;
    const [from, to] = [low + at * wideOf, low + (at + 1) * wideOf].map((value) => roundedTo(value, step.value, false));
    const named = whole
      ? wideOf === 1
        ? cellText(from)
        : `${cellText(from)} to ${cellText(to - 1)}`
      : `${cellText(from)} to below ${cellText(to)}`;
    const some = picked.value ? `, ${counted(picked.value.kept[at] ?? 0)} picked` : '';
    return `${named}: ${counted(kept[at])} of ${counted(all[at])} ${besideWord(condition.value !== null)}${some}`;
  }
  if (range.value) {
    const [from, to] = range.value;
    if (from === -Infinity) return `up to ${cellText(to)}`;
    return to === Infinity ? `from ${cellText(from)}` : `${texts.value[0]} to ${texts.value[1]}`;
  }
  return `${plural(all.length, 'bin')}, heights by square root. Drag to keep a range.`;
});
const aside = computed(() => (column.value && column.value.nulls > 0 ? `${counted(column.value.nulls)} blank` : ''));
const nothing = computed(() => (column.value ? '' : 'This source has no column of numbers.'));
</script>

<template>
  <ChartFrame :chart="chart" :nothing="nothing" :said="said" :aside="aside">
    <template #controls>
      <ColumnSelect
        v-if="column"
        :column="column.name"
        :columns="columns"
        label="Column of the histogram"
        @change="(name) => views.putChart({ ...chart, column: name })"
      />
    </template>
    <div v-if="column" ref="frame" class="frame">
      <svg
        :width="size.width"
        :height="size.height"
        @pointermove="hovered = Math.floor(($event.offsetX - EDGE) / wide)"
        @pointerleave="hovered = null"
      >
        <BinBars :bars="bars" :foot="foot" />
        <RangeBrush
          v-if="answer"
          :extent="[EDGE, size.width - EDGE]"
          :top="2"
          :bottom="foot"
          :span="span"
          :texts="texts"
          :label="`Range of ${labelOf(column)}`"
          @span="put"
          @nudge="nudge"
          @clear="clear"
        />
        <AxisMarks :scale="x" :ticks="Math.max(2, size.width / 80)" :transform="`translate(0,${foot})`" />
      </svg>
    </div>
  </ChartFrame>
</template>

<style scoped>
.frame {
  flex: 1;
  min-height: 0;
  overflow: hidden;
}
</style>
