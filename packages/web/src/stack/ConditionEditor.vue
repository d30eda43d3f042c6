<script setup lang="ts">
import { exprOfForm, type Form, type MatchColumn, numberOf } from '@clean-sieve/core';
import { computed } from 'vue';
import SampleNote from '../sources/SampleNote.vue';
import { isSample } from '../sources/state.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';
import BoundCurve from './BoundCurve.vue';
import { EDITORS } from './editors/editors.ts';
import { formFor, testKeyOf, testsOf } from './tests_of_column.ts';
import { useTreeEditing } from './tree_editing.ts';

const props = defineProps<{ id: string; form: Form; shows: readonly MatchColumn[] }>();
const emit = defineEmits<{ close: [] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const editing = useTreeEditing();

const column = computed(() => {
  const name = 'column' in props.form ? props.form.column : null;
  return workspace.activeSource?.columns.find((candidate) => candidate.name === name) ?? null;
});
const unknown = computed(() => numberOf(sifting.active?.head.rows.find((row) => row.id === props.id)?.unknown ?? 0) ?? 0);
const showsBlanks = computed(() => column.value !== null && props.form.kind !== 'blank' && (props.form.blanks || column.value.nulls > 0));

/** The editor that takes the condition, with what it is given. */
const editor = computed(() => {
  const { id, form, shows } = props;
  const edited = { id, form, shows, column: column.value, setShows: (shown: MatchColumn[]) => editing.setShows(id, shown) };
  for (const { component, props: given } of EDITORS) {
    const taken = given(edited);
    if (taken) return { component, props: taken };
  }
  return null;
});

const dated = computed(() => ['day', 'days', 'recent', 'calendar'].includes(props.form.kind));

function setCould(on: boolean | null): void {
  const form = { ...props.form };
  if (on) form.could = true;
  else delete form.could;
  set(form);
}

function set(form: Form): void {
  editing.setExpr(props.id, exprOfForm(form));
}
</script>

<template>
  <div class="editor" data-test="editor" @keydown.esc.stop="emit('close')">
    <v-select
      v-if="column"
      :model-value="testKeyOf(form)"
      :items="testsOf(column, workspace.activeSource!.columns)"
      item-value="key"
      :aria-label="`How ${column.name} is tested`"
      data-test="test"
      @update:model-value="(key: string) => set(formFor(key, column!, form, workspace.activeSource!.columns))"
    />
    <component :is="editor.component" v-if="editor" v-bind="editor.props" @change="set" />
    <v-checkbox
      v-if="dated && (form.could || unknown > column!.nulls)"
      :model-value="form.could === true"
      label="Count dates known only to the month or year when they could fit"
      data-test="could"
      @update:model-value="setCould"
    />
    <p v-if="column?.type === 'datetime' && dated" class="soft zone">Days are taken in UTC.</p>
    <div><SampleNote /></div>
    <BoundCurve v-if="!isSample(workspace.activeSource!)" :id="id" :form="form" @change="set" />
    <div class="foot">
      <v-checkbox
        v-if="showsBlanks"
        :model-value="form.blanks"
        :label="`Keep blanks${unknown > 0 ? ` (${counted(unknown)} reach this condition)` : ''}`"
        @update:model-value="(on) => set({ ...form, blanks: on === true } as Form)"
      />
      <v-btn size="small" variant="tonal" class="done" @click="emit('close')">Done</v-btn>
    </div>
  </div>
</template>

<style scoped>
.editor {
  color: var(--ink);
  display: flex;
  flex-direction: column;
  gap: 8px;
  margin-top: 9px;
  padding: 10px;
  border: 1px solid var(--line);
  border-radius: 10px;
  background: var(--surface);
  cursor: default;
}
.zone {
  margin: 0;
  font-size: 12.5px;
}
.foot {
  display: flex;
  align-items: center;
  justify-content: space-between;
  min-height: 28px;
}
.done {
  margin-left: auto;
}
</style>
