<script setup lang="ts">
import { spreadValueInWords, type SpreadBy, type Value } from '@clean-sieve/core';
import type { SourceInfo, ZonedRequest } from '@clean-sieve/server/api';
import { computed, ref, watch } from 'vue';
import { useLook } from '../sources/use_look.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';
import type { SpreadChoice } from './figure_rows.ts';
import { useZoned } from './use_zoned.ts';

/** Whether each figure is made once, or once for every value of a column, year or month: for which, and for all others together. */
const props = defineProps<{ zones: SourceInfo; features: SourceInfo; of: ZonedRequest['features'] }>();
const chosen = defineModel<SpreadChoice | null>({ required: true });
/** While the values are not known yet nothing can be made. */
const isOpen = defineModel<boolean>('open', { required: true });
const workspace = useWorkspace();
const { lookAtSpread } = useZoned();

/** Ticked to begin with: more are seldom wanted as columns. */
const FIRST = 12;
const by = ref<string | null>(null);
const choices = computed(() =>
  props.features.columns
    .filter(({ hidden }) => !hidden)
    .flatMap((column) => {
      const title = labelOf(column);
      const choice = (spread: SpreadBy, words: string) => ({ value: `${spread} ${column.name}`, title: words });
      if (column.type === 'date' || column.type === 'datetime')
        return [
          choice('year', `year of ${title}`),
          choice('month', `month of ${title}`),
          choice('monthOfYear', `month of any year of ${title}`),
        ];
      return [choice('value', `value of ${title}`)];
    }),
);
const spread = computed(() => {
  if (by.value === null) return null;
  const at = by.value.indexOf(' ');
  return { by: by.value.slice(0, at) as SpreadBy, column: by.value.slice(at + 1) };
});
const ticked = ref<Value[]>([]);
const others = ref(true);
const {
  answer: look,
  looking,
  trouble,
} = useLook(
  () => spread.value,
  (wanted, signal) => lookAtSpread(props.zones.id, { features: props.of, ...wanted }, signal),
  { rests: false },
);
watch(look, (found) => {
  if (!found) return;
  const least = found.values.map(({ rows }) => rows).sort((a, b) => b - a)[FIRST - 1] ?? 0;
  const most = found.values.filter(({ rows }) => rows >= least).slice(0, FIRST);
  ticked.value = most.map(({ value }) => value);
  others.value = left.value > 0;
});

const column = computed(() => props.features.columns.find(({ name }) => name === spread.value?.column) ?? null);
const wordsOf = (value: Value): string => {
  if (spread.value?.by !== 'value' || value === null || value === '' || !column.value)
    return spreadValueInWords(value, spread.value?.by ?? 'value');
  return workspace.meaningOf(column.value, value) ?? spreadValueInWords(value, 'value');
};
/** Features that have none of the values that are ticked. */
const left = computed(() => {
  const told = look.value;
  if (!told) return 0;
  return told.rows - told.values.reduce((sum, { value, rows }) => sum + (ticked.value.includes(value) ? rows : 0), 0);
});
watch(
  [look, ticked, others, spread],
  () => {
    const now = spread.value;
    const values = (look.value?.values ?? []).filter(({ value }) => ticked.value.includes(value));
    isOpen.value = now !== null && (look.value === null || (values.length === 0 && !others.value));
    chosen.value =
      now && look.value ? { ...now, values: values.map(({ value }) => ({ value, label: wordsOf(value) })), others: others.value } : null;
  },
  { deep: true },
);
function tickAll(on: boolean): void {
  ticked.value = on ? (look.value?.values ?? []).map(({ value }) => value) : [];
}
</script>

<template>
  <div class="spread">
    <v-autocomplete
      v-model="by"
      :items="choices"
      label="Each figure once, or once for every …"
      placeholder="once"
      clearable
      data-test="spread-by"
    />
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-else-if="looking" class="soft" role="status">Telling the values apart …</p>
    <template v-else-if="look">
      <p class="soft">
        <template v-if="look.values.length < look.distinct"
          >The {{ counted(look.values.length) }} most frequent of {{ counted(look.distinct) }} values.
        </template>
        <button class="plain link" type="button" @click="tickAll(true)">all of them</button>,
        <button class="plain link" type="button" @click="tickAll(false)">none</button>
      </p>
      <ul aria-label="Values" data-test="spread-values">
        <li v-for="{ value, rows } in look.values" :key="String(value)">
          <label
            ><input v-model="ticked" type="checkbox" :value="value" /> {{ wordsOf(value) }}
            <span class="soft">{{ counted(rows) }}</span></label
          >
        </li>
      </ul>
      <label
        ><input v-model="others" type="checkbox" data-test="spread-others" /> all others in one column, so that totals add up
        <span class="soft">{{ plural(left, 'feature') }} now</span></label
      >
    </template>
  </div>
</template>

<style scoped>
.spread {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
p {
  margin: 0;
}
ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(170px, 1fr));
  gap: 0 14px;
  max-height: 104px;
  margin: 0;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
.trouble {
  color: var(--copper-text);
}
</style>
