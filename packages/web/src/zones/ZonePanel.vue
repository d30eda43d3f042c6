<script setup lang="ts">
import { columnInWords, IN_SEVERAL, type InSeveral } from '@clean-sieve/core';
import { mdiClose } from '@mdi/js';
import type { SourceInfo } from '@clean-sieve/server/api';
import { computed, ref, watch } from 'vue';
import ColumnPanel from '../sources/ColumnPanel.vue';
import { useLook } from '../sources/use_look.ts';
import { useNotices } from '../stores/notices.ts';
import { useStyles } from '../stores/styles.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { askFirstClasses } from '../style/ask_first_classes.ts';
import { styled } from '../style/first_style.ts';
import { labelOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';
import {
  columnsFor,
  columnsOf,
  FIGURE_TITLES,
  isOfColumn,
  isPartable,
  isWeighable,
  kindsFor,
  measureOf,
  nameFor,
  unitsOf,
  type FigureRow,
  type SpreadChoice,
} from './figure_rows.ts';
import SpreadField from './SpreadField.vue';
import { useZoned } from './use_zoned.ts';

/** Figures of the features of another source, or of what a sieve keeps, beside the zones that they lie in. */
const props = defineProps<{ source: SourceInfo }>();
const emit = defineEmits<{ done: [name: string | null] }>();
const workspace = useWorkspace();
const notices = useNotices();
const styles = useStyles();
const { look, keep } = useZoned();

const choices = computed(() =>
  workspace.ownSources.flatMap((source) => [
    { value: `${source.id} `, title: `${source.name} (${counted(source.rows)})` },
    ...workspace.sieves
      .filter(({ sourceId }) => sourceId === source.id)
      .map((sieve) => ({ value: `${source.id} ${sieve.id}`, title: `${source.name} · ${workspace.nameOf(sieve)}` })),
  ]),
);
const chosen = ref<string | null>(null);
const of = computed(() => {
  if (chosen.value === null) return null;
  const [source, sieve] = chosen.value.split(' ');
  const features = workspace.sources.find(({ id }) => id === Number(source));
  const kept = sieve === '' ? null : (workspace.sieves.find(({ id }) => id === Number(sieve)) ?? null);
  return features ? { features, kept, called: kept ? workspace.nameOf(kept) : features.name } : null;
});
/** The same as it is asked for. */
const ofNow = computed(() => (of.value ? { source: of.value.features.id, sieve: of.value.kept?.id ?? null } : null));
const several = ref<InSeveral>('each');
const SEVERAL_TITLES: Record<InSeveral, string> = {
  each: 'counts in each of them',
  first: 'counts in the first of them',
  part: 'counts in each by the part that lies there',
};

const rows = ref<FigureRow[]>([]);
let next = 0;
const taken = (except: FigureRow | null) =>
  new Set([...props.source.columns.map(({ name }) => name), ...rows.value.filter((row) => row !== except).map(({ name }) => name.trim())]);
function add(kind: FigureRow['kind']): void {
  rows.value.push({ id: next++, kind, column: null, weight: null, unit: '', per: 1000, name: '', named: false, title: '', measure: '' });
  settle(rows.value[rows.value.length - 1]);
}
/** What was chosen goes on fitting, and the name follows unless it was typed. */
function settle(row: FigureRow): void {
  if (!of.value) return;
  const columns = isOfColumn(row.kind) ? columnsFor(row.kind, of.value.features, props.source) : [];
  if (!columns.some(({ name }) => name === row.column)) row.column = columns[0]?.name ?? null;
  const units = unitsOf(row.kind);
  if (!units.includes(row.unit)) row.unit = units.includes('ha') ? 'ha' : (units.find((unit) => unit === 'km') ?? '');
  row.measure = measureOf(row, of.value.features.columns);
  if (!row.named) row.name = nameFor(row, of.value.called, taken(row));
}
const problemOf = (row: FigureRow): string => {
  const name = row.name.trim();
  if (row.kind === 'rate' && !(row.per > 0)) return 'for each how many?';
  return name === '' ? 'needs a name' : name === 'geometry' || taken(row).has(name) ? 'is there already' : '';
};

const spread = ref<SpreadChoice | null>(null);
/** Something is to be chosen of the values that figures are spread over. */
const isSpreadOpen = ref(false);
const hasTitles = ref(false);
const made = computed(() =>
  of.value
    ? columnsOf(rows.value, {
        called: of.value.called,
        several: several.value,
        spread: spread.value,
        taken: new Set(props.source.columns.map(({ name }) => name)),
      })
    : { figures: [], computed: [] },
);
const many = computed(() => made.value.figures.length + made.value.computed.length);
/** As many as one request has. */
const MOST = 400;

const { answer, looking, progress, trouble } = useLook(
  () => ofNow.value,
  (wanted, signal, told) => look(props.source.id, wanted, signal, told),
  { rests: false },
);
watch(chosen, () => {
  [rows.value, several.value, spread.value, isSpreadOpen.value] = [[], 'each', null, false];
  if (of.value) add('count');
});
const kinds = computed(() => (of.value ? kindsFor(of.value.features, props.source, of.value.kept !== null || spread.value !== null) : []));
// A share of all is only one of what a sieve keeps, or of a part.
watch(kinds, (now) => {
  for (const row of rows.value) {
    if (now.includes(row.kind)) continue;
    row.kind = 'count';
    settle(row);
  }
});
const account = computed(() => {
  const told = answer.value?.account;
  if (!told) return [];
  const { features, inside, outside, several: inSeveral, unplaced, empty } = told;
  return [
    `${plural(features, 'feature')}: ${counted(inside)} inside, ${counted(outside)} outside every zone`,
    ...(inSeveral > 0 ? [`${counted(inSeveral)} in several zones`] : []),
    ...(unplaced > 0 ? [`${counted(unplaced)} without a place, which count nowhere`] : []),
    ...(empty > 0 ? [`${plural(empty, 'zone has', 'zones have')} none`] : []),
  ];
});
/** Lines and areas can also lie in a zone only in part. */
const canBeInSeveral = computed(
  () =>
    (answer.value?.account.several ?? 0) > 0 ||
    Object.keys(of.value?.features.geometryTypes ?? {}).some((type) => /Line|Polygon|Collection/.test(type)),
);
const isReady = computed(
  () =>
    answer.value !== null &&
    rows.value.length > 0 &&
    rows.value.every((row) => problemOf(row) === '') &&
    !isSpreadOpen.value &&
    many.value <= MOST,
);

const keeping = ref(false);
async function put(): Promise<void> {
  const now = of.value!;
  keeping.value = true;
  try {
    // What conditions and figures speak of has a name.
    if (now.kept) await workspace.namedSieve(now.kept.id);
    const { figures, computed: rates } = made.value;
    await keep(props.source, { features: ofNow.value!, figures, computed: rates });
    const first = (rows.value[0].kind === 'rate' ? rates : figures)[0].name;
    await draw(first);
    notices.say(`${now.called} summed up by ${plural(props.source.rows, 'zone')} of ${props.source.name}; the figures follow.`);
    emit('done', first);
  } catch (error) {
    notices.complain(error);
  }
  keeping.value = false;
}
/** Zones that are in one colour so far are drawn by the figure. */
async function draw(name: string): Promise<void> {
  const { id } = props.source;
  const source = workspace.sources.find((one) => one.id === id);
  const column = source?.columns.find((one) => one.name === name);
  workspace.openSource(id);
  if (source && column && column.distinct > 1 && !source.style?.classing)
    await styles.change(styled(await askFirstClasses(id, column), source.style));
}
</script>

<template>
  <ColumnPanel data-test="zone-panel" @submit="put">
    <v-autocomplete v-model="chosen" :items="choices" :label="`Sum up by the zones of ${source.name}`" data-test="zoned-of" />
    <p v-if="!of" class="soft">
      Choose a source, or what a sieve keeps. Its features are counted and summed up in each of {{ plural(source.rows, 'zone') }}; the
      figures stand beside the zones as columns, and follow the sieve.
    </p>
    <p v-else-if="trouble" class="trouble" role="alert" data-test="zoned-problem">{{ trouble }}</p>
    <p v-else-if="looking" class="soft" role="status">{{ progress || 'Finding what lies where' }} …</p>
    <p v-else-if="answer" class="account" data-test="zone-account">{{ account.join('; ') }}.</p>
    <template v-if="of && answer">
      <label v-if="canBeInSeveral" class="line">
        What lies in several zones, or reaches out of them,
        <select v-model="several" class="entry-field" data-test="in-several">
          <option v-for="one in IN_SEVERAL" :key="one" :value="one">{{ SEVERAL_TITLES[one] }}</option>
        </select>
      </label>
      <ul class="figures" aria-label="Figures">
        <li v-for="(row, i) in rows" :key="row.id" data-test="figure">
          <select v-model="row.kind" class="entry-field" :aria-label="`Figure ${i + 1}`" data-test="figure-kind" @change="settle(row)">
            <option v-for="kind in kinds" :key="kind" :value="kind">
              {{ FIGURE_TITLES[kind] }}
            </option>
          </select>
          <span class="what">
            <template v-if="row.kind === 'rate'">
              <input
                v-model.number="row.per"
                class="entry-field per"
                type="number"
                min="1"
                step="1"
                :aria-label="`For each so many, figure ${i + 1}`"
                @change="settle(row)"
              />
              of
            </template>
            <select
              v-if="isOfColumn(row.kind)"
              v-model="row.column"
              class="entry-field"
              :aria-label="`Column of figure ${i + 1}`"
              data-test="figure-column"
              @change="settle(row)"
            >
              <option v-for="column in columnsFor(row.kind, of.features, source)" :key="column.name" :value="column.name">
                {{ labelOf(column) }}
              </option>
            </select>
            <select v-if="isWeighable(row.kind)" v-model="row.weight" class="entry-field" :aria-label="`Weight of figure ${i + 1}`">
              <option :value="null">all alike</option>
              <option v-for="column in columnsFor('sum', of.features, source)" :key="column.name" :value="column.name">
                weighted by {{ labelOf(column) }}
              </option>
            </select>
            <select
              v-if="unitsOf(row.kind).length > 0"
              v-model="row.unit"
              class="entry-field"
              :aria-label="`Unit of figure ${i + 1}`"
              @change="settle(row)"
            >
              <option v-for="unit in unitsOf(row.kind)" :key="unit" :value="unit">{{ unit }}</option>
            </select>
            <span v-if="several === 'part' && !isPartable(row.kind)" class="soft">counts whole in each</span>
          </span>
          <span class="called">
            <input
              v-model="row.name"
              class="entry-field"
              maxlength="200"
              :aria-label="`What figure ${i + 1} is called`"
              data-test="figure-name"
              @input="row.named = true"
            />
            <span v-if="problemOf(row)" class="trouble">{{ problemOf(row) }}</span>
          </span>
          <button class="plain" type="button" :aria-label="`Without figure ${i + 1}`" @click="rows.splice(i, 1)">
            <v-icon :icon="mdiClose" size="18" />
          </button>
          <label v-if="hasTitles" class="titled soft"
            >shown as
            <input
              v-model="row.title"
              class="entry-field"
              maxlength="200"
              :placeholder="columnInWords(row.name)"
              :aria-label="`Title of figure ${i + 1}`"
              data-test="figure-title"
          /></label>
          <label v-if="hasTitles" class="titled soft"
            >in
            <input
              v-model="row.measure"
              class="entry-field"
              maxlength="40"
              :placeholder="unitsOf(row.kind).length > 0 ? row.unit : 'no unit'"
              :aria-label="`Unit of the values of figure ${i + 1}`"
              data-test="figure-measure"
          /></label>
        </li>
      </ul>
      <button class="plain link more" type="button" data-test="add-figure" @click="add(kinds[1] ?? 'count')">and another figure</button>
      <button v-if="!hasTitles" class="plain link more" type="button" data-test="figure-titles" @click="hasTitles = true">
        say what they are shown as, and their units
      </button>
      <SpreadField :key="chosen ?? ''" v-model="spread" v-model:open="isSpreadOpen" :zones="source" :features="of.features" :of="ofNow!" />
      <p v-if="many > MOST" class="trouble" role="alert">
        These would be {{ counted(many) }} columns; {{ counted(MOST) }} at once can be made.
      </p>
      <p v-else-if="spread" class="soft" data-test="spread-many">
        {{ plural(many, 'column') }}:
        {{
          [...made.figures, ...made.computed]
            .slice(0, 4)
            .map(({ name }) => name)
            .join(', ')
        }}{{ many > 4 ? ' …' : '' }}
      </p>
    </template>
    <template #foot>
      <span class="soft">On the map zones are drawn by the first figure; the ratio of two is a computed column.</span>
      <v-btn variant="text" @click="emit('done', null)">Cancel</v-btn>
      <v-btn color="primary" type="submit" :loading="keeping" :disabled="!isReady" data-test="zoned-keep">Sum up</v-btn>
    </template>
  </ColumnPanel>
</template>

<style scoped>
.account {
  padding-left: 12px;
  border-left: 3px solid var(--spruce-2);
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
}
.figures {
  display: flex;
  flex-direction: column;
  gap: 8px;
  margin: 0;
  padding: 0;
  list-style: none;
}
.figures li {
  display: grid;
  grid-template-columns: 190px minmax(0, 1.3fr) minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
}
.titled {
  display: flex;
  align-items: center;
  gap: 8px;
  white-space: nowrap;
}
.titled:first-of-type {
  grid-column: 2;
}
.titled .entry-field {
  min-width: 0;
  width: 100%;
}
.what {
  display: flex;
  align-items: center;
  gap: 8px;
}
.what .entry-field,
.called .entry-field {
  min-width: 0;
  width: 100%;
}
.what .per {
  flex: none;
  width: 84px;
}
.more {
  align-self: flex-start;
}
.trouble {
  color: var(--copper-text);
}
</style>
