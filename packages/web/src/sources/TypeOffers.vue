<script setup lang="ts">
import { freeName, type TypeOffer } from '@clean-sieve/core';
import type { ColumnInfo, SourceInfo } from '@clean-sieve/server/api';
import { computed, ref } from 'vue';
import { useOwnColumns } from '../computing/use_own_columns.ts';
import { useNotices } from '../stores/notices.ts';
import { counted } from '../words/numbers.ts';

/** A type that a text column could have; taking it adds a typed column beside the text. */
const props = defineProps<{ offer: TypeOffer; source: SourceInfo; column: ColumnInfo }>();
const { keepTyped } = useOwnColumns();
const notices = useNotices();
const open = ref(false);

const NAMES = { number: 'numbers', boolean: 'yes and no', date: 'dates', datetime: 'dates with a time' };
const ENDINGS = { number: 'number', boolean: 'yes_no', date: 'date', datetime: 'time' };
const spelled = computed(() => {
  const { as, decimal, order, unit } = props.offer.derivation;
  if (as === 'number') return `${unit ? ` in ${unit}` : ''}${decimal === 'comma' ? ', written with a decimal comma' : ''}`;
  return as === 'boolean' ? '' : order === 'dmy' ? ', the day first where it is not said' : ', the month first where it is not said';
});
const missed = computed(() => props.offer.present - props.offer.fitting);
const share = computed(() => Math.floor((1000 * props.offer.fitting) / props.offer.present) / 10);
const taken = computed(() =>
  props.source.columns.some(
    ({ derivation: made }) => made?.kind === 'typed' && made.from === props.column.name && made.as === props.offer.derivation.as,
  ),
);

async function take(): Promise<void> {
  const name = freeName(`${props.column.name}_${ENDINGS[props.offer.derivation.as]}`, new Set(props.source.columns.map((c) => c.name)));
  try {
    await keepTyped(props.source, name, props.offer.derivation, null);
    notices.say(`${name} stands beside ${props.column.name}, which stays as it is.`);
  } catch (error) {
    notices.complain(error);
  }
}
</script>

<template>
  <div class="offer" data-test="offer">
    <div>
      <b>{{ share }} %</b> of the texts can be read as {{ NAMES[offer.derivation.as] }}{{ spelled }}.
      <button v-if="missed > 0" class="plain link" type="button" @click="open = !open">{{ counted(missed) }} cannot</button>
      <span v-if="offer.losesZeros" class="warn">Leading zeros would be lost, which codes need.</span>
    </div>
    <v-btn v-if="!taken" size="small" variant="tonal" data-test="take-offer" @click="take">Add a typed column</v-btn>
    <span v-else class="soft">is there already</span>
    <ul v-if="open">
      <li v-for="misfit in offer.misfits" :key="misfit.value">
        <span class="mono">{{ misfit.value }}</span> <span class="soft">{{ counted(misfit.count) }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.offer {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px 12px;
  align-items: center;
  padding: 8px 12px;
  border-radius: 10px;
  background: var(--sunk);
}
ul {
  grid-column: 1 / -1;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  max-height: 90px;
  margin: 0;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
.warn {
  color: var(--copper-text);
  font-weight: 600;
}
</style>
