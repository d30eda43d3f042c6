<script setup lang="ts">
import { emptyTree, exprOfForm } from '@clean-sieve/core';
import { computed } from 'vue';
import { api } from '../api/client.ts';
import { copyTable } from '../clipboard/clipboard.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useHandOver } from '../stores/hand_over.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';

/** How many features are picked, and what can be done with them. */
const workspace = useWorkspace();
const picks = usePicks();
const editing = useTreeEditing();
const handOver = useHandOver();
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
  return picks.rows.size > MOST_VALUES ? `A list of more than ${counted(MOST_VALUES)} is too long to read` : '';
});

/**
 * The picked rows, of the columns asked for.
 * @param guarded texts that a spreadsheet would take for formulas kept from that; values for a condition stay what they are
 */
async function rowsOf(columns: string[], guarded: boolean) {
  const { id, name } = workspace.activeSource!;
  const layer = {
    ...{ sourceId: id, tree: emptyTree(), name, picks: [...picks.rows], pickedAs: null },
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

function give(): void {
  const source = workspace.activeSource!;
  handOver.show({ source, sieve: null, tree: emptyTree(), name: `${source.name} picked`, picks: [...picks.rows], pickedAs: null });
}
</script>

<template>
  <v-menu v-if="picks.rows.size > 0">
    <template #activator="{ props: menu }">
      <button v-bind="menu" type="button" class="picks" data-test="picks">{{ counted(picks.rows.size) }} picked</button>
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
