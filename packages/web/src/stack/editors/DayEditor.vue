<script setup lang="ts">
import { dayInWords, dayOf, SHIFT_UNITS, type Form, type ShiftUnit } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';
import DateBars from './DateBars.vue';

type DateForm = Extract<Form, { kind: 'day' | 'days' | 'recent' }>;
const props = defineProps<{ form: DateForm; column: ColumnInfo }>();
const emit = defineEmits<{ change: [form: Form] }>();
const workspace = useWorkspace();

const units = SHIFT_UNITS.map((unit) => ({ value: unit, title: unit }));
const SIDES = [
  { value: true, title: 'before' },
  { value: false, title: 'after' },
];
const dayForm = computed(() => (props.form.kind === 'day' ? props.form : null));
const daysForm = computed(() => (props.form.kind === 'days' ? props.form : null));
const recentForm = computed(() => (props.form.kind === 'recent' ? props.form : null));
/** The day as counted from the as-of date; null for a fixed one. */
const shift = computed(() => (dayForm.value && 'shift' in dayForm.value.day ? dayForm.value.day : null));

/** A date field is empty or half-typed for a while; only whole dates count. */
const whole = (text: string) => /^\d{4}-\d\d-\d\d$/.test(text);

function setDay(text: string): void {
  if (props.form.kind === 'day' && whole(text)) emit('change', { ...props.form, day: { date: text } });
}
function setEnd(end: 'from' | 'to', text: string): void {
  if (props.form.kind === 'days' && (text === '' || whole(text))) emit('change', { ...props.form, [end]: text === '' ? null : text });
}
function setRelative(on: boolean): void {
  if (props.form.kind !== 'day') return;
  emit('change', {
    ...props.form,
    day: on ? { shift: -5, unit: 'years' } : { date: dayOf(props.form.day, workspace.asOfDay) },
  });
}
function setShift(amount: number, unit: ShiftUnit, back: boolean): void {
  if (props.form.kind === 'day' && Number.isInteger(amount) && amount >= 0)
    emit('change', { ...props.form, day: { shift: back ? -amount : amount, unit } });
}
function setAmount(amount: number): void {
  if (props.form.kind === 'recent' && Number.isInteger(amount) && amount > 0) emit('change', { ...props.form, amount });
}
</script>

<template>
  <div class="day">
    <template v-if="dayForm">
      <div class="choice" role="radiogroup" aria-label="Which day">
        <label><input type="radio" :checked="shift === null" @change="setRelative(false)" /> a fixed day</label>
        <label><input type="radio" :checked="shift !== null" @change="setRelative(true)" /> counted from the as-of date</label>
      </div>
      <div v-if="shift" class="fields">
        <v-text-field
          :model-value="Math.abs(shift.shift)"
          type="number"
          min="0"
          aria-label="How many"
          data-test="shift"
          @update:model-value="(v) => setShift(Number(v), shift!.unit, shift!.shift <= 0)"
        />
        <v-select
          :model-value="shift.unit"
          :items="units"
          aria-label="Unit"
          @update:model-value="(unit: ShiftUnit) => setShift(Math.abs(shift!.shift), unit, shift!.shift <= 0)"
        />
        <v-select
          :model-value="shift.shift <= 0"
          :items="SIDES"
          aria-label="Before or after"
          @update:model-value="(back: boolean) => setShift(Math.abs(shift!.shift), shift!.unit, back)"
        />
      </div>
      <v-text-field
        v-else
        :model-value="dayOf(dayForm.day, workspace.asOfDay)"
        type="date"
        aria-label="Day"
        data-test="day"
        @update:model-value="setDay"
      />
      <p v-if="shift" class="soft">That is {{ dayInWords(dayOf(shift, workspace.asOfDay)) }}.</p>
    </template>
    <template v-else-if="daysForm">
      <DateBars
        :column="column"
        :from="daysForm.from"
        :to="daysForm.to"
        @period="(from, to) => emit('change', { ...daysForm!, from, to })"
      />
      <div class="fields">
        <v-text-field
          :model-value="daysForm.from ?? ''"
          type="date"
          aria-label="From"
          data-test="from"
          @update:model-value="(v) => setEnd('from', v)"
        />
        <span class="soft">to</span>
        <v-text-field
          :model-value="daysForm.to ?? ''"
          type="date"
          aria-label="To"
          data-test="to"
          @update:model-value="(v) => setEnd('to', v)"
        />
      </div>
      <p class="soft">Both days count. Leave one empty for an open end.</p>
    </template>
    <div v-else-if="recentForm" class="fields">
      <v-text-field
        :model-value="recentForm.amount"
        type="number"
        min="1"
        aria-label="How many"
        data-test="amount"
        @update:model-value="(v) => setAmount(Number(v))"
      />
      <v-select
        :model-value="recentForm.unit"
        :items="units"
        aria-label="Unit"
        @update:model-value="(unit: ShiftUnit) => emit('change', { ...recentForm!, unit })"
      />
    </div>
  </div>
</template>

<style scoped>
.fields {
  display: flex;
  align-items: center;
  gap: 8px;
}
.fields > :deep(.v-input) {
  flex: 1 1 0;
  min-width: 0;
}
.choice {
  display: flex;
  flex-direction: column;
  gap: 2px;
  margin-bottom: 7px;
}
.choice input {
  accent-color: var(--spruce);
}
p {
  margin: 5px 0 0;
  font-size: 12.5px;
}
</style>
