<script setup lang="ts">
import { areaRef, emptyTree, exprOfForm, type Value } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed } from 'vue';
import { api } from '../api/client.ts';
import { copyTable } from '../clipboard/clipboard.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useExports } from '../stores/exports.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';

/** How many features are picked, and what can be done with them. */
const workspace = useWorkspace();
const picks = usePicks();
const editing = useTreeEditing();
const exporting = useExports();
const notices = useNotices();

/** A column in which every feature has a value of its own, by which a condition can name them. */
const key = computed(() =>
  workspace.activeSource?.columns.find(
    ({ type, nulls, empty, distinct }) =>
      (type === 'text' || type === 'number') && nulls + empty === 0 && distinct === workspace.activeSource?.rows,
  ),
);
const MOST_VALUES = 5000;
const whyNot = computed(() => {
  if (!key.value) return 'No column has a value of its own for every feature';
  return picks.keys.size > MOST_VALUES ? `A list of more than ${counted(MOST_VALUES)} is too long to read` : '';
});

/**
 * The picked rows, of the columns asked for.
 * @param guarded texts that a spreadsheet would take for formulas kept from that; values for a condition stay what they are
 */
async function rowsOf(columns: string[], guarded: boolean) {
  const { id, name } = workspace.activeSource!;
  const layer = {
    ...{ sourceId: id, tree: emptyTree(), name, picks: [...picks.keys], pickedAs: null },
    columns: columns.map((column) => ({ name: column, as: column, codes: 'code' as const })),
    ...{ shape: { kind: 'none' as const }, crs: null, order: null, cut: null, colour: '#64479b' },
  };
  return api.extractRows({ title: name, format: 'csv', layers: [layer], within: null, zip: false, coordinates: null, guarded });
}

async function copy(): Promise<void> {
  const shown = workspace.activeSource!.columns.filter(({ hidden }) => !hidden).map(({ name }) => name);
  try {
    const { columns, rows } = await rowsOf(shown, true);
    await copyTable(columns, rows);
    notices.say(`${plural(rows.length, 'row')} on the clipboard; paste them into a spreadsheet.`);
  } catch (error) {
    notices.complain(error);
  }
}

async function condition(none: boolean): Promise<void> {
  try {
    const { rows } = await rowsOf([key.value!.name], false);
    const values = rows.map(([value]) => value as string | number);
    await editing.addCondition(exprOfForm({ column: key.value!.name, blanks: false, kind: 'values', values, none }), undefined, false);
  } catch (error) {
    notices.complain(error);
  }
}

/** Columns by which features can be like one another. */
const likeness = computed(() =>
  workspace.activeSource!.columns.filter(({ hidden, type, distinct }) => !hidden && type !== 'date' && type !== 'datetime' && distinct > 0),
);
/** Keeps what has one of the values that the picked features have in a column; blanks where one of those is blank. */
async function alike(column: ColumnInfo): Promise<void> {
  try {
    const { rows } = await rowsOf([column.name], false);
    const values = [...new Set<Value>(rows.map(([value]) => value))];
    const known = values.filter((value) => value !== null);
    if (known.length > MOST_VALUES)
      return notices.say(`They have more than ${counted(MOST_VALUES)} values of ${labelOf(column)}, too long a list to read.`);
    const blanks = values.includes(null);
    const base = { column: column.name };
    const truths = known.filter((value) => typeof value === 'boolean');
    const listed = known.filter((value) => typeof value !== 'boolean');
    if (known.length === 0)
      editing.narrow(exprOfForm({ ...base, kind: 'blank', not: false, empty: false, blanks: false }), 'keep what is like them');
    else if (truths.length === 2)
      notices.say(`They are both yes and no in ${labelOf(column)}: every feature with a value is like one of them.`);
    else if (truths.length === 1)
      editing.narrow(exprOfForm({ ...base, kind: 'yesno', value: truths[0], blanks }), 'keep what is like them');
    else editing.narrow(exprOfForm({ ...base, kind: 'values', values: listed, none: false, blanks }), 'keep what is like them');
  } catch (error) {
    notices.complain(error);
  }
}

/** An area of what the picked features cover, and what meets it kept. */
async function shape(keeps: boolean): Promise<void> {
  const source = workspace.activeSource!;
  const area = await workspace.areaOfFeatures(source.id, { tree: emptyTree(), among: [...picks.keys] }, `${source.name} picked`);
  if (area && keeps)
    await editing.addCondition(
      exprOfForm({ kind: 'area', relation: 's_intersects', geometry: areaRef(area.name), outside: false, blanks: false }),
    );
}

function give(): void {
  const source = workspace.activeSource!;
  exporting.show({ source, sieve: null, tree: emptyTree(), name: `${source.name} picked`, picks: [...picks.keys], pickedAs: null });
}
</script>

<template>
  <v-menu>
    <template #activator="{ props: menu }">
      <button v-bind="menu" type="button" class="picks" data-test="picks">{{ counted(picks.keys.size) }} picked</button>
    </template>
    <v-list density="compact">
      <v-list-item title="Hand them over" @click="give" />
      <v-list-item title="Copy their rows" @click="copy" />
      <v-list-item
        title="Keep only them"
        :disabled="whyNot !== ''"
        :subtitle="whyNot || `a condition on ${labelOf(key!)}`"
        @click="condition(false)"
      />
      <v-list-item
        title="Sift them out"
        :disabled="whyNot !== ''"
        :subtitle="whyNot || `a condition on ${labelOf(key!)}`"
        @click="condition(true)"
      />
      <v-menu location="end top" open-on-hover :open-on-click="true">
        <template #activator="{ props: sub }">
          <v-list-item v-bind="sub" title="Keep what is like them …" subtitle="the same value in a column" data-test="alike" @click.stop />
        </template>
        <v-list density="compact" max-height="360">
          <v-list-item v-for="column in likeness" :key="column.name" :title="labelOf(column)" @click="alike(column)" />
        </v-list>
      </v-menu>
      <v-list-item title="Keep what meets them" subtitle="a condition on an area of their shapes" @click="shape(true)" />
      <v-list-item title="Make an area of them" @click="shape(false)" />
      <v-list-item title="Clear the picks" @click="picks.clear()" />
    </v-list>
  </v-menu>
</template>

<style scoped>
.picks {
  align-self: center;
  padding: 2px 12px !important;
  border: 0 !important;
  border-radius: 12px;
  background: var(--violet-tint) !important;
  color: var(--violet) !important;
  font-weight: 650 !important;
}
</style>
