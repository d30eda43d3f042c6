<script setup lang="ts">
import { mdiDragVertical } from '@mdi/js';
import { computed, ref } from 'vue';
import { VueDraggable } from 'vue-draggable-plus';
import { labelOf } from '../words/cells.ts';
import type { DraftColumn } from './export_draft.ts';

/** Which columns go into the file, under which names and in which order. */
const columns = defineModel<DraftColumn[]>({ required: true });
/** Columns that come beside those: of shapes, of what conditions show, of cuts, of meanings. */
defineProps<{ added: readonly string[] }>();
const find = ref('');
const chosen = computed(() => columns.value.filter((one) => one.chosen).length);
const hidden = (one: DraftColumn) =>
  find.value.trim() !== '' && !`${one.column.name} ${labelOf(one.column)}`.toLowerCase().includes(find.value.trim().toLowerCase());

function all(on: boolean): void {
  for (const one of columns.value) if (!hidden(one)) one.chosen = on;
}
function move(index: number, by: number, event: KeyboardEvent): void {
  const to = index + by;
  if (to < 0 || to >= columns.value.length) return;
  event.preventDefault();
  const moved = [...columns.value];
  moved.splice(to, 0, ...moved.splice(index, 1));
  columns.value = moved;
}
</script>

<template>
  <section class="columns">
    <header>
      <b :title="added.length > 0 ? `Beside them: ${added.join(', ')}` : undefined" data-test="column-count"
        >{{ chosen }} of {{ columns.length }} columns<template v-if="added.length > 0"> and {{ added.length }} added</template></b
      >
      <input
        v-if="columns.length > 10"
        v-model="find"
        class="entry-field small"
        type="search"
        placeholder="Find a column"
        aria-label="Find a column"
      />
      <span class="grow" />
      <button class="plain link" type="button" @click="all(true)">all</button>
      <button class="plain link" type="button" data-test="no-columns" @click="all(false)">none</button>
    </header>
    <VueDraggable v-model="columns" tag="ul" handle=".grip" :animation="120">
      <li v-for="(one, i) in columns" v-show="!hidden(one)" :key="one.column.name" :class="{ off: !one.chosen }">
        <button
          class="plain grip"
          type="button"
          :aria-label="`Move ${one.column.name}; with the arrow keys`"
          @keydown.up="move(i, -1, $event)"
          @keydown.down="move(i, 1, $event)"
        >
          <v-icon :icon="mdiDragVertical" size="16" />
        </button>
        <label>
          <input v-model="one.chosen" type="checkbox" :data-test="`column-${one.column.name}`" />
          <span :title="one.column.description ?? one.column.name">{{ labelOf(one.column) }}</span>
        </label>
        <select
          v-if="one.column.codeList !== null"
          v-model="one.codes"
          class="entry-field small"
          :disabled="!one.chosen"
          :aria-label="`Codes of ${one.column.name}`"
          :data-test="`codes-${one.column.name}`"
        >
          <option value="code">codes</option>
          <option value="meaning">meanings</option>
          <option value="both">both</option>
        </select>
        <span v-else />
        <input
          v-model="one.as"
          class="entry-field small as"
          type="text"
          maxlength="200"
          spellcheck="false"
          :disabled="!one.chosen"
          :placeholder="one.column.name"
          :aria-label="`Name of ${one.column.name} in the file`"
          :data-test="`as-${one.column.name}`"
        />
      </li>
    </VueDraggable>
  </section>
</template>

<style scoped>
.columns {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
header {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 2px 6px;
}
header input {
  flex: 1;
  min-width: 60px;
}
.grow {
  flex: 1;
}
.link {
  color: var(--spruce);
  font-weight: 600;
  text-decoration: underline;
}
ul {
  margin: 0;
  padding: 0;
  overflow-y: auto;
  list-style: none;
  border-top: 1px solid var(--line);
}
li {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) 88px 128px;
  align-items: center;
  gap: 6px;
  padding: 2px 4px 2px 0;
  border-bottom: 1px solid var(--line);
}
.off label,
.off .as {
  color: var(--soft);
}
.grip {
  color: var(--soft);
  cursor: grab;
}
label {
  display: flex;
  gap: 7px;
  align-items: center;
  min-width: 0;
}
label span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
input[type='checkbox'] {
  accent-color: var(--spruce);
}
select,
.as {
  width: 100%;
}
.as {
  font-family: var(--mono);
  font-size: 12px;
}
input[type='checkbox'] {
  margin: 0 6px;
}
</style>
