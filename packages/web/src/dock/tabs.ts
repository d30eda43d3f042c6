import { defineAsyncComponent, type Component } from 'vue';

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
  { key: 'table', title: 'Table', component: defineAsyncComponent(() => import('./table/FeatureTable.vue')), kept: true },
  { key: 'charts', title: 'Charts', component: defineAsyncComponent(() => import('./charts/ChartBoard.vue')) },
  { key: 'maps', title: 'Small maps', component: defineAsyncComponent(() => import('./maps/SmallMaps.vue')) },
  { key: 'text', title: 'Text', component: defineAsyncComponent(() => import('./text/FilterText.vue')), anySource: true },
];
