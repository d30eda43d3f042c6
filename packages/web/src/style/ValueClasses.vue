<script setup lang="ts">
import { mdiChevronDown, mdiChevronUp, mdiClose } from '@mdi/js';
import { emptyTree, MOST_CLASSES, type ByValues, type ClassMark as Marked, type ValueCount } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed, shallowRef, watch } from 'vue';
import { useTheme } from 'vuetify';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';
import { colourOf, PALETTE } from '../words/palette.ts';
import MarkPicture from '../words/MarkPicture.vue';
import { markOf } from './first_style.ts';

/** The values that have a class of their own: their order, colours and shapes. */
const props = defineProps<{ classing: ByValues; column: ColumnInfo }>();
const emit = defineEmits<{ change: [next: ByValues] }>();
const workspace = useWorkspace();
const notices = useNotices();
const theme = useTheme();

const known = shallowRef<ValueCount[]>([]);
watch(
  () => props.column.name,
  async (column) => {
    try {
      known.value = await api.aggregate(workspace.activeSource!.id, { tree: emptyTree() }, { kind: 'values', column });
    } catch (error) {
      notices.complain(error);
    }
  },
  { immediate: true },
);

type Value = ValueCount['value'];
const textOf = (value: Value) => (value === '' ? 'empty text' : workspace.shownOf(props.column, value));
const listed = computed(() => new Set(props.classing.classes.map(({ value }) => value)));
const countOf = (value: Value) => known.value.find((one) => one.value === value)?.count ?? 0;
const rest = computed(() =>
  known.value
    .filter(({ value }) => !listed.value.has(value))
    .map(({ value, count }) => ({ value, title: `${textOf(value)} · ${counted(count)}` })),
);

function put(classes: ByValues['classes']): void {
  emit('change', { ...props.classing, classes });
}
function add(value: Value | null): void {
  const { classes } = props.classing;
  if (value === null) return;
  // A mark that no other has.
  const used = new Set(classes.map(({ mark }) => JSON.stringify(mark)));
  const free = Array.from({ length: MOST_CLASSES }, (_, i) => markOf(i)).find((mark) => !used.has(JSON.stringify(mark)))!;
  put([...classes, { value, mark: free }]);
}
function move(at: number, by: 1 | -1): void {
  const classes = [...props.classing.classes];
  const [one] = classes.splice(at, 1);
  classes.splice(at + by, 0, one);
  put(classes);
}
function remark(at: number, change: Partial<Marked>): void {
  put(props.classing.classes.map((one, i) => (i === at ? { ...one, mark: { ...one.mark, ...change } } : one)));
}
const PARTS = [
  { part: 'colour', title: 'Colour' },
  { part: 'shape', title: 'Shape' },
] as const;
const shownMark = ({ colour, shape }: Marked) => ({
  colour: colourOf(colour, theme.current.value.dark),
  shape: PALETTE[shape].shape,
  hatch: null,
});
</script>

<template>
  <div>
    <ol class="classes" data-test="value-classes">
      <li v-for="({ value, mark }, i) in classing.classes" :key="String(value)">
        <v-menu :close-on-content-click="false">
          <template #activator="{ props: menu }">
            <button v-bind="menu" class="plain" type="button" :aria-label="`Colour and shape of ${textOf(value)}`">
              <MarkPicture :mark="shownMark(mark)" :size="18" />
            </button>
          </template>
          <v-list density="compact" class="marks">
            <div v-for="{ part, title } in PARTS" :key="part" class="row" role="group" :aria-label="title">
              <button
                v-for="(entry, number) in PALETTE"
                :key="number"
                class="plain"
                type="button"
                :aria-label="part === 'colour' ? entry.name : entry.shape"
                :aria-pressed="mark[part] === number"
                @click="remark(i, { [part]: number })"
              >
                <MarkPicture :mark="shownMark({ ...mark, [part]: number })" :size="20" />
              </button>
            </div>
          </v-list>
        </v-menu>
        <span class="text">{{ textOf(value) }}</span>
        <span class="soft count">{{ counted(countOf(value)) }}</span>
        <button class="plain" type="button" :disabled="i === 0" :aria-label="`Move ${textOf(value)} up`" @click="move(i, -1)">
          <v-icon :icon="mdiChevronUp" size="16" />
        </button>
        <button
          class="plain"
          type="button"
          :disabled="i === classing.classes.length - 1"
          :aria-label="`Move ${textOf(value)} down`"
          @click="move(i, 1)"
        >
          <v-icon :icon="mdiChevronDown" size="16" />
        </button>
        <button
          class="plain"
          type="button"
          :aria-label="`Put ${textOf(value)} to the rest`"
          @click="put(classing.classes.filter((_, other) => other !== i))"
        >
          <v-icon :icon="mdiClose" size="15" />
        </button>
      </li>
    </ol>
    <v-autocomplete
      v-if="rest.length > 0 && classing.classes.length < MOST_CLASSES"
      :model-value="null"
      :items="rest"
      :label="`Add one of ${counted(rest.length)} more`"
      data-test="add-class"
      @update:model-value="add"
    />
  </div>
</template>

<style scoped>
.classes {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
}
li {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 27px;
}
.text {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.count {
  font-variant-numeric: tabular-nums;
}
li button {
  line-height: 0;
}
li button:disabled {
  opacity: 0.3;
}
.marks .row {
  display: flex;
  gap: 6px;
  padding: 4px 12px;
}
.marks [aria-pressed='true'] {
  outline: 2px solid var(--ink);
  border-radius: 6px;
}
</style>
