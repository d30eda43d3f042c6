<script setup lang="ts">
import { mdiTableCog } from '@mdi/js';
import { PLAIN_LAYOUT, TOTALS, type Total } from '@clean-sieve/core';
import { computed, ref } from 'vue';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { headingOf } from '../../words/cells.ts';
import { counted } from '../../words/numbers.ts';

/** What concerns the table as a whole: a row to go to, figures below the columns, which columns are shown. */
const props = defineProps<{ rows: number }>();
const emit = defineEmits<{ go: [row: number] }>();
const views = useViews();
const workspace = useWorkspace();

const open = ref(false);
const row = ref('');
const wanted = ref('');
const MOST_LISTED = 200;
const columns = computed(() => {
  const text = wanted.value.trim().toLowerCase();
  return (workspace.activeSource?.columns ?? []).filter(
    (column) => !column.hidden && `${column.name} ${headingOf(column)}`.toLowerCase().includes(text),
  );
});
const titles: Record<Total, string> = { sum: 'sums', mean: 'means', median: 'medians', min: 'smallest', max: 'largest' };
const totals = [{ value: '', title: 'no figures' }, ...TOTALS.map((value) => ({ value, title: titles[value] }))];

function go(): void {
  const number = Math.round(Number(row.value.replaceAll(/[\s,]/g, '')));
  if (!(number >= 1 && number <= props.rows)) return;
  emit('go', number - 1);
  open.value = false;
}
function toggle(name: string): void {
  const { hidden } = views.layout;
  void views.lay({ hidden: hidden.includes(name) ? hidden.filter((one) => one !== name) : [...hidden, name] });
}
</script>

<template>
  <v-menu v-model="open" location="top end" :close-on-content-click="false">
    <template #activator="{ props: activator }">
      <button v-bind="activator" type="button" class="plain cog" aria-label="Lay out the table" data-test="table-menu">
        <v-icon :icon="mdiTableCog" size="17" />
      </button>
    </template>
    <div class="card">
      <form class="line" @submit.prevent="go">
        <label
          >Go to row
          <input v-model="row" inputmode="numeric" :placeholder="`1 to ${counted(rows)}`" data-test="go-to-row" @keydown.stop />
        </label>
        <button type="submit" class="plain link">Go</button>
      </form>
      <v-select
        :model-value="views.layout.totals ?? ''"
        :items="totals"
        label="Below the columns"
        data-test="totals"
        @update:model-value="(total: string) => views.lay({ totals: TOTALS.find((one) => one === total) ?? null })"
      />
      <input v-model="wanted" type="search" class="search" placeholder="Columns shown; find one" aria-label="Find a column" @keydown.stop />
      <div class="columns">
        <label v-for="column in columns.slice(0, MOST_LISTED)" :key="column.name">
          <input type="checkbox" :checked="!views.layout.hidden.includes(column.name)" @change="toggle(column.name)" />
          {{ headingOf(column) }}
        </label>
        <p v-if="columns.length > MOST_LISTED" class="soft">{{ counted(columns.length - MOST_LISTED) }} more; type to find them.</p>
      </div>
      <button type="button" class="plain link" @click="views.lay({ ...PLAIN_LAYOUT, pinned: views.firstPinned })">As it comes</button>
    </div>
  </v-menu>
</template>

<style scoped>
.cog {
  position: sticky;
  right: 0;
  z-index: 4;
  width: 30px;
  padding: 0;
  border-left: 1px solid var(--line) !important;
  background: var(--surface);
  color: var(--soft);
}
.cog:hover {
  color: var(--ink);
}
.card {
  display: flex;
  flex-direction: column;
  gap: 10px;
  width: 270px;
  padding: 12px;
  border-radius: 12px;
  background: var(--surface);
  color: var(--ink);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
}
.line label {
  flex: 1;
  white-space: nowrap;
}
.line input {
  width: 120px;
  margin-left: 6px;
}
.line input,
.search {
  padding: 4px 8px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: none;
  color: var(--ink);
  font: inherit;
}
.columns {
  display: flex;
  flex-direction: column;
  max-height: 190px;
  overflow-y: auto;
}
.columns label {
  display: flex;
  gap: 8px;
  padding: 1px 2px;
}
.columns p {
  margin: 4px 0 0;
}
.link {
  align-self: flex-start;
}
</style>
