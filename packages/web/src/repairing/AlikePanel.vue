<script setup lang="ts">
import { ALIKE_TELLS, EXACTLY, freeName, LIKENESS_IN_WORDS, LIKENESSES, type Alike, type AlikeTells } from '@clean-sieve/core';
import type { SourceInfo } from '@clean-sieve/server/api';
import { computed, ref } from 'vue';
import { useOwnColumns } from '../computing/use_own_columns.ts';
import ColumnPanel from '../sources/ColumnPanel.vue';
import { useLook } from '../sources/use_look.ts';
import { useNotices } from '../stores/notices.ts';
import { cellText, labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';

/** Features that are duplicates of one another, by columns, by place or by both, told in columns. */
const props = defineProps<{ source: SourceInfo }>();
const emit = defineEmits<{ done: [name: string | null] }>();
const notices = useNotices();
const { lookAtAlike, keepAlike } = useOwnColumns();

const columns = ref<string[]>([]);
const like = ref({ ...EXACTLY });
const blanks = ref(false);
const byPlace = ref(false);
/** Metres; a text where no number is typed. */
const within = ref<number | string>(0);
const isPlaced = computed(() => Object.keys(props.source.geometryTypes).some((type) => type !== 'None'));
const isDistance = computed(() => typeof within.value === 'number' && within.value >= 0 && within.value <= 1_000_000);
const alike = computed<Alike | null>(() => {
  if ((columns.value.length === 0 && !byPlace.value) || (byPlace.value && !isDistance.value)) return null;
  return {
    ...{ columns: [...columns.value], like: { ...like.value }, blanks: blanks.value },
    within: byPlace.value ? Number(within.value) : null,
  };
});
const choices = computed(() => props.source.columns.map((one) => ({ value: one.name, title: labelOf(one) })));

const { answer, looking, progress, trouble } = useLook(
  () => alike.value,
  (wanted, signal, told) => lookAtAlike(props.source.id, wanted, signal, told),
);

const TITLES: Record<AlikeTells, string> = {
  group: 'the number of the group; blank where there is no duplicate',
  size: 'how many there are; 1 where there is no duplicate',
  place: 'which of them it is; 1 keeps one of each',
};
const NAMES: Record<AlikeTells, string> = { group: 'duplicate_group', size: 'duplicate_count', place: 'duplicate_number' };
const taken = new Set(props.source.columns.map(({ name }) => name));
const told = ref(ALIKE_TELLS.map((tells) => ({ tells, on: tells !== 'size', name: freeName(NAMES[tells], taken) })));
const wanted = computed(() => told.value.filter(({ on }) => on));
const problemOf = ({ name, on }: { name: string; on: boolean }): string => {
  const own = name.trim();
  if (!on) return '';
  if (own === '') return 'needs a name';
  return own === 'geometry' || taken.has(own) || wanted.value.filter((one) => one.name.trim() === own).length > 1 ? 'is there already' : '';
};
const isReady = computed(() => answer.value !== null && wanted.value.length > 0 && told.value.every((one) => problemOf(one) === ''));
const keeping = ref(false);
async function put(): Promise<void> {
  if (!isReady.value || !alike.value) return;
  keeping.value = true;
  try {
    const request = { alike: alike.value, columns: wanted.value.map(({ tells, name }) => ({ tells, name: name.trim() })) };
    await keepAlike(props.source, request);
    notices.say(
      `${request.columns.map(({ name }) => name).join(', ')} now ${request.columns.length === 1 ? 'tells' : 'tell'} of duplicates.`,
    );
    emit('done', request.columns[0].name);
  } catch (error) {
    notices.complain(error);
  }
  keeping.value = false;
}
const shown = (value: string | number | boolean | null) => (value === null ? 'blank' : value === '' ? 'empty text' : cellText(value));
const labels = computed(() =>
  (answer.value?.columns ?? []).map((name) => {
    const column = props.source.columns.find((one) => one.name === name);
    return column ? labelOf(column) : name;
  }),
);
</script>

<template>
  <ColumnPanel data-test="alike-panel" @submit="put">
    <v-autocomplete
      v-model="columns"
      :items="choices"
      label="Duplicates have the same values in"
      multiple
      chips
      closable-chips
      data-test="alike-columns"
    />
    <p v-if="columns.length > 0" class="line">
      <span class="soft">without regard to</span>
      <label v-for="one in LIKENESSES" :key="one"><input v-model="like[one]" type="checkbox" /> {{ LIKENESS_IN_WORDS[one] }}</label>
      <label><input v-model="blanks" type="checkbox" data-test="alike-blanks" /> what is blank is alike too</label>
    </p>
    <p v-if="isPlaced" class="line">
      <label
        ><input v-model="byPlace" type="checkbox" data-test="alike-by-place" /> {{ columns.length > 0 ? 'and lie' : 'lie' }} at most</label
      >
      <input
        v-model="within"
        class="entry-field small metres"
        type="number"
        min="0"
        step="any"
        aria-label="Metres apart"
        data-test="alike-within"
        @input="byPlace = true"
      />
      m apart, on the ellipsoid; 0 is the same place
    </p>
    <p v-if="trouble" class="trouble" role="alert" data-test="alike-problem">{{ trouble }}</p>
    <p v-else-if="byPlace && !isDistance" class="trouble" role="alert">How many metres apart, from 0 to 1,000,000?</p>
    <p v-else-if="looking" class="soft" role="status">{{ progress || 'Comparing the features' }} …</p>
    <p v-else-if="!answer" class="soft">
      Choose columns, such as a number or a name that each feature should have alone, or how near to one another duplicates lie.
    </p>
    <template v-else>
      <p data-test="alike-summary">
        <template v-if="answer.groups === 0"><b>No duplicates</b> among {{ plural(answer.rows, 'feature') }}</template
        ><template v-else
          ><b>{{ plural(answer.features, 'feature') }}</b> of {{ counted(answer.rows) }} are duplicates, in
          {{ plural(answer.groups, 'group') }} of up to {{ counted(answer.largest) }}</template
        ><template v-if="answer.unknown > 0"
          >; {{ plural(answer.unknown, 'feature') }} cannot be compared: {{ columns.length > 0 && !blanks ? 'a value is blank' : ''
          }}{{ columns.length > 0 && !blanks && byPlace ? ', or ' : '' }}{{ byPlace ? 'there is no place' : '' }}</template
        >.
        <span v-if="byPlace && answer.largest > 2" class="soft">Those in a group can lie farther apart, with others between them.</span>
      </p>
      <div v-if="answer.samples.length > 0" class="rows" tabindex="0" role="region" aria-label="The first groups">
        <table data-test="alike-samples">
          <thead>
            <tr>
              <th class="group">Group</th>
              <th v-for="(label, i) in labels" :key="i">{{ label }}</th>
            </tr>
          </thead>
          <tbody v-for="(sample, g) in answer.samples" :key="g">
            <tr v-for="(feature, i) in sample.features" :key="feature.key">
              <td>{{ i === 0 ? `${g + 1}` : '' }}</td>
              <td v-for="(value, v) in feature.values" :key="v" :class="{ blank: value === null || value === '' }">{{ shown(value) }}</td>
            </tr>
            <tr v-if="sample.size > sample.features.length">
              <td />
              <td class="soft" :colspan="labels.length">and {{ counted(sample.size - sample.features.length) }} more</td>
            </tr>
          </tbody>
        </table>
      </div>
      <ul class="told" aria-label="Columns">
        <li v-for="one in told" :key="one.tells">
          <label><input v-model="one.on" type="checkbox" :data-test="`tell-${one.tells}`" /> {{ TITLES[one.tells] }}</label>
          <input
            v-model="one.name"
            class="entry-field small"
            maxlength="200"
            :disabled="!one.on"
            :aria-label="`Name: ${TITLES[one.tells]}`"
          />
          <span class="trouble">{{ problemOf(one) }}</span>
        </li>
      </ul>
    </template>
    <template #foot>
      <span class="soft">{{ source.name }} stays as it is; nothing is taken out of it.</span>
      <v-btn variant="text" @click="emit('done', null)">Cancel</v-btn>
      <v-btn color="primary" type="submit" :loading="keeping" :disabled="!isReady" data-test="alike-keep">Keep the columns</v-btn>
    </template>
  </ColumnPanel>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
}
.metres {
  width: 92px;
}
.group {
  width: 60px;
}
.rows {
  max-height: 190px;
  overflow: auto;
}
/* A line between groups, none between their features. */
.rows tbody td {
  border-bottom: 0;
}
tbody {
  border-top: 1px solid var(--line);
}
.told {
  margin: 0;
  padding: 0;
  list-style: none;
}
.told li {
  display: grid;
  grid-template-columns: minmax(0, 1.3fr) minmax(0, 1fr) 110px;
  gap: 10px;
  align-items: center;
  padding: 3px 0;
}
.trouble {
  color: var(--copper-text);
}
</style>
