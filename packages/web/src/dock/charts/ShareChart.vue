<script setup lang="ts">
import type { ChartOf, ValueCount } from '@clean-sieve/core';
import { computed, ref } from 'vue';
import { useTheme } from 'vuetify';
import { usePicks } from '../../stores/picks.ts';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { labelOf } from '../../words/cells.ts';
import { counted, share } from '../../words/numbers.ts';
import { colourOf } from '../../words/palette.ts';
import { useChartAnswer } from './chart_answer.ts';
import ChartFrame from './ChartFrame.vue';
import ColumnSelect from './ColumnSelect.vue';
import { firstValued, valuedOf } from './first_charts.ts';
import { useValueChoice } from './value_choice.ts';

/** Parts of the whole: of the source, of what is kept, and of what is picked, one bar each, so that they can be compared. */
const props = defineProps<{ chart: ChartOf<'share'> }>();
const views = useViews();
const workspace = useWorkspace();
const picks = usePicks();
const theme = useTheme();

const MOST_PARTS = 8;
const columns = computed(() => valuedOf(workspace.activeSource?.columns ?? []));
const column = computed(() => columns.value.find(({ name }) => name === props.chart.column) ?? firstValued(columns.value));
const { isOn, isChosen, choose } = useValueChoice(column);
// Of all conditions, its own too: the bar of the kept features is about what is kept.
const { answer, picked, kept } = useChartAnswer(computed(() => column.value && { kind: 'values' as const, column: column.value.name }));

/** One part: a value, or what is not among the most frequent values, or what is blank. */
interface Part {
  key: string;
  value: ValueCount['value'] | null;
  name: string;
  colour: string;
  counts: { all: number; kept: number; picked: number };
}
const total = computed(() => ({ all: workspace.activeSource?.held ?? 0, kept: kept.value, picked: picks.keys.size }));
const parts = computed<Part[]>(() => {
  if (!answer.value || !column.value) return [];
  const pickedOf = new Map((picked.value ?? []).map(({ value, kept }) => [value, kept]));
  const countsOf = (some: readonly ValueCount[]) => ({
    all: some.reduce((sum, { count }) => sum + count, 0),
    kept: some.reduce((sum, { kept }) => sum + kept, 0),
    picked: some.reduce((sum, { value }) => sum + (pickedOf.get(value) ?? 0), 0),
  });
  const [first, rest] = [answer.value.slice(0, MOST_PARTS), answer.value.slice(MOST_PARTS)];
  const named: Part[] = first.map((one, i) => ({
    key: JSON.stringify(one.value),
    value: one.value,
    name: one.value === '' ? 'empty text' : workspace.shownOf(column.value!, one.value),
    colour: colourOf(i, theme.current.value.dark),
    counts: countsOf([one]),
  }));
  if (rest.length > 0)
    named.push({ key: 'rest', value: null, name: `${counted(rest.length)} others`, colour: 'var(--soft)', counts: countsOf(rest) });
  const known = countsOf(answer.value);
  const blank = { all: total.value.all - known.all, kept: total.value.kept - known.kept, picked: total.value.picked - known.picked };
  if (blank.all > 0) named.push({ key: 'blank', value: null, name: 'blank', colour: 'var(--line)', counts: blank });
  return named;
});
const lines = computed(() =>
  [
    { of: 'all' as const, name: 'source' },
    { of: 'kept' as const, name: 'kept' },
    { of: 'picked' as const, name: 'picked' },
  ].filter(({ of }) => of !== 'picked' || (picks.keys.size > 0 && picked.value !== null)),
);
const hovered = ref<string | null>(null);
const said = computed(() => {
  const part = parts.value.find(({ key }) => key === hovered.value);
  if (!part) return answer.value ? 'Parts of the source and of what is kept.' : '';
  const told = lines.value.map(({ of, name }) => `${share(part.counts[of], total.value[of])} of ${name} (${counted(part.counts[of])})`);
  return `${part.name}: ${told.join(', ')}`;
});
const percent = (part: Part, of: 'all' | 'kept' | 'picked') => (100 * part.counts[of]) / Math.max(1, total.value[of]);
const nothing = computed(() => {
  if (!column.value) return 'This source has no column whose values can be counted.';
  return answer.value === null ? 'Counting …' : '';
});
</script>

<template>
  <ChartFrame :chart="chart" :nothing="nothing" :said="said">
    <template #controls>
      <ColumnSelect
        v-if="column"
        :column="column.name"
        :columns="columns"
        label="Column of the shares"
        @change="(name) => views.putChart({ ...chart, column: name })"
      />
    </template>
    <div v-if="column" class="shares" role="group" :aria-label="`Shares of ${labelOf(column)}`" @pointerleave="hovered = null">
      <div v-for="line in lines" :key="line.of" class="line">
        <span class="soft">{{ line.name }}</span>
        <span class="whole" aria-hidden="true">
          <span
            v-for="part in parts"
            :key="part.key"
            class="part"
            :class="{ faint: hovered !== null && hovered !== part.key }"
            :style="{ width: `${percent(part, line.of)}%`, background: part.colour }"
            @pointerenter="hovered = part.key"
          >
            <template v-if="percent(part, line.of) > 9">{{ share(part.counts[line.of], total[line.of]) }}</template>
          </span>
        </span>
      </div>
      <div class="names">
        <template v-for="part in parts" :key="part.key">
          <button
            v-if="part.value !== null"
            type="button"
            class="name"
            :class="{ off: !isOn(part.value) }"
            :aria-pressed="isChosen(part.value)"
            :title="`Keep ${part.name}, or not; with Ctrl: it alone`"
            @click="choose(part.value, $event)"
            @pointerenter="hovered = part.key"
            @focus="hovered = part.key"
          >
            <span class="dot" :style="{ background: part.colour }" />{{ part.name }}
            <span class="soft">{{ share(part.counts.kept, total.kept) }}</span>
          </button>
          <span v-else class="name" @pointerenter="hovered = part.key"
            ><span class="dot" :style="{ background: part.colour }" />{{ part.name }}
            <span class="soft">{{ share(part.counts.kept, total.kept) }}</span></span
          >
        </template>
      </div>
    </div>
  </ChartFrame>
</template>

<style scoped>
.shares {
  display: flex;
  flex: 1;
  flex-direction: column;
  gap: 5px;
  min-height: 0;
  overflow-y: auto;
  padding: 4px 12px 8px;
  font-size: 12.5px;
}
.line {
  display: grid;
  grid-template-columns: 44px 1fr;
  align-items: center;
}
.whole {
  display: flex;
  height: 22px;
  overflow: hidden;
  border-radius: 4px;
  background: var(--sunk);
}
.part {
  display: grid;
  place-items: center;
  overflow: hidden;
  border-right: 1px solid var(--surface);
  color: #fff;
  font-size: 11.5px;
  font-weight: 600;
  white-space: nowrap;
}
.v-theme--dark .part {
  color: #121815;
}
.part.faint {
  opacity: 0.4;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 4px;
  padding-top: 3px;
}
.name {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  min-height: 24px;
  padding: 1px 6px;
  border: 0;
  border-radius: 8px;
  background: none;
  color: var(--ink);
  font: inherit;
}
button.name {
  cursor: pointer;
}
button.name:hover {
  background: var(--tint);
}
.off {
  color: var(--soft);
  text-decoration: line-through;
}
.dot {
  width: 10px;
  height: 10px;
  border-radius: 3px;
}
</style>
