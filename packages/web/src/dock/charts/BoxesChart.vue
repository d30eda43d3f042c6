<script setup lang="ts">
import { formatDay, formatInstant, type ChartOf, type Spread, type SpreadOfGroup } from '@clean-sieve/core';
import { scaleLinear } from 'd3';
import { computed, ref } from 'vue';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { columnText, labelOf } from '../../words/cells.ts';
import { counted, measured, plural } from '../../words/numbers.ts';
import { useChartAnswer } from './chart_answer.ts';
import ChartFrame from './ChartFrame.vue';
import ColumnSelect from './ColumnSelect.vue';
import { firstNumber, firstValued, measuresOf, valuedOf } from './first_charts.ts';
import { besideOwn } from './own_condition.ts';
import { useValueChoice } from './value_choice.ts';

/** A number for each value of another column: the middle half as a box, the middle value, and how far the others reach. */
const props = defineProps<{ chart: ChartOf<'boxes'> }>();
const views = useViews();
const workspace = useWorkspace();

const MOST_GROUPS = 1000;
const MOST_SHOWN = 100;
const all = computed(() => workspace.activeSource?.columns ?? []);
const measures = computed(() => measuresOf(all.value));
const of = computed(
  () => measures.value.find(({ name }) => name === props.chart.of) ?? firstNumber(all.value) ?? measures.value[0] ?? null,
);
const groupings = computed(() => valuedOf(all.value, MOST_GROUPS));
const by = computed(() => {
  if (props.chart.by === '') return null;
  return (
    groupings.value.find(({ name }) => name === props.chart.by) ?? firstValued(groupings.value.filter(({ type }) => type !== 'number'))
  );
});
const { condition, isOn, isChosen, choose } = useValueChoice(by);
const { answer, picked } = useChartAnswer(
  computed(() => of.value && { kind: 'boxes' as const, of: of.value.name, by: by.value?.name ?? null }),
  besideOwn(() => [condition.value]),
);
/** Groups in which a feature has a value, those of most features first where they have no order of their own. */
const groups = computed(() => {
  const known = (answer.value ?? []).filter((group) => group.all !== null);
  return by.value?.type === 'number' ? known : known.sort((a, b) => b.all!.count - a.all!.count);
});
const shown = computed(() => groups.value.slice(0, MOST_SHOWN));
const pickedOf = computed(() => new Map((picked.value ?? []).map((group) => [group.by, group.kept])));
const x = computed(() => {
  const low = Math.min(...groups.value.map((group) => group.all!.least));
  const high = Math.max(...groups.value.map((group) => group.all!.most));
  return scaleLinear([low, high === low ? low + 1 : high], [0, 100]);
});
const valueText = (value: number): string => {
  if (of.value?.type === 'date') return columnText(of.value, formatDay(Math.round(value)));
  if (of.value?.type === 'datetime') return columnText(of.value, formatInstant(Math.round(value), 0));
  return measured(value);
};
function nameOf({ by: value }: SpreadOfGroup): string {
  if (!by.value) return 'all features';
  if (value === null) return 'blank';
  return value === '' ? 'empty text' : workspace.shownOf(by.value, value);
}
const hovered = ref<SpreadOfGroup | null>(null);
const spreadText = ({ median, lower, upper, least, most }: Spread) =>
  `median ${valueText(median)}, half of them ${valueText(lower)} to ${valueText(upper)}, all ${valueText(least)} to ${valueText(most)}`;
const said = computed(() => {
  if (!answer.value) return '';
  const group = hovered.value;
  if (!group)
    return groups.value.length > MOST_SHOWN
      ? `the ${MOST_SHOWN} largest of ${counted(groups.value.length)} groups`
      : plural(groups.value.length, 'group');
  return `${nameOf(group)}: ${group.kept ? `${counted(group.kept.count)} kept, ${spreadText(group.kept)}` : 'none kept'}`;
});
const nothing = computed(() => {
  if (!of.value) return 'This source has no column of numbers or times.';
  if (answer.value === null) return 'Counting …';
  return groups.value.length === 0 ? 'No feature has a value here.' : '';
});
</script>

<template>
  <ChartFrame :chart="chart" :nothing="nothing" :said="said">
    <template #controls>
      <ColumnSelect
        v-if="of"
        :column="of.name"
        :columns="measures"
        label="Number in the boxes"
        data-test="boxes-of"
        @change="(name) => views.putChart({ ...chart, of: name })"
      />
      <span v-if="of" class="soft">by</span>
      <ColumnSelect
        v-if="of"
        :column="by?.name ?? ''"
        :columns="groupings"
        none="nothing"
        label="A box for each"
        data-test="boxes-by"
        @change="(name) => views.putChart({ ...chart, by: name })"
      />
    </template>
    <div
      v-if="of"
      class="list"
      role="group"
      :aria-label="`${labelOf(of)} by ${by ? labelOf(by) : 'nothing'}`"
      @pointerleave="hovered = null"
    >
      <component
        :is="group.by === null ? 'div' : 'button'"
        v-for="group in shown"
        :key="String(group.by)"
        type="button"
        class="line"
        :class="{ off: group.by !== null && !isOn(group.by) }"
        :aria-pressed="group.by === null ? undefined : isChosen(group.by)"
        @click="group.by !== null && choose(group.by, $event)"
        @pointerenter="hovered = group"
        @focus="hovered = group"
      >
        <span class="name">{{ nameOf(group) }}</span>
        <svg class="box" viewBox="0 0 100 20" preserveAspectRatio="none" aria-hidden="true">
          <g class="all">
            <line :x1="x(group.all!.low)" :x2="x(group.all!.high)" y1="10" y2="10" />
            <rect :x="x(group.all!.lower)" :width="Math.max(0.4, x(group.all!.upper) - x(group.all!.lower))" y="2" height="16" />
          </g>
          <g v-if="group.kept" class="kept">
            <line :x1="x(group.kept.least)" :x2="x(group.kept.least)" y1="8" y2="12" />
            <line :x1="x(group.kept.most)" :x2="x(group.kept.most)" y1="8" y2="12" />
            <line :x1="x(group.kept.low)" :x2="x(group.kept.high)" y1="10" y2="10" />
            <rect :x="x(group.kept.lower)" :width="Math.max(0.4, x(group.kept.upper) - x(group.kept.lower))" y="5" height="10" />
            <line class="median" :x1="x(group.kept.median)" :x2="x(group.kept.median)" y1="3" y2="17" />
          </g>
          <g v-if="pickedOf.get(group.by)" class="picked">
            <line :x1="x(pickedOf.get(group.by)!.lower)" :x2="x(pickedOf.get(group.by)!.upper)" y1="18" y2="18" />
            <line :x1="x(pickedOf.get(group.by)!.median)" :x2="x(pickedOf.get(group.by)!.median)" y1="12" y2="19" />
          </g>
        </svg>
        <span class="figure"
          >{{ group.kept ? valueText(group.kept.median) : '–'
          }}<span class="unseen">: {{ group.kept ? spreadText(group.kept) : 'none kept' }}</span></span
        >
      </component>
    </div>
  </ChartFrame>
</template>

<style scoped src="./value_lines.css" />
<style scoped>
.off .box {
  opacity: 0.45;
}
.box {
  width: 100%;
  height: 20px;
}
.box line {
  vector-effect: non-scaling-stroke;
  stroke-width: 1.2;
}
.all line {
  stroke: var(--line);
  stroke-width: 5;
}
.all rect {
  fill: var(--line);
}
.kept line {
  stroke: var(--spruce);
}
.kept rect {
  fill: var(--spruce-2);
}
.kept .median {
  stroke: var(--ink);
  stroke-width: 2;
}
.picked line {
  stroke: var(--violet);
  stroke-width: 3;
}
</style>
