<script setup lang="ts">
import { exprOfForm, type Form } from '@clean-sieve/core';
import { computed } from 'vue';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';
import BoundCurve from './BoundCurve.vue';
import AreaEditor from './editors/AreaEditor.vue';
import CalendarEditor from './editors/CalendarEditor.vue';
import DayEditor from './editors/DayEditor.vue';
import ExprEditor from './editors/ExprEditor.vue';
import NumberEditor from './editors/NumberEditor.vue';
import TextEditor from './editors/TextEditor.vue';
import ValuesEditor from './editors/ValuesEditor.vue';
import { formFor, testKeyOf, testsOf } from './tests_of_column.ts';
import { useTreeEditing } from './tree_editing.ts';

const props = defineProps<{ id: string; form: Form }>();
const emit = defineEmits<{ close: [] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const editing = useTreeEditing();

const column = computed(() => {
  const name = 'column' in props.form ? props.form.column : null;
  return workspace.activeSource?.columns.find((candidate) => candidate.name === name) ?? null;
});
const unknown = computed(() => sifting.active?.head.rows.find((row) => row.id === props.id)?.unknown ?? 0);
const showsBlanks = computed(
  () => column.value !== null && props.form.kind !== 'blank' && (props.form.blanks || column.value.nulls > 0),
);

function set(form: Form): void {
  editing.setExpr(props.id, exprOfForm(form));
}
</script>

<template>
  <div class="editor" data-test="editor" @keydown.esc.stop="emit('close')">
    <v-select
      v-if="column"
      :model-value="testKeyOf(form)"
      :items="testsOf(column)"
      item-value="key"
      :aria-label="`How ${column.name} is tested`"
      data-test="test"
      @update:model-value="(key: string) => set(formFor(key, column!, form))"
    />
    <NumberEditor
      v-if="column?.type === 'number' && (form.kind === 'compare' || form.kind === 'between')"
      :form="form"
      :column="column"
      @change="set"
    />
    <ValuesEditor v-else-if="column && form.kind === 'values'" :form="form" :column="column" @change="set" />
    <TextEditor v-else-if="form.kind === 'text' || form.kind === 'compare'" :form="form" @change="set" />
    <DayEditor
      v-else-if="form.kind === 'day' || form.kind === 'days' || form.kind === 'recent'"
      :form="form"
      @change="set"
    />
    <CalendarEditor v-else-if="column && form.kind === 'calendar'" :form="form" :column="column" @change="set" />
    <AreaEditor
      v-else-if="form.kind === 'area' || form.kind === 'radius' || form.kind === 'near'"
      :id="id"
      :form="form"
      @change="set"
    />
    <ExprEditor v-else-if="form.kind === 'other'" :expr="form.expr" @change="(expr) => editing.setExpr(id, expr)" />
    <BoundCurve :id="id" :form="form" @change="set" />
    <div class="foot">
      <v-checkbox
        v-if="showsBlanks"
        :model-value="form.blanks"
        :label="`Keep blanks${unknown > 0 ? ` (${counted(unknown)})` : ''}`"
        @update:model-value="(on) => set({ ...form, blanks: on === true } as Form)"
      />
      <v-btn size="small" variant="tonal" class="done" @click="emit('close')">Done</v-btn>
    </div>
  </div>
</template>

<style scoped>
.editor {
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
