<script setup lang="ts">
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed } from 'vue';
import BinBars from '../../dock/charts/BinBars.vue';
import RangeBrush from '../../dock/charts/RangeBrush.vue';
import { useChartAnswer } from '../../dock/charts/chart_answer.ts';
import { timeAxis } from '../../dock/charts/time_axis.ts';
import { periodInWords } from '../../dock/charts/period_words.ts';

/** How many features there are along the time of a column, all and kept, with the days that a condition keeps as a window over them. */
const props = defineProps<{ column: ColumnInfo; from: string | null; to: string | null }>();
const emit = defineEmits<{ period: [from: string | null, to: string | null] }>();

const [WIDTH, HEIGHT] = [292, 54];
const { answer: times, picked } = useChartAnswer(computed(() => ({ kind: 'times' as const, column: props.column.name })));

const axis = computed(() => timeAxis(times.value, picked.value, [0, WIDTH], [HEIGHT, 0]));
/** None where both ends are open, so that one can be drawn. */
const window_ = computed(() => (props.from === null && props.to === null ? null : axis.value.windowOf(props.from, props.to)));
const span = computed(() => window_.value && axis.value.spanOf(window_.value));
const ends = computed(() => {
  const bins = times.value?.bins ?? [];
  return bins.length === 0 ? [] : axis.value.periodOf(0, bins.length - 1);
});

function put(drawn: readonly [number, number], grown: boolean): void {
  const { windowDrawn, periodOf } = axis.value;
  emit('period', ...periodOf(...windowDrawn(drawn, grown ? window_.value : null)));
}
function nudge(end: 0 | 1, by: 1 | -1): void {
  const next = window_.value && axis.value.nudged(window_.value, end, by);
  if (next) emit('period', ...axis.value.periodOf(...next));
}
</script>

<template>
  <div>
    <svg v-if="times && times.bins.length > 0" :viewBox="`-6 0 ${WIDTH + 12} ${HEIGHT + 2}`" data-test="date-bars">
      <BinBars :bars="axis.bars" :foot="HEIGHT" />
      <line class="floor" x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" />
      <RangeBrush
        :extent="[0, WIDTH]"
        :top="0"
        :bottom="HEIGHT"
        :span="span"
        :texts="[from ?? ends[0], to ?? ends[1]]"
        :label="`Days of ${column.name}`"
        @span="put"
        @nudge="nudge"
        @clear="emit('period', null, null)"
      />
    </svg>
    <p v-else-if="column.min === null" class="soft">No feature has a date here.</p>
    <p v-else-if="!times" class="soft">Looking at the values …</p>
    <p v-if="times && ends.length > 0" class="soft ends">
      <span>by {{ times.unit }}, heights by square root</span><span>{{ periodInWords(ends[0], ends[1]) }}</span>
    </p>
  </div>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  touch-action: none;
}
.floor {
  stroke: var(--line);
}
p {
  margin: 2px 0 6px;
  font-size: 12px;
}
.ends {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
</style>
