<script setup lang="ts">
import { MONTH_NAMES, PART_RANGE, WEEKDAY_NAMES, type Form } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed, ref } from 'vue';

type CalendarForm = Extract<Form, { kind: 'calendar' }>;
const props = defineProps<{ form: CalendarForm; column: ColumnInfo }>();
const emit = defineEmits<{ change: [form: Form] }>();

/** Every value that the part can have; of years those from the first to the last of the column. */
const values = computed(() => {
  const { part } = props.form;
  const yearOf = (time: ColumnInfo['min']) => Number(String(time).slice(0, 4));
  const [low, high] = part === 'year' ? [yearOf(props.column.min), yearOf(props.column.max)] : PART_RANGE[part];
  const own = high >= low ? Array.from({ length: high - low + 1 }, (_, i) => low + i) : [];
  return [...new Set([...own, ...props.form.values])].sort((a, b) => a - b);
});
/** Whether the last value was taken away: the condition stays as it is until another is chosen. */
const cleared = ref(false);
const chosen = computed(() => new Set(cleared.value ? [] : props.form.values));

function title(value: number): string {
  if (props.form.part === 'month') return MONTH_NAMES[value - 1] ?? String(value);
  if (props.form.part === 'weekday') return WEEKDAY_NAMES[value - 1] ?? String(value);
  return String(value);
}
function short(value: number): string {
  return props.form.part === 'month' || props.form.part === 'weekday' ? title(value).slice(0, 3) : String(value);
}

function toggle(value: number): void {
  const next = chosen.value.has(value) ? [...chosen.value].filter((one) => one !== value) : [...chosen.value, value];
  cleared.value = next.length === 0;
  if (next.length > 0) emit('change', { ...props.form, values: next.sort((a, b) => a - b) });
}
</script>

<template>
  <div class="parts" :class="form.part" role="group" :aria-label="`Values of the ${form.part}`" data-test="parts">
    <button
      v-for="value in values"
      :key="value"
      type="button"
      :aria-pressed="chosen.has(value)"
      :aria-label="title(value)"
      :class="{ on: chosen.has(value) }"
      @click="toggle(value)"
    >
      {{ short(value) }}
    </button>
  </div>
  <p v-if="cleared" class="soft none" role="status">Choose at least one; until then the condition stays as it was.</p>
</template>

<style scoped>
.none {
  margin: 4px 0 0;
  font-size: 12.5px;
}
.parts {
  display: grid;
  grid-template-columns: repeat(6, 1fr);
  gap: 4px;
  max-height: 190px;
  overflow-y: auto;
  padding: 2px;
}
.weekday {
  grid-template-columns: repeat(7, 1fr);
}
.quarter {
  grid-template-columns: repeat(4, 1fr);
}
.hour {
  grid-template-columns: repeat(8, 1fr);
}
button {
  padding: 4px 0;
  border: 1px solid var(--line);
  border-radius: 7px;
  background: none;
  color: var(--ink);
  font: inherit;
  font-size: 13px;
  cursor: pointer;
}
button.on {
  border-color: var(--spruce-2);
  background: var(--tint);
  font-weight: 650;
}
</style>
