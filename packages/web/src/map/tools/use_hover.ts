import { activeConditions, emptyTree, propertiesIn } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import type OlMap from 'ol/Map.js';
import type MapBrowserEvent from 'ol/MapBrowserEvent.js';
import { onBeforeUnmount, shallowRef, watch, type ShallowRef } from 'vue';
import { api } from '../../api/client.ts';
import { latest } from '../../api/latest.ts';
import { useMapShow } from '../../stores/map_show.ts';
import { useNotices } from '../../stores/notices.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useStyles } from '../../stores/styles.ts';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { labelOf } from '../../words/cells.ts';
import type { useThere } from '../use_there.ts';

/** What the pointer rests on: the topmost feature there, and how many more lie under it. */
export interface Hovered {
  /** Pixels from the top left of the map, and from its bottom right. */
  at: [number, number];
  beyond: [number, number];
  title: string;
  /** Its source, where that is not the active one. */
  of: string;
  /** Left out by the active sieve. */
  sifted: boolean;
  lines: { label: string; value: string }[];
  more: number;
}

/** Milliseconds that the pointer rests before it is asked what lies there, and pixels that it may tremble. */
const REST = 350;
const TREMBLE = 4;
const MOST_LINES = 5;

/** The few after the first, which names the feature. */
const firstColumns = (columns: readonly ColumnInfo[]) => columns.filter(({ hidden }) => !hidden).slice(1, 4);

/** Tells what lies under a pointer that rests: the columns chosen, or those that colours and conditions are about. */
export function useHover(map: ShallowRef<OlMap | null>, lyingThere: ReturnType<typeof useThere>): ShallowRef<Hovered | null> {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const styles = useStyles();
  const show = useMapShow();
  const views = useViews();
  const notices = useNotices();
  const hovered = shallowRef<Hovered | null>(null);
  const asking = latest();
  let resting: ReturnType<typeof setTimeout> | undefined;

  function forget(): void {
    clearTimeout(resting);
    hovered.value = null;
    // What is being asked is not wanted any more.
    void asking(() => Promise.resolve(null));
  }

  /** Those chosen; else those spoken of; without colours and conditions the few after the first, which names the feature. */
  function columnsToTell(columns: readonly ColumnInfo[]): ColumnInfo[] {
    const visible = columns.filter(({ hidden }) => !hidden);
    const chosen = views.view.hover;
    if (chosen) return chosen.flatMap((name) => visible.find((column) => column.name === name) ?? []);
    const named = [styles.style.classing?.column, ...activeConditions(sifting.shownTree).flatMap(({ expr }) => propertiesIn(expr))];
    const spoken = visible.slice(1).filter(({ name }) => named.includes(name));
    return (spoken.length > 0 ? spoken : firstColumns(columns)).slice(0, MOST_LINES);
  }

  async function tell(place: number[], at: [number, number]): Promise<void> {
    const active = workspace.activeSource;
    const resolution = map.value?.getView().getResolution();
    if (!active || resolution === undefined) return;
    const found = await asking(async (signal) => {
      const there = await lyingThere(place, resolution, signal);
      const [first] = there.features;
      const source = workspace.sources.find(({ id }) => id === first?.sourceId);
      if (!source) return null;
      return { there, first, source, feature: await api.explain(source.id, emptyTree(), first.key, signal) };
    });
    if (!found || workspace.activeSource?.id !== active.id) return;
    const { there, first, source, feature } = found;
    const textOf = (column: ColumnInfo) => {
      const value = feature.cells[source.columns.indexOf(column)] ?? null;
      return value === null ? 'blank' : value === '' ? 'empty text' : workspace.shownOf(column, value);
    };
    const size = map.value?.getSize() ?? [0, 0];
    hovered.value = {
      at,
      beyond: [size[0] - at[0], size[1] - at[1]],
      sifted: first.kept === false,
      title: first.title,
      of: source === active ? '' : source.name,
      lines: (source === active ? columnsToTell(source.columns) : firstColumns(source.columns)).map((column) => ({
        label: labelOf(column),
        value: textOf(column),
      })),
      more: there.features.length - 1 + there.more,
    };
  }

  function moved({ pixel, coordinate, dragging, originalEvent }: MapBrowserEvent): void {
    const at: [number, number] = [pixel[0], pixel[1]];
    const before = hovered.value?.at;
    if (before && Math.hypot(at[0] - before[0], at[1] - before[1]) <= TREMBLE) return;
    forget();
    // A finger does not rest; what is drawn is not asked.
    if (dragging || show.tool !== 'pick' || (originalEvent as PointerEvent).pointerType === 'touch') return;
    resting = setTimeout(() => void tell(coordinate, at).catch(notices.complain), REST);
  }

  watch(map, (now) => {
    if (!now) return;
    now.on('pointermove', moved);
    now.on('movestart', forget);
    for (const kind of ['pointerleave', 'pointerdown']) now.getViewport()?.addEventListener(kind, forget);
  });
  watch([() => sifting.results, () => workspace.activeSource?.id], forget);
  onBeforeUnmount(forget);
  return hovered;
}
