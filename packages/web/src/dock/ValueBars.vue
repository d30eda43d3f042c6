<script setup lang="ts">
import { exprOfForm, formOfExpr, replaceNode, type Expr, type Form } from '@clean-sieve/core';
import type { ValuesAnswer } from '@clean-sieve/server/api';
import { scaleLinear } from 'd3';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useNotices } from '../stores/notices.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const notices = useNotices();
const editing = useTreeEditing();

/** Columns of more values than this are not looked at by their values. */
const MOST_VALUES = 20_000;
const MOST_BARS = 200;

const chosen = ref<string | null>(null);
const answer = shallowRef<ValuesAnswer['values'] | null>(null);

const columns = computed(() =>
  (workspace.activeSource?.columns ?? []).filter(
    ({ type, hidden, distinct }) => !hidden && (type === 'text' || type === 'boolean' || type === 'number') && distinct <= MOST_VALUES,
  ),
);
/** At first a text of few values, which is what bars show best. */
const column = computed(
  () =>
    columns.value.find(({ name }) => name === chosen.value) ??
    columns.value.find(({ type, distinct }) => type === 'text' && distinct > 1 && distinct <= 40) ??
    columns.value[0] ??
    null,
);

type Value = ValuesAnswer['values'][number]['value'];

/** The condition at the top of the stack that lists values of the column, and the values. */
const condition = computed((): { id: string; form: Form; values: Value[] } | null => {
  for (const node of workspace.activeTree.children) {
    if (node.kind !== 'condition' || node.off) continue;
    const form = formOfExpr(node.expr, workspace.activeSource!.columns);
    if (!('column' in form) || form.column !== column.value?.name) continue;
    if (form.kind === 'values' && !form.none) return { id: node.id, form, values: form.values };
    if (form.kind === 'yesno') return { id: node.id, form, values: [form.value] };
  }
  return null;
});

/** Asked without the bars' own condition, so that those that are not kept can be added. */
watch(
  [() => workspace.activeSource?.id, column, () => sifting.version],
  async () => {
    const source = workspace.activeSource;
    const asked = column.value?.name;
    if (!source || asked === undefined) return;
    const own = condition.value?.id;
    const tree = own === undefined ? sifting.shownTree : replaceNode(sifting.shownTree, own, () => null);
    try {
      const found = await sifting.besides((signal) => api.values(source.id, tree, asked, signal));
      if (found && column.value?.name === asked && workspace.activeSource?.id === source.id) answer.value = found.values;
    } catch (error) {
      notices.complain(error);
    }
  },
  { immediate: true },
);

const bars = computed(() => (answer.value ?? []).slice(0, MOST_BARS));
/** Lengths in percent of the longest bar; straight, so that they can be compared. */
const x = computed(() => scaleLinear([0, Math.max(1, ...bars.value.map(({ count }) => count))], [0, 100]));
const said = computed(() => {
  if (!answer.value) return '';
  const shown = answer.value.length > MOST_BARS ? `the ${MOST_BARS} most frequent of ` : '';
  const sum = (of: (one: ValuesAnswer['values'][number]) => number) => answer.value!.reduce((total, one) => total + of(one), 0);
  const kept = sum((one) => (isOn(one.value) ? one.kept : 0));
  return `${shown}${plural(answer.value.length, 'value')} in ${plural(
    sum(({ count }) => count),
    'feature',
  )}, ${counted(kept)} of them kept`;
});
const isOn = (value: Value) => condition.value === null || condition.value.values.includes(value);

const nameOf = (value: Value) => (value === '' ? 'empty text' : workspace.shownOf(column.value, value));

/** Keeps this value only; with the condition there already, adds it or takes it away. */
function choose(value: Value): void {
  const name = column.value.name;
  const values = condition.value?.values ?? [];
  const next = values.includes(value) ? values.filter((one) => one !== value) : [...values, value];
  if (!condition.value) void editing.addCondition(exprOfValues(name, next), undefined, false);
  else if (next.length === 0 || (typeof value === 'boolean' && next.length === 2)) editing.remove(condition.value.id);
  else editing.setExpr(condition.value.id, exprOfValues(name, next, condition.value.form.blanks));
}

function exprOfValues(name: string, values: readonly Value[], blanks = false): Expr {
  const [first] = values;
  if (typeof first === 'boolean') return exprOfForm({ kind: 'yesno', column: name, value: first, blanks });
  const listed = values.filter((value) => typeof value !== 'boolean');
  return exprOfForm({ kind: 'values', column: name, values: listed, none: false, blanks });
}
</script>

<template>
  <div class="values" data-test="value-bars">
    <p v-if="!column" class="soft none">This source has no column whose values can be counted.</p>
    <template v-else>
      <div class="bar">
        <v-select
          :model-value="column.name"
          :items="columns.map((c) => ({ value: c.name, title: labelOf(c) }))"
          aria-label="Column"
          class="choice"
          data-test="bars-column"
          @update:model-value="(name: string) => (chosen = name)"
        />
        <span class="soft" data-test="bars-said">{{ said }}</span>
      </div>
      <p v-if="answer === null" class="soft none">Counting …</p>
      <p v-else-if="answer.length === 0" class="soft none">No feature has a value here.</p>
      <div v-else class="list" role="group" :aria-label="`Values of ${labelOf(column)}`">
        <button
          v-for="{ value, count, kept } of bars"
          :key="String(value)"
          type="button"
          :class="{ off: !isOn(value) }"
          :aria-pressed="condition?.values.includes(value) ?? false"
          :title="`${nameOf(value)}: ${counted(kept)} kept of ${counted(count)}`"
          @click="choose(value)"
        >
          <span class="name">{{ nameOf(value) }}</span>
          <span class="track" aria-hidden="true">
            <span class="all" :style="{ width: `${x(count)}%` }" />
            <span class="kept" :style="{ width: `${x(kept)}%` }" />
          </span>
          <span class="count">{{ counted(kept) }} of {{ counted(count) }}</span>
        </button>
      </div>
    </template>
  </div>
</template>

<style scoped>
.values {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
}
.none {
  margin: 0;
  padding: 12px 16px;
}
.bar {
  display: flex;
  flex: none;
  align-items: center;
  gap: 14px;
  padding: 8px 16px 6px;
}
.choice {
  flex: none;
  width: 190px;
}
.list {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  padding: 0 16px 8px;
}
.list button {
  display: grid;
  grid-template-columns: minmax(110px, 190px) 1fr 130px;
  align-items: center;
  gap: 12px;
  width: 100%;
  padding: 2px 4px;
  border: 0;
  border-radius: 4px;
  background: none;
  color: var(--ink);
  font: inherit;
  font-size: 13.5px;
  text-align: left;
  cursor: pointer;
}
.list button:hover {
  background: var(--tint);
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.off .name,
.off .count {
  color: var(--soft);
}
.track {
  position: relative;
  height: 13px;
}
.track span {
  position: absolute;
  inset: 0 auto 0 0;
}
.all {
  background: var(--line);
}
.kept {
  background: var(--spruce-2);
}
.off .kept {
  opacity: 0.45;
}
.count {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
