<script setup lang="ts">
import { exprOfForm, type Expr } from '@clean-sieve/core';
import type { ColumnInfo, ValuesAnswer } from '@clean-sieve/server/api';
import { scaleLinear } from 'd3';
import { computed, ref } from 'vue';
import { api } from '../api/client.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';
import { useAnswerBeside, useOwnCondition } from './own_condition.ts';

const workspace = useWorkspace();
const editing = useTreeEditing();

/** Columns of more values than this are not looked at by their values. */
const MOST_VALUES = 20_000;
const MOST_BARS = 200;

const chosen = ref<string | null>(null);

const columns = computed(() =>
  (workspace.activeSource?.columns ?? []).filter(
    ({ type, hidden, distinct }) => !hidden && (type === 'text' || type === 'boolean' || type === 'number') && distinct <= MOST_VALUES,
  ),
);
/** At first a text of few values, which is what bars show best. */
const column = computed(
  (): ColumnInfo | null =>
    columns.value.find(({ name }) => name === chosen.value) ??
    columns.value.find(({ type, distinct }) => type === 'text' && distinct > 1 && distinct <= 40) ??
    columns.value[0] ??
    null,
);

type Value = ValuesAnswer['values'][number]['value'];

/** The condition that lists the values that are kept. */
const condition = useOwnCondition(column, (form) => {
  if (form.kind === 'yesno') return { values: [form.value] as Value[], blanks: form.blanks };
  return form.kind === 'values' && !form.none ? { values: form.values, blanks: form.blanks } : null;
});
const answer = useAnswerBeside(column, condition, api.values);
const all = computed(() => answer.value?.values ?? []);
const bars = computed(() => all.value.slice(0, MOST_BARS));
/** Lengths in percent of the longest bar; straight, so that they can be compared. */
const x = computed(() => scaleLinear([0, Math.max(1, ...bars.value.map(({ count }) => count))], [0, 100]));
const isOn = (value: Value) => condition.value?.form.values.includes(value) ?? true;
const sum = (of: (one: ValuesAnswer['values'][number]) => number) => all.value.reduce((total, one) => total + of(one), 0);
const said = computed(() => {
  if (!answer.value || !column.value) return '';
  const [seen, kept] = [sum(({ count }) => count), sum((one) => (isOn(one.value) ? one.kept : 0))];
  const shown = all.value.length > MOST_BARS ? `the ${MOST_BARS} most frequent of ` : '';
  const blank = column.value.nulls > 0 ? ` · ${counted(column.value.nulls)} blank` : '';
  return `${shown}${plural(all.value.length, 'value')} in ${plural(seen, 'feature')}, ${counted(kept)} of them kept${blank}`;
});

const nameOf = (value: Value) => (value === '' || !column.value ? 'empty text' : workspace.shownOf(column.value, value));

/** Keeps this value only; with the condition there already, adds it or takes it away. */
function choose(value: Value): void {
  const name = column.value?.name;
  if (name === undefined) return;
  const { id, form } = condition.value ?? {};
  const values = form?.values ?? [];
  const next = values.includes(value) ? values.filter((one) => one !== value) : [...values, value];
  if (id === undefined) editing.narrow(exprOfValues(name, next), 'keep a value');
  else if (next.length === 0 || (typeof value === 'boolean' && next.length === 2)) editing.remove(id);
  else editing.setExpr(id, exprOfValues(name, next, form?.blanks));
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
      <p v-else-if="all.length === 0" class="soft none">No feature has a value here.</p>
      <div v-else class="list" role="group" :aria-label="`Values of ${labelOf(column)}`">
        <button
          v-for="{ value, count, kept } of bars"
          :key="String(value)"
          type="button"
          :class="{ off: !isOn(value) }"
          :aria-pressed="condition?.form.values.includes(value) ?? false"
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
