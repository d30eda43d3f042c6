<script setup lang="ts">
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed } from 'vue';
import { labelOf } from '../../words/cells.ts';

/** The column that a chart is about. */
const props = defineProps<{ column: string; columns: readonly ColumnInfo[]; label: string; none?: string }>();
defineEmits<{ change: [name: string] }>();
const items = computed(() => [
  ...(props.none === undefined ? [] : [{ value: '', title: props.none }]),
  ...props.columns.map((one) => ({ value: one.name, title: labelOf(one) })),
]);
</script>

<template>
  <v-select
    :model-value="column"
    :items="items"
    :aria-label="label"
    class="choice"
    @update:model-value="(name: string) => $emit('change', name)"
  />
</template>

<style scoped>
.choice {
  flex: 0 1 170px;
  min-width: 0;
  --v-input-control-height: 28px;
  --v-field-input-padding-top: 2px;
  --v-field-input-padding-bottom: 2px;
  font-size: 13px;
}
.choice :deep(.v-field) {
  --v-field-padding-start: 8px;
  --v-field-padding-end: 2px;
}
.choice :deep(.v-field__input) {
  min-height: 28px;
  font-size: 13px;
}
</style>
