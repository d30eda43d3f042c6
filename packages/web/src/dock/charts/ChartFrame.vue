<script setup lang="ts">
import { mdiArrowCollapse, mdiArrowExpand, mdiDotsVertical } from '@mdi/js';
import type { Chart } from '@clean-sieve/core';
import { computed } from 'vue';
import { useViews } from '../../stores/views.ts';
import { CHARTS } from './chart_kinds.ts';

/** What every chart has round it: what it is about, what it says, and what can be done with it. */
const props = defineProps<{
  chart: Chart;
  said?: string;
  aside?: string;
  /** Why there is nothing to show, or not yet; empty where there is. */
  nothing?: string;
}>();
const views = useViews();
const title = computed(() => CHARTS.find(({ kind }) => kind === props.chart.kind)!.title);
const at = computed(() => views.charts.findIndex(({ id }) => id === props.chart.id));
/** A table of figures and three choices needs more room than bars. */
const LEAST: Partial<Record<Chart['kind'], string>> = { groups: '600px', scatter: '350px', boxes: '350px' };
const least = computed(() => LEAST[props.chart.kind] ?? '215px');
const isLarge = computed(() => views.large === props.chart.id);
</script>

<template>
  <section class="chart" :aria-label="title" :data-test="`chart-${chart.kind}`">
    <header>
      <slot name="controls" />
      <span class="tools">
        <button
          v-if="views.charts.length > 1"
          class="plain"
          type="button"
          :aria-label="isLarge ? 'Beside the others' : 'Show it large'"
          @click="views.large = isLarge ? null : chart.id"
        >
          <v-icon :icon="isLarge ? mdiArrowCollapse : mdiArrowExpand" size="16" />
        </button>
        <v-menu location="bottom end">
          <template #activator="{ props: menu }">
            <button v-bind="menu" class="plain" type="button" :aria-label="`More for ${title.toLowerCase()}`">
              <v-icon :icon="mdiDotsVertical" size="16" />
            </button>
          </template>
          <v-list density="compact">
            <v-list-item v-if="at > 0" title="Move left" @click="views.moveChart(chart.id, -1)" />
            <v-list-item v-if="at < views.charts.length - 1" title="Move right" @click="views.moveChart(chart.id, 1)" />
            <v-list-item title="Remove" @click="views.removeChart(chart.id)" />
          </v-list>
        </v-menu>
      </span>
    </header>
    <p v-if="said || aside" class="said" :title="[said, aside].filter(Boolean).join(' · ')">
      <span data-test="said">{{ said }}</span>
      <span v-if="aside" class="soft">{{ said ? ' · ' : '' }}{{ aside }}</span>
    </p>
    <p v-if="nothing" class="soft nothing">{{ nothing }}</p>
    <slot v-else />
  </section>
</template>

<style scoped>
.chart {
  display: flex;
  flex: 1 0 v-bind(least);
  flex-direction: column;
  min-height: 0;
  container: chart / inline-size;
}
.chart + .chart {
  border-left: 1px solid var(--line);
}
header {
  display: flex;
  flex: none;
  align-items: center;
  gap: 8px;
  padding: 5px 4px 1px 12px;
}
.tools {
  display: flex;
  flex: none;
  margin-left: auto;
}
.tools button {
  min-width: 24px;
  min-height: 24px;
  padding: 3px;
  color: var(--soft);
}
.tools button:hover {
  color: var(--ink);
}
.said {
  flex: none;
  margin: 0;
  padding: 1px 12px 2px;
  overflow: hidden;
  font-size: 12.5px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.nothing {
  margin: 0;
  padding: 8px 12px;
}
</style>
