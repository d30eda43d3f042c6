<script setup lang="ts">
import { SPAN_RELATIONS, SPAN_WORDS, type Form, type SpanRelation } from '@clean-sieve/core';
import { computed } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { labelOf } from '../../words/cells.ts';

type SpanForm = Extract<Form, { kind: 'span' }>;
const props = defineProps<{ form: SpanForm }>();
const emit = defineEmits<{ change: [form: Form] }>();
const workspace = useWorkspace();

const columns = computed(() =>
  workspace
    .activeSource!.columns.filter(({ type }) => type === 'date' || type === 'datetime')
    .map((column) => ({ value: column.name, title: labelOf(column) })),
);
const relations = SPAN_RELATIONS.map((value) => ({ value, title: SPAN_WORDS[value] }));

function set(change: Partial<SpanForm>): void {
  emit('change', { ...props.form, ...change });
}
/** A date field is empty or half-typed for a while; only whole dates count. */
function setEnd(end: 'from' | 'to', text: string): void {
  if (text === '' || /^\d{4}-\d\d-\d\d$/.test(text)) set({ [end]: text === '' ? null : text });
}
</script>

<template>
  <div class="span" data-test="span">
    <div class="fields">
      <v-select :model-value="form.start" :items="columns" label="From" @update:model-value="(start: string) => set({ start })" />
      <v-select
        :model-value="form.end"
        :items="columns"
        label="To"
        data-test="span-end"
        @update:model-value="(end: string) => set({ end })"
      />
    </div>
    <v-select
      :model-value="form.relation"
      :items="relations"
      label="That time"
      data-test="span-relation"
      @update:model-value="(relation: SpanRelation) => set({ relation })"
    />
    <div class="fields">
      <v-text-field
        :model-value="form.from ?? ''"
        type="date"
        label="First day"
        data-test="span-from"
        @update:model-value="(text: string) => setEnd('from', text)"
      />
      <v-text-field
        :model-value="form.to ?? ''"
        type="date"
        label="Last day"
        data-test="span-to"
        @update:model-value="(text: string) => setEnd('to', text)"
      />
    </div>
    <v-checkbox
      :model-value="form.open"
      label="A blank end is still open"
      data-test="span-open"
      @update:model-value="(on) => set({ open: on === true })"
    />
  </div>
</template>

<style scoped>
.span {
  display: flex;
  flex-direction: column;
  gap: 9px;
}
.fields {
  display: flex;
  gap: 8px;
}
.fields > * {
  flex: 1;
  min-width: 0;
}
</style>
