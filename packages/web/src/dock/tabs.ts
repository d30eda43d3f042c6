import { defineAsyncComponent, type Component } from 'vue';
import FeatureTable from './FeatureTable.vue';

/** A tab below the map. Its component may emit `state` with what it shows, in a few words beside the tabs. */
export interface DockTab {
  key: string;
  title: string;
  component: Component;
  /** It stays as it is while another tab is open. */
  kept?: true;
  /** It goes on when another source is chosen, rather than beginning anew. */
  anySource?: true;
}

/** The tabs, in order; a new one is a component and a line here. */
export const DOCK_TABS: readonly DockTab[] = [
  { key: 'table', title: 'Table', component: FeatureTable, kept: true },
  { key: 'time', title: 'Time', component: defineAsyncComponent(() => import('./TimeChart.vue')) },
  { key: 'values', title: 'Values', component: defineAsyncComponent(() => import('./ValueBars.vue')) },
  { key: 'text', title: 'Text', component: defineAsyncComponent(() => import('./text/FilterText.vue')), anySource: true },
];
