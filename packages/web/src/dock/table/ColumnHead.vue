<script setup lang="ts">
import { mdiDotsVertical, mdiEyeOffOutline, mdiMagnify, mdiPinOffOutline, mdiPinOutline } from '@mdi/js';
import { computed, nextTick, ref } from 'vue';
import type { TableColumn } from './table_columns.ts';

/** The head of a column: a click sorts, the right edge resizes, and the rest is in its menu. */
const props = defineProps<{ shown: TableColumn; sort: { column: string; descending: boolean }[] }>();
const emit = defineEmits<{
  sort: [beside: boolean];
  /** A width while the edge is dragged, and the one at which it is let go. */
  width: [width: number];
  sized: [];
  fit: [];
  pin: [];
  hide: [];
  move: [by: 1 | -1];
  /** A text is looked for in the column, from the row that is on show or from the one found before on. */
  find: [text: string];
}>();

const name = computed(() => props.shown.column.name);
const rank = computed(() => props.sort.findIndex(({ column }) => column === name.value));
const direction = computed(() => (rank.value < 0 ? 'none' : props.sort[rank.value].descending ? 'descending' : 'ascending'));
const arrow = computed(() => {
  if (rank.value < 0) return '';
  return `${direction.value === 'descending' ? ' ↓' : ' ↑'}${props.sort.length > 1 ? rank.value + 1 : ''}`;
});

const menu = ref(false);
const text = ref('');
const field = ref<HTMLInputElement>();
function opened(isOpen: boolean): void {
  if (isOpen) void nextTick(() => field.value?.focus());
}

let from: { x: number; width: number } | null = null;
function grab(event: PointerEvent): void {
  from = { x: event.clientX, width: props.shown.width };
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
}
function drop(): void {
  if (from) emit('sized');
  from = null;
}
function drag(event: PointerEvent): void {
  if (from) emit('width', Math.round(Math.max(40, Math.min(1200, from.width + event.clientX - from.x))));
}
</script>

<template>
  <span
    role="columnheader"
    class="column"
    :class="{ number: shown.column.type === 'number', match: shown.match }"
    :aria-sort="direction"
    :data-column="name"
  >
    <button
      type="button"
      class="sort"
      :title="`${name}${shown.column.description ? `: ${shown.column.description}` : ''}. Click: sort; with Shift: sort by this too`"
      @click="emit('sort', $event.shiftKey)"
    >
      {{ shown.heading }}<span v-if="arrow">{{ arrow }}</span>
    </button>
    <v-menu v-if="!shown.match" v-model="menu" location="bottom end" :close-on-content-click="false" @update:model-value="opened">
      <template #activator="{ props: activator }">
        <button v-bind="activator" type="button" class="more" :class="{ open: menu }" :aria-label="`More for column ${shown.heading}`">
          <v-icon :icon="mdiDotsVertical" size="15" />
        </button>
      </template>
      <v-list density="compact" min-width="230">
        <form class="find" @submit.prevent="emit('find', text)">
          <v-icon :icon="mdiMagnify" size="18" />
          <input
            ref="field"
            v-model="text"
            type="search"
            :aria-label="`Find in ${shown.heading}`"
            placeholder="Find; Enter for the next"
            data-test="find-in-column"
            @keydown.stop="$event.key === 'Escape' && (menu = false)"
          />
        </form>
        <v-list-item
          :prepend-icon="shown.pinned ? mdiPinOffOutline : mdiPinOutline"
          :title="shown.pinned ? 'Let it scroll' : 'Keep in sight'"
          @click="((menu = false), emit('pin'))"
        />
        <v-list-item :prepend-icon="mdiEyeOffOutline" title="Hide here" @click="((menu = false), emit('hide'))" />
        <v-list-item title="Move left" @click="emit('move', -1)" />
        <v-list-item title="Move right" @click="emit('move', 1)" />
        <v-list-item title="Fit to its content" @click="((menu = false), emit('fit'))" />
      </v-list>
    </v-menu>
    <span
      class="edge"
      aria-hidden="true"
      @pointerdown.stop.prevent="grab"
      @pointermove="drag"
      @pointerup="drop"
      @pointercancel="drop"
      @dblclick="emit('fit')"
    />
  </span>
</template>

<style scoped>
.column {
  position: relative;
  display: flex;
  align-items: stretch;
  min-width: 0;
  background: var(--surface);
}
.sort {
  flex: 1;
  min-width: 0;
  padding: 4px 2px 4px 12px;
  border: 0;
  background: none;
  color: var(--soft);
  font: inherit;
  font-size: 12.5px;
  font-weight: 650;
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  cursor: pointer;
}
.sort:hover {
  color: var(--ink);
}
.number .sort {
  order: 1;
  padding: 4px 12px 4px 0;
  text-align: right;
}
.match .sort {
  color: var(--violet);
}
.more {
  flex: none;
  width: 17px;
  padding: 0;
  border: 0;
  background: none;
  color: var(--soft);
  opacity: 0;
  cursor: pointer;
}
.column:hover .more,
.more:focus-visible,
.more.open {
  opacity: 1;
}
.edge {
  position: absolute;
  top: 4px;
  bottom: 4px;
  right: -3px;
  z-index: 1;
  width: 7px;
  cursor: col-resize;
}
.edge:hover {
  background: linear-gradient(to right, transparent 3px, var(--copper) 3px 5px, transparent 5px);
}
.find {
  display: flex;
  align-items: center;
  gap: 8px;
  margin: 2px 12px 6px;
  padding: 3px 8px;
  border: 1px solid var(--line);
  border-radius: 8px;
  color: var(--soft);
}
.find input {
  flex: 1;
  min-width: 0;
  border: 0;
  outline: 0;
  background: none;
  color: var(--ink);
  font: inherit;
}
</style>
