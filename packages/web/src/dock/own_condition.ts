import { formOfExpr, replaceNode, type Form, type Group } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed, shallowRef, watch, type ComputedRef } from 'vue';
import { useNotices } from '../stores/notices.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';

/** The condition that a chart makes, with what the chart reads from it. */
export interface OwnCondition<T> {
  id: string;
  form: T;
}

/** The first condition at the top of the stack that a chart of a column takes for its own; null where there is none. */
export function useOwnCondition<T>(
  column: ComputedRef<ColumnInfo | null>,
  own: (form: Form) => T | null,
): ComputedRef<OwnCondition<T> | null> {
  const workspace = useWorkspace();
  return computed(() => {
    // Among alternatives no condition narrows the others.
    if (workspace.activeTree.combine !== 'all') return null;
    for (const node of workspace.activeTree.children) {
      if (node.kind !== 'condition' || node.off) continue;
      const form = formOfExpr(node.expr, workspace.activeSource!.columns);
      const taken = 'column' in form && form.column === column.value?.name ? own(form) : null;
      if (taken !== null) return { id: node.id, form: taken };
    }
    return null;
  });
}

/**
 * What is answered about a column, without the chart's own condition, so that what it leaves out can still be chosen; null
 * while the answer for this column is not there.
 */
export function useAnswerBeside<A>(
  column: ComputedRef<ColumnInfo | null>,
  own: ComputedRef<OwnCondition<unknown> | null>,
  ask: (sourceId: number, tree: Group, column: string, signal: AbortSignal) => Promise<A>,
): ComputedRef<A | null> {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const notices = useNotices();
  const found = shallowRef<{ sourceId: number; column: string; answer: A } | null>(null);
  watch(
    [() => workspace.activeSource?.id, () => column.value?.name, () => sifting.version],
    async ([sourceId, name]) => {
      if (sourceId === undefined || name === undefined) return;
      const id = own.value?.id;
      const tree = id === undefined ? sifting.shownTree : replaceNode(sifting.shownTree, id, () => null);
      try {
        const answer = await sifting.besides((signal) => ask(sourceId, tree, name, signal));
        if (answer !== undefined && column.value?.name === name && workspace.activeSource?.id === sourceId)
          found.value = { sourceId, column: name, answer };
      } catch (error) {
        notices.complain(error);
      }
    },
    { immediate: true },
  );
  return computed(() => {
    const { sourceId, column: name, answer } = found.value ?? {};
    return sourceId === workspace.activeSource?.id && name === column.value?.name ? (answer ?? null) : null;
  });
}
