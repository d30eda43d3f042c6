import { formOfExpr, replaceNode, type Form, type Group } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed, type ComputedRef } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';

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

/** What the features are that a chart tells beside its own conditions. */
export const besideWord = (hasOwn: boolean) => (hasOwn ? 'pass the other conditions' : 'kept');

/** Conditions without a chart's own ones, so that what those leave out can still be chosen. */
export const besideOwn =
  (own: () => (OwnCondition<unknown> | null)[]) =>
  (tree: Group): Group =>
    own().reduce((left, one) => (one ? replaceNode(left, one.id, () => null) : left), tree);
