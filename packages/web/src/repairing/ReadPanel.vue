<script setup lang="ts">
import { checkTyped, FilterError, freeName, type TypedDerivation } from '@clean-sieve/core';
import { mdiClose } from '@mdi/js';
import type { ColumnInfo, SourceInfo } from '@clean-sieve/server/api';
import { computed, ref, watch } from 'vue';
import { useOwnColumns } from '../computing/use_own_columns.ts';
import ColumnPanel from '../sources/ColumnPanel.vue';
import SpreadBars from '../sources/SpreadBars.vue';
import { useLook } from '../sources/use_look.ts';
import { useNotices } from '../stores/notices.ts';
import { cellText, labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';
import { sentence } from '../words/sentence.ts';
import MisfitList from './MisfitList.vue';
import { derivationOf, draftOf, hasShortYears } from './read_draft.ts';

/**
 * The texts of a column read as numbers, dates or yes and no, in a column beside it: what cannot be read is told and mended. `first` is
 * what most of them fit, to begin with.
 */
const props = defineProps<{ source: SourceInfo; column: ColumnInfo; first: TypedDerivation | null }>();
const emit = defineEmits<{ done: [name: string | null] }>();
const notices = useNotices();
const { lookAtTyped, keepTyped } = useOwnColumns();

const before = props.column.derivation?.kind === 'typed' ? props.column.derivation : null;
const from = before?.from ?? props.column.name;
const draft = ref(draftOf(before ?? props.first));
const name = ref(before ? props.column.name : '');
const named = ref(before !== null);

const AS = [
  { value: 'number', title: 'numbers' },
  { value: 'date', title: 'dates' },
  { value: 'datetime', title: 'dates with a time' },
  { value: 'boolean', title: 'yes and no' },
];
const ENDINGS = { number: 'number', boolean: 'yes_no', date: 'date', datetime: 'time' };
const DECIMALS = [
  { value: 'point', title: 'a point, as in 1,234.5' },
  { value: 'comma', title: 'a comma, as in 1.234,5' },
];
const WRITTEN = [
  { value: 'dmy', title: 'in a usual way, the day first' },
  { value: 'mdy', title: 'in a usual way, the month first' },
  { value: 'pattern', title: 'all by one pattern' },
];
const WORDS = [
  { value: false, title: 'yes, no, true, false, y, n, 1, 0 …' },
  { value: true, title: 'other words' },
];
watch(
  () => draft.value.as,
  (as) => {
    if (!named.value) name.value = freeName(`${from}_${ENDINGS[as]}`, new Set(props.source.columns.map((one) => one.name)));
  },
  { immediate: true },
);

const derivation = computed(() => derivationOf(draft.value, from));
const problem = computed(() => {
  try {
    checkTyped(derivation.value);
    return '';
  } catch (error) {
    if (error instanceof FilterError) return sentence(error.line);
    throw error;
  }
});

const { answer, looking, progress, trouble } = useLook(
  () => (problem.value === '' ? derivation.value : null),
  (wanted, signal, told) => lookAtTyped(props.source.id, wanted, signal, told),
  { keeps: true },
);

/** Units that stand in the column and are not said yet. */
const unitsFound = computed(() => (answer.value?.units ?? []).filter(({ text }) => !draft.value.units.some((one) => one.text === text)));
/** The first unit is the column's own; of another it has to be said how many of that it is. */
function addUnit(text: string): void {
  const isFirst = draft.value.units.length === 0;
  draft.value.units.push({ text, times: isFirst ? '1' : '' });
  if (isFirst && draft.value.unit === '') draft.value.unit = text;
}
function replace(pairs: [text: string, other: string | null][]): void {
  for (const [text, other] of pairs)
    if (other === null) draft.value.instead.delete(text);
    else if (text !== '') draft.value.instead.set(text, other);
}

const share = computed(() => {
  const { present, fitting } = answer.value ?? { present: 0, fitting: 0 };
  return present === 0 ? 0 : Math.floor((1000 * fitting) / present) / 10;
});
const range = computed(() => {
  const profile = answer.value?.profile;
  const values = profile ? [profile.min, profile.max] : [];
  const [low, high] = values.map((value) => (value === null ? null : cellText(value)));
  return low === null || high === null || low === undefined ? '' : `, from ${low} to ${high}`;
});

const nameProblem = computed(() => {
  const wanted = name.value.trim();
  if (before || wanted === '') return '';
  return wanted === 'geometry' || props.source.columns.some((one) => one.name === wanted) ? 'is there already' : '';
});
const isReady = computed(
  () =>
    !looking.value &&
    answer.value !== null &&
    answer.value.fitting > 0 &&
    problem.value === '' &&
    name.value.trim() !== '' &&
    nameProblem.value === '',
);
const keeping = ref(false);
async function put(): Promise<void> {
  if (!isReady.value) return;
  keeping.value = true;
  try {
    await keepTyped(props.source, name.value.trim(), derivation.value, before);
    notices.say(`${name.value.trim()} stands beside ${from}, which stays as it is.`);
    emit('done', name.value.trim());
  } catch (error) {
    notices.complain(error);
  }
  keeping.value = false;
}
</script>

<template>
  <ColumnPanel data-test="read-panel" @submit="put">
    <div class="line">
      <v-select v-model="draft.as" :items="AS" :label="`Read ${from} as`" :disabled="before !== null" data-test="read-as" />
      <v-select v-if="draft.as === 'number'" v-model="draft.decimal" :items="DECIMALS" label="Decimals after" data-test="read-decimal" />
      <template v-else-if="draft.as === 'boolean'">
        <v-select v-model="draft.ownWords" :items="WORDS" label="Written as" data-test="read-words" />
        <template v-if="draft.ownWords">
          <v-text-field v-model="draft.yes" label="Yes (several: commas between)" data-test="read-yes" />
          <v-text-field v-model="draft.no" label="No" data-test="read-no" />
        </template>
      </template>
      <template v-else>
        <v-select v-model="draft.written" :items="WRITTEN" label="Written" data-test="read-written" />
        <v-text-field v-if="draft.written === 'pattern'" v-model="draft.pattern" label="Pattern" maxlength="200" data-test="read-pattern" />
        <v-text-field
          v-if="hasShortYears(draft)"
          v-model.number="draft.firstYear"
          type="number"
          min="1"
          max="9900"
          :label="`Years lie in ${draft.firstYear} to ${draft.firstYear + 99}`"
          data-test="read-years"
        />
      </template>
    </div>
    <p v-if="draft.written === 'pattern' && (draft.as === 'date' || draft.as === 'datetime')" class="soft">
      d or dd for the day, M, MM, MMM or MMMM for the month or its English name, yy or yyyy for the year, HH:mm:ss for a time; other letters
      in single quotes.
    </p>
    <div v-if="draft.as === 'number'" class="units">
      <span v-for="(unit, i) in draft.units" :key="i" class="unit">
        <input v-model="unit.text" class="entry-field small" maxlength="40" :aria-label="`Unit ${i + 1}`" data-test="unit-text" />
        is
        <input
          v-model="unit.times"
          class="entry-field small"
          maxlength="20"
          :aria-label="`How many one ${unit.text} is`"
          data-test="unit-times"
        />
        {{ draft.unit || 'of the column’s own' }}
        <button class="plain" type="button" :aria-label="`Without ${unit.text}`" @click="draft.units.splice(i, 1)">
          <v-icon :icon="mdiClose" size="16" />
        </button>
      </span>
      <span v-if="unitsFound.length > 0" class="soft">Beside numbers there stand</span>
      <button
        v-for="{ text, rows } in unitsFound"
        :key="text"
        class="plain link"
        type="button"
        data-test="unit-found"
        @click="addUnit(text)"
      >
        {{ text }} ({{ counted(rows) }})
      </button>
      <button class="plain link" type="button" @click="addUnit('')">
        {{ draft.units.length === 0 ? 'Numbers have a unit behind them or in front' : 'and a unit' }}
      </button>
    </div>
    <p v-if="problem || trouble" class="trouble" role="alert" data-test="read-problem">{{ problem || trouble }}</p>
    <p v-else-if="looking && !answer" class="soft" role="status">{{ progress || 'Reading the texts' }} …</p>
    <template v-if="answer">
      <p :class="{ soft: looking }" data-test="read-summary">
        <b>{{ share }} %</b> of the texts can be read: {{ counted(answer.fitting) }} of {{ counted(answer.present) }}{{ range
        }}<template v-if="answer.misfitRows > 0"
          >; {{ plural(answer.misfitRows, 'row') }} with {{ plural(answer.misfitTexts, 'text') }} cannot</template
        ><template v-if="answer.instead > 0">; {{ plural(answer.instead, 'row') }} read as another text</template>.
        <span v-if="answer.losesZeros" class="trouble">Leading zeros would be lost, which codes need.</span>
      </p>
      <MisfitList :look="answer" :instead="draft.instead" @replace="replace" />
      <SpreadBars v-if="answer.profile?.histogram" :histogram="answer.profile.histogram" label="How the values spread" />
      <table v-if="answer.samples.length > 0" data-test="read-samples">
        <thead>
          <tr>
            <th>{{ from }}</th>
            <th>{{ name.trim() || 'read' }}{{ draft.as === 'number' && draft.unit.trim() ? `, ${draft.unit.trim()}` : '' }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="sample in answer.samples" :key="sample.key">
            <td class="mono">{{ sample.text }}</td>
            <td :class="sample.value === null ? 'blank' : 'made'">{{ sample.value === null ? 'blank' : cellText(sample.value) }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template #foot>
      <v-text-field
        v-model="name"
        label="Name of the column"
        maxlength="200"
        :disabled="before !== null"
        :error-messages="nameProblem"
        data-test="read-name"
        @update:model-value="named = true"
      />
      <v-text-field v-if="draft.as === 'number'" v-model="draft.unit" label="Unit" maxlength="40" class="of-column" data-test="read-unit" />
      <v-btn variant="text" @click="emit('done', null)">Cancel</v-btn>
      <v-btn color="primary" type="submit" :loading="keeping" :disabled="!isReady" data-test="read-keep">{{
        before ? `Change ${labelOf(column)}` : 'Keep the column'
      }}</v-btn>
    </template>
  </ColumnPanel>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
}
.line > * {
  flex: 1 1 150px;
}
.units {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
}
.unit {
  display: flex;
  align-items: center;
  gap: 6px;
}
.unit input {
  width: 64px;
}
.of-column {
  flex: 0 1 110px;
}
td {
  width: 50%;
}
</style>
