<script setup lang="ts">
import type { Form } from '@clean-sieve/core';

type TextForm = Extract<Form, { kind: 'text' | 'compare' }>;
const props = defineProps<{ form: TextForm }>();
const emit = defineEmits<{ change: [form: Form] }>();

function setText(text: string): void {
  emit('change', props.form.kind === 'text' ? { ...props.form, text } : { ...props.form, value: text });
}
</script>

<template>
  <div>
    <v-text-field
      :model-value="form.kind === 'text' ? form.text : form.value"
      aria-label="Text"
      placeholder="Text"
      data-test="text"
      @update:model-value="setText"
    />
    <v-checkbox
      v-if="form.kind === 'text'"
      :model-value="!form.anyCase"
      label="Capitals matter"
      @update:model-value="(on) => emit('change', { ...form, anyCase: on !== true } as Form)"
    />
  </div>
</template>
