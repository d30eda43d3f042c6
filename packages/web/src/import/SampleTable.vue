<script setup lang="ts">
import { headingInWords } from '@clean-sieve/core';
import type { LayerLook } from '@clean-sieve/server/api';
import { cellText } from '../words/cells.ts';

/** First rows of a layer; with columns that can be left out, where it is asked which come. */
defineProps<{ look: LayerLook }>();
/** Names of the columns that are left out. */
const left = defineModel<string[]>('left');

const TYPES = { number: 'number', text: 'text', boolean: 'yes/no', date: 'date', datetime: 'date and time' };

function toggle(name: string): void {
  const now = left.value ?? [];
  left.value = now.includes(name) ? now.filter((other) => other !== name) : [...now, name];
}
</script>

<template>
  <div class="sample" tabindex="0" :aria-label="`First rows of ${look.layer}`">
    <table>
      <thead>
        <tr>
          <th v-for="column in look.columns" :key="column.name" :title="column.name" :class="{ off: left?.includes(column.name) }">
            <label v-if="left">
              <input
                type="checkbox"
                :checked="!left.includes(column.name)"
                :aria-label="`Take the column ${column.name}`"
                @change="toggle(column.name)"
              />
              {{ headingInWords(column.name) }}
            </label>
            <template v-else>{{ headingInWords(column.name) }}</template><span class="soft">{{ TYPES[column.type] }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, r) in look.rows" :key="r">
          <td
            v-for="(cell, c) in row"
            :key="c"
            :class="{ blank: cell === null, number: look.columns[c].type === 'number', off: left?.includes(look.columns[c].name) }"
          >
            {{ cell === null ? 'blank' : cellText(cell) }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="look.rows.length === 0" class="soft pad">There are no features to show.</p>
  </div>
</template>

<style scoped>
.sample {
  flex: 1;
  min-height: 90px;
  overflow: auto;
  border: 1px solid var(--line);
  border-radius: 10px;
}
table {
  border-collapse: collapse;
  white-space: nowrap;
}
th {
  position: sticky;
  top: 0;
  padding: 4px 12px;
  text-align: left;
  background: var(--paper);
}
th span {
  display: block;
  font-size: 12px;
  font-weight: 400;
}
td {
  max-width: 240px;
  padding: 3px 12px;
  border-top: 1px solid var(--line);
  overflow: hidden;
  text-overflow: ellipsis;
}
.number {
  text-align: right;
}
.blank {
  font-style: italic;
  color: var(--soft);
}
.off {
  color: var(--soft);
  text-decoration: line-through;
}
.pad {
  margin: 0;
  padding: 10px;
}
input {
  accent-color: var(--spruce);
}
</style>
