<script setup lang="ts">
import { mdiPlus } from '@mdi/js';
import type { ChartKind } from '@clean-sieve/core';
import { computed, watch } from 'vue';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { plural } from '../../words/numbers.ts';
import { CHARTS, newChart } from './chart_kinds.ts';

/** The charts that are kept with the sieve, or the source as a whole, side by side. */
const emit = defineEmits<{ state: [text: string] }>();
const views = useViews();
const workspace = useWorkspace();

const shown = computed(() => {
  const large = views.charts.filter(({ id }) => id === views.large);
  return large.length > 0 ? large : views.charts;
});
const componentOf = (kind: ChartKind) => CHARTS.find((one) => one.kind === kind)!.component;
watch(
  () => views.charts.length,
  (count) => emit('state', plural(count, 'chart')),
  { immediate: true },
);
</script>

<template>
  <div class="board" data-test="charts">
    <component :is="componentOf(chart.kind)" v-for="chart in shown" :key="`${workspace.activeSource!.id} ${chart.id}`" :chart="chart" />
    <p v-if="shown.length === 0" class="soft none">No charts here yet.</p>
    <v-menu location="top end">
      <template #activator="{ props: menu }">
        <button v-bind="menu" class="plain add" type="button" aria-label="Add a chart" title="Add a chart" data-test="add-chart">
          <v-icon :icon="mdiPlus" size="18" />
        </button>
      </template>
      <v-list density="compact" lines="two">
        <v-list-item
          v-for="{ kind, title, hint } in CHARTS"
          :key="kind"
          :title="title"
          :subtitle="hint"
          @click="views.addChart(newChart(kind))"
        />
      </v-list>
    </v-menu>
  </div>
</template>

<style scoped>
.board {
  display: flex;
  flex: 1;
  min-height: 0;
  overflow-x: auto;
}
.none {
  flex: 1;
  margin: 0;
  padding: 12px 16px;
}
.add {
  display: flex;
  flex: none;
  align-items: center;
  justify-content: center;
  width: 34px;
  border-left: 1px solid var(--line);
  color: var(--soft);
}
.add:hover {
  background: var(--tint);
  color: var(--ink);
}
</style>
