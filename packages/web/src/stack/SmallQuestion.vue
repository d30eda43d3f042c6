<script setup lang="ts">
import { mdiClose } from '@mdi/js';
import { activeConditions, emptyTree, propertiesIn, type Aggregates } from '@clean-sieve/core';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import SampleNote from '../sources/SampleNote.vue';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { columnText, headingOf, labelOf } from '../words/cells.ts';
import { counted, measured } from '../words/numbers.ts';

/** One column in a few numbers: of the kept features, and of the whole source beside them. */
const emit = defineEmits<{ close: [] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const notices = useNotices();
const picks = usePicks();

const source = computed(() => workspace.activeSource!);
const columns = computed(() => source.value.columns.filter((column) => !column.hidden));
const chosen = ref<string | null>(null);
/** The column chosen; until then the first number that the conditions speak of, or the first number at all. */
const column = computed(() => {
  const named = columns.value.find(({ name }) => name === chosen.value);
  if (named) return named;
  const spoken = activeConditions(workspace.activeTree).flatMap(({ expr }) => propertiesIn(expr));
  const numbers = columns.value.filter(({ type }) => type === 'number');
  return numbers.find(({ name }) => spoken.includes(name)) ?? numbers[0] ?? columns.value[0];
});
const answer = shallowRef<Aggregates['figures'] | null>(null);
/** The same of the picked features; null without picks. */
const picked = shallowRef<Aggregates['figures']['kept'] | null>(null);
let asked = 0;

watch(
  () => [column.value.name, source.value.id, sifting.version, picks.keys],
  async () => {
    const turn = ++asked;
    try {
      const found = await sifting.besides((signal) =>
        api.aggregate(source.value.id, { tree: sifting.shownTree }, { kind: 'figures', column: column.value.name }, signal),
      );
      const among = [...picks.keys];
      const ofPicks =
        among.length === 0
          ? null
          : await sifting.besides((signal) =>
              api.aggregate(source.value.id, { tree: emptyTree(), among }, { kind: 'figures', column: column.value.name }, signal),
            );
      if (turn === asked && found && ofPicks !== undefined) [answer.value, picked.value] = [found, ofPicks?.kept ?? null];
    } catch (error) {
      notices.complain(error);
    }
  },
  { immediate: true },
);

const LINES = [
  { key: 'blank', title: 'blank' },
  { key: 'min', title: 'smallest' },
  { key: 'median', title: 'median' },
  { key: 'mean', title: 'mean' },
  { key: 'max', title: 'largest' },
  { key: 'sum', title: 'sum' },
] as const;
const lines = computed(() => {
  const found = answer.value;
  if (!found) return [];
  const times = column.value.type === 'date' || column.value.type === 'datetime';
  const titles = times ? { min: 'earliest', max: 'latest' } : column.value.type === 'text' ? { min: 'first', max: 'last' } : {};
  const shown = (key: (typeof LINES)[number]['key'], value: number | string | boolean | null) => {
    if (key === 'blank') return counted(value as number);
    if (value === null) return '–';
    return typeof value === 'number' ? measured(value) : columnText(column.value, value);
  };
  return LINES.filter(({ key }) => key === 'blank' || found.all[key] !== null).map(({ key, title }) => ({
    title: (titles as Record<string, string>)[key] ?? title,
    kept: shown(key, found.kept[key]),
    picked: picked.value && shown(key, picked.value[key]),
    all: shown(key, found.all[key]),
  }));
});
</script>

<template>
  <section class="question" data-test="figures" aria-label="A column in numbers" @keydown.esc="emit('close')">
    <header>
      <v-select
        :model-value="column.name"
        :items="columns.map((c) => ({ value: c.name, title: labelOf(c) }))"
        aria-label="Column"
        density="compact"
        @update:model-value="(name: string) => (chosen = name)"
      />
      <SampleNote />
      <button class="plain" type="button" aria-label="Close" @click="emit('close')">
        <v-icon :icon="mdiClose" size="17" />
      </button>
    </header>
    <table v-if="answer">
      <thead>
        <tr>
          <th class="soft">{{ headingOf(column) }}</th>
          <th>kept {{ counted(answer.kept.rows) }}</th>
          <th v-if="picked" class="picked">picked {{ counted(picked.rows) }}</th>
          <th class="soft">all {{ counted(answer.all.rows) }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in lines" :key="line.title">
          <th class="soft">{{ line.title }}</th>
          <td>
            <b>{{ line.kept }}</b>
          </td>
          <td v-if="picked" class="picked">{{ line.picked }}</td>
          <td class="soft">{{ line.all }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.question {
  flex: none;
  max-height: 45%;
  overflow-y: auto;
  padding: 9px 16px 8px;
  border-top: 1px solid var(--line);
  background: var(--paper);
}
header {
  display: flex;
  align-items: center;
  gap: 10px;
}
table {
  width: 100%;
  margin-top: 6px;
  border-collapse: collapse;
}
th,
td {
  padding: 1.5px 0 1.5px 10px;
  font-weight: 400;
  text-align: right;
}
th:first-child {
  padding-left: 0;
  text-align: left;
}
th.picked,
.picked {
  color: var(--violet);
}
thead th {
  font-weight: 600;
}
</style>
