<script setup lang="ts">
import type { ColumnInfo, SourceInfo } from '@clean-sieve/server/api';
import { computed, ref } from 'vue';
import { labelOf } from '../words/cells.ts';
import { counted } from '../words/numbers.ts';
import { severalInWords } from './join_words.ts';
import { problemOf, waysOf, withColumn, type TakenColumn } from './taken_columns.ts';

/** The columns of another source, of which some are taken, each under a name of its own. */
const taken = defineModel<TakenColumn[]>({ required: true });
const props = defineProps<{
  source: SourceInfo;
  table: SourceInfo;
  /** Columns that hold the key are not offered. */
  keys: readonly string[];
  /** What there is to be told of the rows themselves, and what that is called; null for nothing. */
  extra: { title: string; name: string } | null;
  /** Several rows can belong to one feature. */
  isSeveral: boolean;
}>();

/** A wide table is gone through by names. */
const MOST_SHOWN = 60;
const search = ref('');
const offered = computed(() => props.table.columns.filter(({ name }) => !props.keys.includes(name)));
const found = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  return offered.value.filter((column) => `${column.name} ${labelOf(column)}`.toLowerCase().includes(wanted));
});
interface Line {
  column: string | null;
  label: string;
  wanted: string;
  of: ColumnInfo | null;
  test: string;
}
const lines = computed<Line[]>(() => [
  ...found.value.slice(0, MOST_SHOWN).map((of) => ({ column: of.name, label: labelOf(of), wanted: of.name, of, test: of.name })),
  ...(props.extra ? [{ column: null, label: props.extra.title, wanted: props.extra.name, of: null, test: 'rows' }] : []),
]);
const takenOf = (line: Line) => taken.value.find(({ column }) => column === line.column);
function take(line: Line, on: boolean): void {
  taken.value = withColumn(taken.value, line.column, on, line.wanted, props.source.columns);
}
</script>

<template>
  <div>
    <input
      v-if="offered.length > MOST_SHOWN"
      v-model="search"
      class="entry-field search"
      type="search"
      :placeholder="`Find in ${counted(offered.length)} columns`"
      aria-label="Find a column"
    />
    <table>
      <thead>
        <tr>
          <th>Column of {{ table.name }}</th>
          <th>Called here</th>
          <th v-if="isSeveral">Of several rows</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in lines" :key="line.column ?? ''">
          <td>
            <v-checkbox
              :model-value="takenOf(line) !== undefined"
              :label="line.label"
              :data-test="`take-${line.test}`"
              @update:model-value="(on) => take(line, on === true)"
            />
          </td>
          <td>
            <template v-for="one in taken.filter(({ column }) => column === line.column)" :key="one.column ?? ''">
              <input v-model="one.name" class="entry-field" maxlength="200" :aria-label="`What “${line.label}” is called here`" />
              <span v-if="problemOf(one, taken, source.columns)" class="trouble">{{ problemOf(one, taken, source.columns) }}</span>
            </template>
          </td>
          <td v-if="isSeveral">
            <template v-for="one in taken.filter(({ column }) => column === line.column)" :key="one.column ?? ''">
              <select
                v-if="line.of"
                v-model="one.several"
                class="entry-field"
                :aria-label="`What becomes of several rows of ${line.label}`"
                :data-test="`several-${line.test}`"
              >
                <option v-for="way in waysOf(line.of)" :key="way" :value="way">{{ severalInWords(way, line.of.type) }}</option>
              </select>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="found.length > MOST_SHOWN" class="soft">
      The first {{ MOST_SHOWN }} of {{ counted(found.length) }} columns are shown; find others by their names.
    </p>
  </div>
</template>

<style scoped>
.search {
  width: 100%;
  margin-bottom: 6px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th {
  padding: 2px 12px 2px 0;
  text-align: left;
  font-size: 12.5px;
  color: var(--soft);
  border-bottom: 1px solid var(--line);
}
td {
  padding: 0 12px 0 0;
  border-bottom: 1px solid var(--line);
}
td .entry-field {
  width: 100%;
  min-width: 0;
}
.trouble {
  color: var(--copper-text);
}
</style>
