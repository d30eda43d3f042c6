import type { Figures } from '@clean-sieve/core';
import { shallowRef, watch } from 'vue';
import { api } from '../../api/client.ts';
import { useFocus } from '../../stores/focus.ts';
import { useNotices } from '../../stores/notices.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** Figures of the rows in the table for the columns that are in sight, asked for when they come into it. */
export function useColumnTotals(inSight: () => string[]) {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const notices = useNotices();
  const views = useViews();
  const focus = useFocus();
  const figures = shallowRef<ReadonlyMap<string, Figures>>(new Map());
  let asked = new Set<string>();
  let generation = 0;

  watch(
    () => [workspace.activeSource?.id, sifting.version, focus.nearMissesOf],
    () => {
      generation++;
      asked = new Set();
      // Those of what was kept before would be wrong beside the rows of now.
      figures.value = new Map();
    },
  );
  watch(
    () => [views.layout.totals !== null, inSight(), sifting.version, focus.nearMissesOf] as const,
    ([isShown, names]) => {
      if (isShown) for (const name of names) void ask(name);
    },
    { immediate: true },
  );
  async function ask(column: string): Promise<void> {
    const sourceId = workspace.activeSource?.id;
    if (asked.has(column) || sourceId === undefined) return;
    asked.add(column);
    const mine = generation;
    try {
      const answer = await sifting.besides((signal) => api.aggregate(sourceId, focus.selection(), { kind: 'figures', column }, signal));
      if (mine !== generation) return;
      if (answer) figures.value = new Map(figures.value).set(column, answer.kept);
      else asked.delete(column);
    } catch (error) {
      notices.complain(error);
    }
  }
  return figures;
}
