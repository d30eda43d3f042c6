import type { Chart, ChartKind } from '@clean-sieve/core';
import { defineAsyncComponent, type Component } from 'vue';

interface KindOfChart {
  kind: ChartKind;
  title: string;
  /** What it is good for, in a few words. */
  hint: string;
  component: Component;
}

/** The charts, in the order in which they are offered; a new one is a component, a shape in the core and a line here. */
export const CHARTS: readonly KindOfChart[] = [
  { kind: 'bars', title: 'Bars', hint: 'how many have each value', component: defineAsyncComponent(() => import('./BarsChart.vue')) },
  {
    kind: 'histogram',
    title: 'Histogram',
    hint: 'how a number is spread',
    component: defineAsyncComponent(() => import('./HistogramChart.vue')),
  },
  {
    kind: 'times',
    title: 'Along time',
    hint: 'how many in each year or month',
    component: defineAsyncComponent(() => import('./TimesChart.vue')),
  },
  {
    kind: 'share',
    title: 'Shares',
    hint: 'parts of the whole, kept beside all',
    component: defineAsyncComponent(() => import('./ShareChart.vue')),
  },
  {
    kind: 'scatter',
    title: 'Two numbers',
    hint: 'one number against another',
    component: defineAsyncComponent(() => import('./ScatterChart.vue')),
  },
  { kind: 'boxes', title: 'Boxes', hint: 'a number for each value', component: defineAsyncComponent(() => import('./BoxesChart.vue')) },
  {
    kind: 'groups',
    title: 'Groups',
    hint: 'a table of sums and means',
    component: defineAsyncComponent(() => import('./GroupsChart.vue')),
  },
];

/** A new chart of a kind, of columns that suit the source. */
export function newChart(kind: ChartKind): Chart {
  const id = crypto.randomUUID().slice(0, 8);
  switch (kind) {
    case 'scatter':
      return { id, kind, x: null, y: null };
    case 'boxes':
      return { id, kind, of: null, by: null };
    case 'groups':
      return { id, kind, by: null, and: null, of: null };
    default:
      return { id, kind, column: null };
  }
}
