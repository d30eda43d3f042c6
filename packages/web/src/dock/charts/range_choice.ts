import { exprOfForm } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed, type ComputedRef } from 'vue';
import { useTreeEditing } from '../../stack/tree_editing.ts';
import { useOwnCondition } from './own_condition.ts';
import type { Range } from './ranges.ts';

/** Choosing a range of a column of numbers in a chart: the condition that keeps it. */
export function useRangeChoice(column: ComputedRef<ColumnInfo | null>) {
  const editing = useTreeEditing();
  const condition = useOwnCondition(column, (form) => {
    if (form.kind === 'between') return form.outside ? null : { range: [form.low, form.high] as Range, blanks: form.blanks };
    if (form.kind !== 'compare' || typeof form.value !== 'number') return null;
    if (form.op === '>' || form.op === '>=') return { range: [form.value, Infinity] as Range, blanks: form.blanks };
    return form.op === '<' || form.op === '<=' ? { range: [-Infinity, form.value] as Range, blanks: form.blanks } : null;
  });
  const range = computed(() => condition.value?.form.range ?? null);

  function exprOf([low, high]: Range) {
    return exprOfForm({
      kind: 'between',
      column: column.value!.name,
      low,
      high,
      outside: false,
      blanks: condition.value?.form.blanks ?? false,
    });
  }
  function setRange(next: Range): void {
    if (condition.value) editing.setExpr(condition.value.id, exprOf(next));
    else editing.narrow(exprOf(next), 'keep a range');
  }
  function clear(): void {
    if (condition.value) editing.remove(condition.value.id);
  }
  return { condition, range, exprOf, setRange, clear };
}
