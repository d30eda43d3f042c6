<script setup lang="ts">
import type { Form } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { headingOf } from '../../words/cells.ts';
import { comparableWith } from '../tests_of_column.ts';

type VersusForm = Extract<Form, { kind: 'versus' }>;
const props = defineProps<{ form: VersusForm; column: ColumnInfo }>();
const emit = defineEmits<{ change: [form: Form] }>();
const workspace = useWorkspace();

const dated = computed(() => props.column.type === 'date' || props.column.type === 'datetime');
const comparisons = computed(() => [
  { value: '>', title: dated.value ? 'after' : 'above' },
  { value: '>=', title: dated.value ? 'not before' : 'not below' },
  { value: '<', title: dated.value ? 'before' : 'below' },
  { value: '<=', title: dated.value ? 'not after' : 'not above' },
  { value: '=', title: 'the same as' },
  { value: '<>', title: 'not the same as' },
]);
const others = computed(() =>
  comparableWith(props.column, workspace.activeSource!.columns).map((one) => ({ value: one.name, title: headingOf(one) })),
);
function setNumber(which: 'times' | 'plus', text: string): void {
  const value = Number(text);
  if (text.trim() !== '' && Number.isFinite(value)) emit('change', { ...props.form, [which]: value });
}
</script>

<template>
  <div class="versus" data-test="versus-editor">
    <v-select
      :model-value="form.op"
      :items="comparisons"
      aria-label="How the two compare"
      data-test="versus-op"
      @update:model-value="(op: VersusForm['op']) => emit('change', { ...form, op })"
    />
    <v-autocomplete
      :model-value="form.other"
      :items="others"
      aria-label="The other column"
      data-test="versus-other"
      auto-select-first
      @update:model-value="(other: string | null) => other !== null && emit('change', { ...form, other })"
    />
    <div v-if="column.type === 'number'" class="numbers">
      <span aria-hidden="true">×</span>
      <v-text-field
        :model-value="form.times"
        type="number"
        aria-label="The other column times"
        data-test="times"
        @update:model-value="(text: string) => setNumber('times', text)"
      />
      <span aria-hidden="true">+</span>
      <v-text-field
        :model-value="form.plus"
        type="number"
        aria-label="plus"
        data-test="plus"
        @update:model-value="(text: string) => setNumber('plus', text)"
      />
    </div>
    <p class="soft">Where one of the two is blank there is nothing to compare.</p>
  </div>
</template>

<style scoped>
.versus {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.numbers {
  display: flex;
  align-items: center;
  gap: 8px;
}
p {
  margin: 0;
  font-size: 12.5px;
}
</style>
