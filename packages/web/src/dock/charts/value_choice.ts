import { exprOfForm, type Expr, type ValueCount } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import type { ComputedRef } from 'vue';
import { useTreeEditing } from '../../stack/tree_editing.ts';
import { useOwnCondition } from './own_condition.ts';

type Value = ValueCount['value'];

/** Choosing values in a chart: the condition that lists them, which a click makes, adds to and takes away. */
export function useValueChoice(column: ComputedRef<ColumnInfo | null>) {
  const editing = useTreeEditing();
  /** The condition that lists the values that are kept. */
  const condition = useOwnCondition(column, (form) => {
    if (form.kind === 'yesno') return { values: [form.value] as Value[], blanks: form.blanks };
    return form.kind === 'values' && !form.none ? { values: form.values, blanks: form.blanks } : null;
  });
  const isOn = (value: Value) => condition.value?.form.values.includes(value) ?? true;
  const isChosen = (value: Value) => condition.value?.form.values.includes(value) ?? false;

  /** Keeps this value only; with the condition there already, adds it or takes it away, and with a key held down lets go of the others. */
  function choose(value: Value, event?: MouseEvent | KeyboardEvent): void {
    const name = column.value?.name;
    if (name === undefined) return;
    const { id, form } = condition.value ?? {};
    const values = form?.values ?? [];
    const only = event?.ctrlKey || event?.metaKey;
    const next = only ? [value] : values.includes(value) ? values.filter((one) => one !== value) : [...values, value];
    if (id === undefined) editing.narrow(exprOfValues(name, next), 'keep a value');
    else if (next.length === 0 || (typeof value === 'boolean' && next.length === 2)) editing.remove(id);
    else editing.setExpr(id, exprOfValues(name, next, form?.blanks));
  }
  return { condition, isOn, isChosen, choose };
}

function exprOfValues(name: string, values: readonly Value[], blanks = false): Expr {
  const [first] = values;
  if (typeof first === 'boolean') return exprOfForm({ kind: 'yesno', column: name, value: first, blanks });
  const listed = values.filter((value) => typeof value !== 'boolean');
  return exprOfForm({ kind: 'values', column: name, values: listed, none: false, blanks });
}
