<script setup lang="ts">
import type { ChartOf, ValueCount } from '@clean-sieve/core';
import { scaleLinear } from 'd3';
import { computed } from 'vue';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { labelOf } from '../../words/cells.ts';
import { counted, plural } from '../../words/numbers.ts';
import { useChartAnswer } from './chart_answer.ts';
import ChartFrame from './ChartFrame.vue';
import ColumnSelect from './ColumnSelect.vue';
import { firstValued, valuedOf } from './first_charts.ts';
import { besideOwn } from './own_condition.ts';
import { useValueChoice } from './value_choice.ts';

/** How many features have each value of a column. */
const props = defineProps<{ chart: ChartOf<'bars'> }>();
const views = useViews();
const workspace = useWorkspace();

const MOST_BARS = 200;

const columns = computed(() => valuedOf(workspace.activeSource?.columns ?? []));
const column = computed(() => columns.value.find(({ name }) => name === props.chart.column) ?? firstValued(columns.value));
type Value = ValueCount['value'];
const { condition, isOn, isChosen, choose } = useValueChoice(column);
const { answer, picked } = useChartAnswer(
  computed(() => column.value && { kind: 'values' as const, column: column.value.name }),
  besideOwn(() => [condition.value]),
);
const all = computed(() => answer.value ?? []);
const bars = computed(() => all.value.slice(0, MOST_BARS));
const pickedOf = computed(() => new Map((picked.value ?? []).map(({ value, kept }) => [value, kept])));
/** Lengths in percent of the longest bar; straight, so that they can be compared. */
const x = computed(() => scaleLinear([0, Math.max(1, ...bars.value.map(({ count }) => count))], [0, 100]));
const sum = (of: (one: ValueCount) => number) => all.value.reduce((total, one) => total + of(one), 0);
const said = computed(() => {
  if (!answer.value || !column.value) return '';
  const [seen, kept] = [sum(({ count }) => count), sum((one) => (isOn(one.value) ? one.kept : 0))];
  const shown = all.value.length > MOST_BARS ? `the ${MOST_BARS} most frequent of ` : '';
  return `${shown}${plural(all.value.length, 'value')} in ${plural(seen, 'feature')}, ${counted(kept)} of them kept`;
});
const aside = computed(() => (column.value && column.value.nulls > 0 ? `${counted(column.value.nulls)} blank` : ''));
const nameOf = (value: Value) => (value === '' || !column.value ? 'empty text' : workspace.shownOf(column.value, value));
function told({ value, count, kept }: ValueCount): string {
  const some = pickedOf.value.get(value) ?? 0;
  return `${nameOf(value)}: ${counted(kept)} ${isOn(value) ? 'kept' : 'would be kept'} of ${counted(count)}${some > 0 ? `, ${counted(some)} picked` : ''}`;
}
const nothing = computed(() => {
  if (!column.value) return 'This source has no column whose values can be counted.';
  if (answer.value === null) return 'Counting …';
  return all.value.length === 0 ? 'No feature has a value here.' : '';
});
</script>

<template>
  <ChartFrame :chart="chart" :nothing="nothing" :said="said" :aside="aside">
    <template #controls>
      <ColumnSelect
        v-if="column"
        :column="column.name"
        :columns="columns"
        label="Column of the bars"
        data-test="bars-column"
        @change="(name) => views.putChart({ ...chart, column: name })"
      />
    </template>
    <div v-if="column" class="list" role="group" :aria-label="`Values of ${labelOf(column)}`" data-test="value-bars">
      <button
        v-for="bar in bars"
        :key="String(bar.value)"
        type="button"
        class="line"
        :class="{ off: !isOn(bar.value) }"
        :aria-pressed="isChosen(bar.value)"
        :title="`${told(bar)}. Click: keep it too, or not; with Ctrl: it alone`"
        @click="choose(bar.value, $event)"
      >
        <span class="name">{{ nameOf(bar.value) }}</span>
        <span class="track" aria-hidden="true">
          <span class="all" :style="{ width: `${x(bar.count)}%` }" />
          <span class="kept" :style="{ width: `${x(bar.kept)}%` }" />
          <span v-if="pickedOf.has(bar.value)" class="picked" :style="{ width: `${x(pickedOf.get(bar.value)!)}%` }" />
        </span>
        <span class="figure"
          >{{ counted(bar.kept) }}<span class="of"> of {{ counted(bar.count) }}</span></span
        >
      </button>
    </div>
  </ChartFrame>
</template>

<style scoped src="./value_lines.css" />
<style scoped>
.track {
  position: relative;
  height: 13px;
}
.track span {
  position: absolute;
  inset: 0 auto 0 0;
}
.all {
  background: var(--line);
}
.kept {
  background: var(--spruce-2);
}
.track .picked {
  top: 8px;
  background: var(--violet);
}
.off .kept {
  opacity: 0.45;
}
@container chart (max-width: 280px) {
  .of {
    display: none;
  }
}
</style>
