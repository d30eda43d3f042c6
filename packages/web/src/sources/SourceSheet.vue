<script setup lang="ts">
import { dayInWords, type Expr, type TypedDerivation, type Measure, type Remark } from '@clean-sieve/core';
import type { SourceInfo } from '@clean-sieve/server/api';
import { computed, defineAsyncComponent, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { saveFile } from '../clipboard/save_file.ts';
import { answeredInWords } from '../stack/answered.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useJobs } from '../stores/jobs.ts';
import { useNotices } from '../stores/notices.ts';
import { useSifting } from '../stores/sifting.ts';
import { useVersions } from '../stores/versions.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted, measured, plural } from '../words/numbers.ts';
import CodeLists from './CodeLists.vue';
import ColumnProfile from './ColumnProfile.vue';
import { isSample } from './state.ts';

const ComputePanel = defineAsyncComponent(() => import('../computing/ComputePanel.vue'));
const JoinPanel = defineAsyncComponent(() => import('../joining/JoinPanel.vue'));
const ReadPanel = defineAsyncComponent(() => import('../repairing/ReadPanel.vue'));
const AlikePanel = defineAsyncComponent(() => import('../repairing/AlikePanel.vue'));
const ZonePanel = defineAsyncComponent(() => import('../zones/ZonePanel.vue'));

/** Everything that is known of a source: facts and report, its columns, and the code lists of the workspace. */
const sourceId = defineModel<number | null>({ required: true });
const workspace = useWorkspace();
const notices = useNotices();
const editing = useTreeEditing();
const jobs = useJobs();
const versions = useVersions();
const sifting = useSifting();

const source = computed(() => workspace.sources.find((candidate) => candidate.id === sourceId.value) ?? null);
const tab = ref<'facts' | 'columns' | 'lists'>('columns');
const chosen = ref('');
/** What is being made beside the columns: one that is computed or read, new or there already; what is taken or told of others. */
const making = shallowRef<
  | { kind: 'computed'; column: SourceInfo['columns'][number] | null }
  | { kind: 'typed'; column: SourceInfo['columns'][number]; first: TypedDerivation | null }
  | { kind: 'joined' | 'zoned' | 'alike' }
  | null
>(null);
/** A column that is made here is changed by what it was made with. */
function remake(column: SourceInfo['columns'][number]): void {
  making.value = column.derivation?.kind === 'computed' ? { kind: 'computed', column } : { kind: 'typed', column, first: null };
}
const hasZones = computed(() => Object.keys(source.value?.geometryTypes ?? {}).some((type) => /Polygon/.test(type)));
function show(name: string): void {
  making.value = null;
  chosen.value = name;
}
/** Shows the first of the columns that were made. */
function made(name: string | null): void {
  making.value = null;
  if (name) chosen.value = name;
}
const remarks = shallowRef<Remark[] | null>(null);

watch(
  source,
  async (now, before) => {
    if (!now || now.id === before?.id) return;
    chosen.value = now.columns[0]?.name ?? '';
    tab.value = now.columns.length > 0 ? 'columns' : 'facts';
    remarks.value = null;
    measure.value = null;
    making.value = null;
    remarks.value = await api.remarks(now.id).catch((error) => (notices.complain(error), []));
  },
  { immediate: true },
);
const column = computed(
  () => source.value?.columns.find((candidate) => candidate.name === chosen.value) ?? source.value?.columns[0] ?? null,
);

const facts = computed(() => {
  const s = source.value;
  if (!s) return [];
  const types = Object.entries(s.geometryTypes).map(([type, count]) => `${counted(count)} ${type === 'None' ? 'without geometry' : type}`);
  return [
    [s.fetchedFrom ? 'From' : 'File', s.fileName + (s.layer && !s.fileName.startsWith(`${s.layer}.`) ? `, layer ${s.layer}` : '')],
    ['Format', s.format + (s.encoding ? `, text in ${s.encoding}` : '')],
    s.fetchedFrom?.live
      ? ['Live', answeredInWords(s.fetchedFrom.askedAt, workspace.today)]
      : ['Taken in', dayInWords(s.takenAt.slice(0, 10))],
    ['Features', counted(s.rows)],
    ...(isSample(s) ? [['Told here of', `a sample of ${counted(s.fetchedFrom!.came)} of them, taken by chance`]] : []),
    ['Geometry', types.join(', ') || 'none'],
    ['Coordinate system', s.crs.label + (s.crs.name.startsWith('EPSG') ? ` (${s.crs.name})` : '')],
    ['Extent', s.extent ? s.extent.map((value) => value.toFixed(4)).join(', ') + ' (west, south, east, north in degrees)' : 'none'],
  ];
});

const MADE = {
  typed: ', derived',
  computed: ', computed',
  alike: ', duplicates',
  joined: ', joined',
  placed: ', by place',
  zoned: ', by zones',
};
const TYPES = { number: 'number', text: 'text', boolean: 'yes/no', date: 'date', datetime: 'date and time' };
function filled(c: SourceInfo['columns'][number]): number {
  return source.value!.rows === 0 ? 0 : 1 - (c.nulls + c.empty) / source.value!.rows;
}

const measure = shallowRef<Measure | null>(null);
/** Metres or square metres in a unit. Acre: international, 4 046.856 422 4 m². */
const LENGTHS = { km: 1000, m: 1, mi: 1609.344, ft: 0.3048 };
const AREAS = { ha: 1e4, 'km²': 1e6, 'm²': 1, acres: 4046.8564224 };
const unit = ref<Record<string, string>>({ Length: 'km', Area: 'ha' });
const measurable = computed(() => {
  const types = Object.keys(source.value?.geometryTypes ?? {}).join(' ');
  const words = [...(/Line/.test(types) ? ['the lengths'] : []), ...(/Polygon/.test(types) ? ['the areas'] : [])];
  return words.join(' and ');
});
const measures = computed(() => {
  const m = measure.value;
  if (!m) return [];
  return [
    ...(m.length > 0 ? [{ word: 'Length', value: m.length, units: LENGTHS as Record<string, number> }] : []),
    ...(m.area > 0 ? [{ word: 'Area', value: m.area, units: AREAS as Record<string, number> }] : []),
  ];
});
async function takeMeasure(): Promise<void> {
  const id = source.value!.id;
  try {
    const job = await jobs.follow(await api.measure(id));
    if (source.value?.id === id && job.result?.measure) measure.value = job.result.measure;
  } catch (error) {
    notices.complain(error);
  }
}

const repairing = ref(false);
async function repair(): Promise<void> {
  repairing.value = true;
  try {
    const { id } = source.value!;
    const job = await jobs.follow(await api.repair(id));
    if (job.state !== 'done') return;
    await workspace.load();
    // Map and counts follow the other geometry.
    sifting.refresh();
    notices.say(`${plural(job.result?.features ?? 0, 'shape')} repaired in a copy, which is in use now.`);
  } catch (error) {
    notices.complain(error);
  } finally {
    repairing.value = false;
  }
}
async function useOriginal(): Promise<void> {
  try {
    const { id } = source.value!;
    workspace.putSource(await api.useShapes(id, 'original'));
    sifting.refresh();
  } catch (error) {
    notices.complain(error);
  }
}
async function makeCondition(expr: Expr): Promise<void> {
  const id = source.value!.id;
  sourceId.value = null;
  if (workspace.activeSource?.id !== id) workspace.openSource(id);
  await editing.addCondition(expr);
}

/** The report as a table: what was refused or repaired, and where. */
function download(): void {
  const cell = (text: string) => `"${text.replaceAll('"', '""')}"`;
  const lines = ['what,where,reason', ...(remarks.value ?? []).map((r) => [r.kind, cell(r.where), cell(r.reason)].join(','))];
  saveFile(new Blob([`${lines.join('\r\n')}\r\n`], { type: 'text/csv' }), `${source.value!.name} report.csv`);
}
</script>

<template>
  <v-dialog :model-value="source !== null" width="1080" @update:model-value="sourceId = null">
    <v-card v-if="source" class="dialog" data-test="source-sheet">
      <header>
        <h3>{{ source.name }}</h3>
        <div class="tabs" role="tablist">
          <button
            v-for="[key, title] in [
              ['columns', 'Columns'],
              ['facts', 'Where it came from'],
              ['lists', 'Code lists'],
            ] as const"
            :key="key"
            type="button"
            role="tab"
            :aria-selected="tab === key"
            :class="{ on: tab === key }"
            @click="tab = key"
          >
            {{ title }}
          </button>
        </div>
      </header>
      <div v-if="tab === 'facts'" class="facts">
        <dl>
          <template v-for="[term, text] in facts" :key="term">
            <dt>{{ term }}</dt>
            <dd>{{ text }}</dd>
          </template>
        </dl>
        <p v-if="measurable" class="measure">
          <button v-if="!measure" class="plain link" type="button" data-test="measure" @click="takeMeasure">
            Measure {{ measurable }} on the ellipsoid
          </button>
          <template v-else>
            <template v-for="{ word, value, units } in measures" :key="word"
              >{{ word }} in all <b>{{ measured(value / units[unit[word]]) }}</b>
              <select v-model="unit[word]" class="entry-field small" :aria-label="`Unit of the ${word.toLowerCase()}`">
                <option v-for="(_, name) in units" :key="name">{{ name }}</option>
              </select>
            </template>
          </template>
        </p>
        <template v-if="source.notes.length > 0">
          <h4>Noted when it came in</h4>
          <ul class="notes">
            <li v-for="note in source.notes" :key="note">{{ note }}</li>
          </ul>
        </template>
        <div v-if="source.invalidShapes > 0" class="invalid" data-test="invalid-shapes">
          <template v-if="source.shapes === 'original'">
            <span
              ><b>{{ plural(source.invalidShapes, 'invalid shape') }}.</b>
              <template v-if="source.fetchedFrom?.live"
                >Each counts as it is; in a source that is made of what is kept they can be repaired.</template
              ><template v-else
                >Each counts as it is until the shapes are repaired, in a copy of the geometry; the original stays.</template
              ></span
            >
            <v-btn v-if="!source.fetchedFrom?.live" variant="tonal" :disabled="repairing" data-test="repair" @click="repair"
              >Repair in a copy</v-btn
            >
          </template>
          <template v-else>
            <span
              ><b>The repaired copy is in use</b>, in which {{ plural(source.invalidShapes, 'shape was', 'shapes were') }} made valid.</span
            >
            <v-btn variant="tonal" data-test="use-original" @click="useOriginal">Use the original again</v-btn>
          </template>
        </div>
        <template v-if="source.older.length > 0">
          <h4>Versions in use before</h4>
          <ul class="older">
            <li v-for="version in source.older" :key="version.id">
              {{ version.fileName }}, {{ plural(version.rows, 'feature') }}, taken in
              {{ dayInWords(version.takenAt.slice(0, 10)) }}
              <button class="plain link" type="button" data-test="put-back" @click="versions.exchange(source!, version.id)">
                put it back
              </button>
            </li>
          </ul>
        </template>
        <template v-if="remarks && remarks.length > 0">
          <h4>
            {{ plural(remarks.length, 'remark') }} one by one
            <button class="plain link" type="button" data-test="download-report" @click="download">download the report</button>
          </h4>
          <table>
            <tbody>
              <tr v-for="(remark, i) in remarks.slice(0, 200)" :key="i">
                <td>{{ remark.where }}</td>
                <td>{{ remark.kind }}</td>
                <td>{{ remark.reason }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="remarks.length > 200" class="soft">
            The first 200 are shown; the report has {{ counted(remarks.length) }}. A report keeps 10,000 of a kind; the notes above count
            all.
          </p>
        </template>
        <p v-else-if="remarks" class="soft">Every feature was taken as it was.</p>
      </div>
      <CodeLists v-else-if="tab === 'lists'" />
      <div v-else class="columns side-by-side">
        <div class="list">
          <button class="plain compute" type="button" data-test="compute-column" @click="making = { kind: 'computed', column: null }">
            + Compute a column
          </button>
          <button class="plain compute" type="button" data-test="join-table" @click="making = { kind: 'joined' }">+ Join a table</button>
          <button v-if="hasZones" class="plain compute" type="button" data-test="sum-up" @click="making = { kind: 'zoned' }">
            + Sum up by its zones
          </button>
          <button class="plain compute" type="button" data-test="find-duplicates" @click="making = { kind: 'alike' }">
            + Find duplicates
          </button>
          <ul class="names" aria-label="Columns">
            <li v-for="c in source.columns" :key="c.name">
              <button class="plain" type="button" :class="{ on: c === column && !making, off: c.hidden }" @click="show(c.name)">
                <span class="name" :title="c.name">{{ labelOf(c) }}</span>
                <span class="soft type"
                  >{{ TYPES[c.type] }}{{ c.derivation ? MADE[c.derivation.kind] : '' }}{{ c.hidden ? ', hidden' : '' }}</span
                >
                <span class="filled"><span :style="{ width: `${100 * filled(c)}%` }" /></span>
              </button>
            </li>
          </ul>
        </div>
        <ComputePanel
          v-if="making?.kind === 'computed'"
          :key="making.column?.name ?? ''"
          :source="source"
          :column="making.column"
          @done="made"
        />
        <ReadPanel
          v-else-if="making?.kind === 'typed'"
          :key="`read ${making.column.name}`"
          :source="source"
          :column="making.column"
          :first="making.first"
          @done="made"
        />
        <AlikePanel v-else-if="making?.kind === 'alike'" :source="source" @done="made" />
        <JoinPanel v-else-if="making?.kind === 'joined'" :source="source" @done="made" />
        <ZonePanel v-else-if="making?.kind === 'zoned'" :source="source" @done="made" />
        <ColumnProfile
          v-else-if="column"
          :source="source"
          :column="column"
          @condition="makeCondition"
          @change="remake(column)"
          @read="(first) => (making = { kind: 'typed', column: column!, first })"
        />
      </div>
      <div class="buttons"><v-btn color="primary" @click="sourceId = null">Close</v-btn></div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.dialog {
  height: min(700px, 92vh);
}
header {
  display: flex;
  align-items: baseline;
  gap: 24px;
}
h4 {
  margin: 14px 0 4px;
}
.tabs button {
  padding: 2px 10px 4px;
  border: 0;
  border-bottom: 2px solid transparent;
  background: none;
  color: var(--soft);
  font: inherit;
  cursor: pointer;
}
.tabs button.on {
  color: var(--ink);
  font-weight: 650;
  border-bottom-color: var(--copper);
}
.columns {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr);
  gap: 18px;
  flex: 1;
  min-height: 0;
}
.list {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--line);
}
.compute {
  flex: none;
  padding: 4px 9px 8px !important;
  color: var(--spruce);
  font-weight: 650;
}
.names {
  list-style: none;
  margin: 0;
  padding: 0 8px 0 0;
  overflow-y: auto;
}
.names button {
  display: block !important;
  box-sizing: border-box !important;
  width: 100%;
  padding: 5px 9px !important;
  border-left: 3px solid transparent;
}
.names button.on {
  background: var(--tint);
  border-left-color: var(--copper);
}
.names button.off .name {
  color: var(--soft);
}
.name {
  font-weight: 600;
  overflow-wrap: anywhere;
}
.type {
  display: block;
  font-size: 12.5px;
}
.filled {
  display: block;
  height: 4px;
  margin-top: 3px;
  border-radius: 2px;
  background: var(--sunk);
}
.filled span {
  display: block;
  height: 4px;
  border-radius: 2px;
  background: var(--spruce-2);
}
.facts {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 4px 18px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.older {
  margin: 0;
  padding-left: 18px;
}
.measure {
  margin: 10px 0 0;
}
.invalid {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 18px;
  margin-top: 12px;
  padding: 10px 14px;
  border-radius: 10px;
  background: var(--sunk);
}
.notes {
  margin: 0;
  padding-left: 18px;
}
td {
  padding: 2px 16px 2px 0;
}
</style>
