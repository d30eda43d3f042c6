<script setup lang="ts">
import { checkFilter, FilterError, parseFilter, printFilter, type Form } from '@clean-sieve/core';
import { ref, watch } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';

const props = defineProps<{ form: Extract<Form, { kind: 'other' }> }>();
const emit = defineEmits<{ change: [form: Form] }>();
const workspace = useWorkspace();
const text = ref('');
const problem = ref('');

watch(
  () => props.form.expr,
  (expr) => (text.value = printFilter(expr)),
  { immediate: true },
);

function apply(): void {
  try {
    const parsed = parseFilter(text.value);
    checkFilter(parsed, workspace.activeSource!.columns, workspace.checkOptions);
    problem.value = '';
    emit('change', { kind: 'other', expr: parsed.expr, blanks: false });
  } catch (error) {
    problem.value = error instanceof FilterError ? error.line : String(error);
  }
}
</script>

<template>
  <div>
    <textarea v-model="text" class="entry-field mono" rows="3" aria-label="The condition as text" spellcheck="false" @change="apply" />
    <p v-if="problem" role="alert">{{ problem }}</p>
  </div>
</template>

<style scoped>
textarea {
  width: 100%;
  resize: vertical;
}
p {
  margin: 4px 0 0;
  font-size: 13px;
  color: var(--copper-text);
}
</style>
