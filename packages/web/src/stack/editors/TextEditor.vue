<script setup lang="ts">
import type { Form } from '@clean-sieve/core';

type TextForm = Extract<Form, { kind: 'text' | 'compare' }>;
const props = defineProps<{ form: TextForm }>();
const emit = defineEmits<{ change: [form: Form] }>();

function setText(text: string): void {
  emit('change', props.form.kind === 'text' ? { ...props.form, text } : { ...props.form, value: text });
}
function setAccents(form: Extract<Form, { kind: 'text' }>, matter: boolean): void {
  const changed = { ...form };
  if (matter) delete changed.anyAccents;
  else changed.anyAccents = true;
  emit('change', changed);
}
</script>

<template>
  <div>
    <!-- A pattern is taken when it is whole: on the way there it can read as a simpler test. -->
    <v-text-field
      v-if="form.kind === 'text' && form.test === 'pattern'"
      :model-value="form.text"
      aria-label="Pattern"
      placeholder="%oak%old_"
      hint="% any text, _ one character, \ before a sign that stands for itself"
      persistent-hint
      hide-details="auto"
      data-test="pattern"
      @change="(event: Event) => setText((event.target as HTMLInputElement).value)"
    />
    <v-text-field
      v-else
      :model-value="form.kind === 'text' ? form.text : form.value"
      aria-label="Text"
      placeholder="Text"
      data-test="text"
      @update:model-value="setText"
    />
    <template v-if="form.kind === 'text'">
      <v-checkbox
        :model-value="!form.anyCase"
        label="Capitals matter"
        @update:model-value="(on) => emit('change', { ...form, anyCase: on !== true } as Form)"
      />
      <v-checkbox
        :model-value="!form.anyAccents"
        label="Accents matter"
        @update:model-value="(on) => form.kind === 'text' && setAccents(form, on === true)"
      />
    </template>
  </div>
</template>
