import { PLAIN_LAYOUT, PLAIN_VIEW, type Chart, type TableLayout, type View } from '@clean-sieve/core';
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { firstCharts } from '../dock/charts/first_charts.ts';
import { api } from '../api/client.ts';
import { useHistory } from './history.ts';
import { useNotices } from './notices.ts';
import { useWorkspace } from './workspace.ts';

/** What is looked at beside the map, kept with the active sieve or with the source that is looked at as a whole. */
export const useViews = defineStore('views', () => {
  const workspace = useWorkspace();
  const history = useHistory();
  const notices = useNotices();

  const target = computed(() => workspace.activeSieve ?? workspace.activeSource);
  const view = computed<View>(() => target.value?.view ?? PLAIN_VIEW);
  /** The first column stays in sight where nobody has chosen another. */
  const firstPinned = computed(() =>
    (workspace.activeSource?.columns ?? [])
      .filter(({ hidden }) => !hidden)
      .slice(0, 1)
      .map(({ name }) => name),
  );
  const layout = computed<TableLayout>(() => view.value.table ?? { ...PLAIN_LAYOUT, pinned: firstPinned.value });
  const charts = computed<Chart[]>(() => view.value.charts ?? firstCharts(workspace.activeSource?.columns ?? []));
  /** The chart that has the room of all. */
  const large = ref<string | null>(null);
  /** The tab that is open below the map. */
  const tab = ref('table');

  /** Can be undone; changes of one key are one step. */
  async function change(part: Partial<View>, label: string, key?: string): Promise<void> {
    const [sieve, source] = [workspace.activeSieve, workspace.activeSource];
    const next = { ...view.value, ...part };
    if (sieve) return workspace.changeSieve(sieve.id, { view: next }, label, key && `view ${key}`);
    if (!source) return;
    const before = source.view;
    const put = async (wanted: View | null) => workspace.putSource(await api.changeSource(source.id, { view: wanted }));
    try {
      await put(next);
      history.record({ label, key: key && `${source.id}:view ${key}`, undo: () => put(before), redo: () => put(next) });
    } catch (error) {
      notices.complain(error);
    }
  }

  const setCharts = (next: Chart[], label: string) => change({ charts: next }, label);
  function putChart(chart: Chart): void {
    void setCharts(
      charts.value.map((one) => (one.id === chart.id ? chart : one)),
      'change a chart',
    );
  }
  function addChart(chart: Chart): void {
    if (large.value !== null) large.value = chart.id;
    void setCharts([...charts.value, chart], 'add a chart');
  }
  function removeChart(id: string): void {
    if (large.value === id) large.value = null;
    void setCharts(
      charts.value.filter((one) => one.id !== id),
      'remove a chart',
    );
  }
  /** Moves a chart by a place to the left (−1) or to the right (1). */
  function moveChart(id: string, by: 1 | -1): void {
    const at = charts.value.findIndex((one) => one.id === id);
    const next = [...charts.value];
    next.splice(at + by, 0, ...next.splice(at, 1));
    void setCharts(next, 'move a chart');
  }
  /** Puts part of the table's layout. */
  function lay(part: Partial<TableLayout>): Promise<void> {
    return change({ table: { ...layout.value, ...part } }, 'lay out the table');
  }

  return { view, layout, firstPinned, charts, large, tab, change, putChart, addChart, removeChart, moveChart, lay };
});
