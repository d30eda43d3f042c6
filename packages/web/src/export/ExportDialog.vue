<script setup lang="ts">
import { mdiClose, mdiPlus } from '@mdi/js';
import { WRITTEN_FORMATS, type CutReport } from '@clean-sieve/core';
import type { PreviewAnswer } from '@clean-sieve/server/api';
import { computed, ref, watch } from 'vue';
import { api } from '../api/client.ts';
import SystemPicker from '../import/SystemPicker.vue';
import { useExports } from '../stores/exports.ts';
import { useJobs } from '../stores/jobs.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import { isSample } from '../sources/state.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { headingOf } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';
import ColumnChoices from './ColumnChoices.vue';
import { copyTable } from '../clipboard/clipboard.ts';
import { CLIPBOARD, isFile, SOURCE, useDraft } from './export_draft.ts';
import ExtractHistory from './ExtractHistory.vue';
import ExtractPreview from './ExtractPreview.vue';
import MapPage from '../picture/MapPage.vue';

const open = defineModel<boolean>({ required: true });
const workspace = useWorkspace();
const sifting = useSifting();
const jobs = useJobs();
const notices = useNotices();
const exporting = useExports();
const picks = usePicks();
const draft = useDraft();
const { layers, at, layer, title, format, written, lonLatOnly, packed, within, tolerance, zip, coordinates, guarded, request } = draft;

const tab = ref<'make' | 'map' | 'before'>('make');
const running = ref(false);
const choosingSystem = ref(false);
const hideOthers = ref(false);
const preview = ref<PreviewAnswer | null>(null);

const FORMATS = [
  ...WRITTEN_FORMATS.map(({ name, label, short, writing }) => ({
    value: name,
    title: short ?? label,
    ending: writing.extension,
  })),
  { value: SOURCE, title: 'New source here', ending: '' },
  { value: CLIPBOARD, title: 'Clipboard', ending: 'as a table' },
];
const SHAPES = [
  { value: 'as-is', title: 'as they are' },
  { value: 'centroid', title: 'centroids' },
  { value: 'inside', title: 'a point surely inside' },
  { value: 'buffer', title: 'widened by' },
  { value: 'simplify', title: 'simplified to' },
  { value: 'none', title: 'left out' },
];
const tables = computed(() => format.value === CLIPBOARD || written.value?.writing.cells !== undefined);
const verb = computed(() => ({ [SOURCE]: 'Make the source', [CLIPBOARD]: 'Copy the rows' })[format.value] ?? 'Write the file');
const ending = computed(() => (packed.value ? '.zip' : (written.value?.writing.extension ?? '')));
const systems = computed(() => {
  const own = layer.value?.source.crs;
  const chosen = layer.value?.system ?? '';
  const ownTitle = tables.value ? 'longitude, latitude (WGS 84)' : `its own: ${own?.label ?? ''}`;
  return [
    { value: 'own', title: lonLatOnly.value ? 'longitude, latitude (WGS 84)' : ownTitle },
    ...(lonLatOnly.value
      ? []
      : [
          ...(own?.definition !== null && !tables.value ? [{ value: 'lonlat', title: 'longitude, latitude (WGS 84)' }] : []),
          ...(chosen.includes(':') ? [{ value: chosen, title: chosen }] : []),
          { value: 'other', title: 'another …' },
        ]),
  ];
});
const orders = computed(() => [
  { value: '', title: 'as in the source' },
  ...(layer.value?.source.columns.map((column) => ({ value: column.name, title: headingOf(column) })) ?? []),
]);
const cutters = computed(() => (layer.value ? draft.cutters(layer.value) : []));
const cutTitle = (index: number): string => cutters.value[index]?.title ?? '';
const count = computed(() => {
  const told = preview.value?.layers[at.value]?.kept ?? null;
  // Of a sample it is estimated, where the stack may know.
  return typeof told === 'number' ? told : at.value === 0 && layer.value?.picks === null ? sifting.kept : told;
});
/** Sieves and sources that can go along. */
const others = computed(() =>
  workspace.ownSources.flatMap((source) => [
    ...workspace.sieves
      .filter(({ sourceId }) => sourceId === source.id)
      .map((sieve) => ({
        key: `sieve ${sieve.id}`,
        title: workspace.nameOf(sieve),
        under: source.name,
        source,
        sieve,
      })),
    { key: `source ${source.id}`, title: `All ${source.name}`, under: plural(source.rows, 'feature'), source, sieve: null },
  ]),
);
const problem = computed(() => {
  if (title.value.trim() === '') return 'Give the file a name';
  // The one of the layer on show stands in its preview.
  const other = preview.value?.layers.find(({ error }, i) => error !== null && i !== at.value);
  return other ? `${other.name}: ${other.error}` : '';
});
/** Columns of what is written that were not chosen by name. */
const added = computed(() => {
  const chosen = new Set(request.value.layers[at.value]?.columns.map(({ as }) => as));
  return preview.value?.layers[at.value]?.columns.filter((name) => !chosen.has(name)) ?? [];
});
const failing = computed(() => preview.value?.layers.some(({ error }) => error !== null) ?? false);

watch(
  open,
  (now) => {
    if (!now) return;
    tab.value = 'make';
    draft.begin(exporting.wish);
  },
  { immediate: true },
);
watch(format, () => {
  if (layer.value && lonLatOnly.value) for (const one of layers.value) one.system = 'own';
});

function chooseSystem(value: string): void {
  if (value === 'other') choosingSystem.value = true;
  else layer.value.system = value;
}
function pickSystem(code: number): void {
  layer.value.system = `EPSG:${code}`;
  choosingSystem.value = false;
}
function chooseOrder(column: string): void {
  layer.value.order = column === '' ? null : { column, descending: layer.value.order?.descending ?? false };
}

function cutInWords({ cut: done, whole, gone, slivers, flattened }: CutReport): string {
  const left = gone > 0 ? ` ${counted(gone)} only touch it and are left out.` : '';
  const heights = flattened > 0 ? ` The heights of ${counted(flattened)} are left out.` : '';
  const small = slivers > 0 ? ` ${plural(slivers, 'part')} left below ${tolerance.value} m² or m.` : '';
  return ` ${counted(done)} cut, ${counted(whole)} wholly within.${left}${small}${heights}`;
}

async function run(): Promise<void> {
  running.value = true;
  const asSource = format.value === SOURCE;
  try {
    if (format.value === CLIPBOARD) {
      const { columns, rows } = await api.extractRows(request.value);
      await copyTable(columns, rows);
      open.value = false;
      notices.say(`${plural(rows.length, 'row')} on the clipboard; paste them into a spreadsheet.`);
      return;
    }
    const started = asSource
      ? await api.makeSource({ kind: 'kept', layer: request.value.layers[0], name: title.value.trim() })
      : await api.extract(request.value);
    open.value = false;
    const job = await jobs.follow(started);
    if (job.state === 'cancelled') notices.say('Cancelled; nothing was written.');
    if (job.state !== 'done' || !job.result) return;
    const { cut, extract, sourceId, features = 0, bytes = 0 } = job.result;
    const how = cut ? cutInWords(cut) : '';
    if (extract) {
      const link = document.createElement('a');
      link.href = api.extractFile(extract.id, extract.files[0].name);
      link.click();
      notices.say(`${plural(features, 'feature')} written, ${(bytes / 1e6).toFixed(2)} MB, with a note.${how}`);
    } else if (sourceId !== undefined) {
      await workspace.load();
      if (hideOthers.value)
        for (const sieve of workspace.sieves)
          if (sieve.visible && sieve.sourceId === layers.value[0].source.id) workspace.changeSieve(sieve.id, { visible: false }, 'hide');
      workspace.openSource(sourceId);
      notices.say(`${title.value.trim()}: a new source of ${plural(features, 'feature')}.${how}`);
    }
  } catch (error) {
    notices.complain(error);
  } finally {
    running.value = false;
  }
}
</script>

<template>
  <v-dialog v-model="open" width="1180">
    <v-card v-if="layer" class="dialog screen" data-test="hand-over-dialog">
      <header class="top">
        <h3>Hand over</h3>
        <div class="tabs" role="tablist">
          <button type="button" role="tab" :aria-selected="tab === 'make'" @click="tab = 'make'">Make an extract</button>
          <button type="button" role="tab" :aria-selected="tab === 'map'" data-test="map-tab" @click="tab = 'map'">
            The map as a page
          </button>
          <button type="button" role="tab" :aria-selected="tab === 'before'" data-test="history-tab" @click="tab = 'before'">
            Handed over before
          </button>
        </div>
        <v-btn :icon="mdiClose" variant="text" size="small" aria-label="Close" @click="open = false" />
      </header>
      <ExtractHistory v-if="tab === 'before'" />
      <MapPage v-else-if="tab === 'map'" @done="open = false" />
      <template v-else>
        <div class="parts side-by-side">
          <section class="what" aria-label="What">
            <h4>What</h4>
            <ul>
              <li v-for="(one, i) in layers" :key="one.key" :class="{ on: i === at }">
                <button class="plain pick" type="button" :aria-current="i === at" @click="at = i">
                  <span class="big"
                    >{{ i === at && count !== null ? counted(count) : preview?.layers[i] ? counted(preview.layers[i].kept) : '…' }}
                    <span>of {{ plural(one.source.rows, 'feature') }}</span></span
                  >
                  <span class="sentence">{{ draft.sentence(one) }}</span>
                </button>
                <div v-if="layers.length > 1" class="own">
                  <input
                    v-model="one.name"
                    class="entry-field small"
                    type="text"
                    maxlength="120"
                    aria-label="Name of the layer"
                    @focus="at = i"
                  />
                  <v-btn :icon="mdiClose" variant="text" size="x-small" :aria-label="`Leave ${one.name} out`" @click="draft.remove(i)" />
                </div>
              </li>
            </ul>
            <v-checkbox
              v-if="layer.pickedAs === null && picks.of(layer.source.id).size > 0"
              :model-value="layer.picks !== null"
              :label="`Only the ${counted(picks.of(layer.source.id).size)} picked`"
              data-test="only-picks"
              @update:model-value="(on: unknown) => (layer.picks = on ? [...picks.of(layer.source.id)] : null)"
            />
            <p v-if="count === 0" class="warn">Nothing is kept, so the result will be empty.</p>
            <v-menu v-if="isFile(format)">
              <template #activator="{ props: menu }">
                <v-btn v-bind="menu" variant="text" :prepend-icon="mdiPlus" data-test="add-layer">Another layer in the package</v-btn>
              </template>
              <v-list max-height="360">
                <v-list-item
                  v-for="other in others"
                  :key="other.key"
                  :title="other.title"
                  :subtitle="other.under"
                  @click="draft.add(other.source, other.sieve)"
                />
              </v-list>
            </v-menu>
            <template v-if="workspace.areas.length > 0">
              <v-select
                v-model="within.area"
                :items="[{ value: '', title: 'no area' }, ...workspace.areas.map(({ name }) => ({ value: name, title: name }))]"
                label="Limited to"
                data-test="limited-to"
              />
              <v-checkbox v-if="within.area !== ''" v-model="within.cut" label="cut at its edge" />
            </template>
            <template v-if="cutters.length > 0 && within.area === ''">
              <v-checkbox
                :model-value="layer.cutting !== null"
                :label="cutters.length === 1 ? `Cut to ${cutTitle(0)}` : 'Cut to'"
                data-test="cut"
                @update:model-value="(on: unknown) => (layer.cutting = on ? cutters[0].value : null)"
              />
              <v-select v-if="cutters.length > 1 && layer.cutting !== null" v-model="layer.cutting" :items="cutters" aria-label="Cut to" />
            </template>
            <p v-if="layer.cutting !== null || (within.area !== '' && within.cut)" class="soft">
              Areas and lengths before and after stand in columns of their own. The rows below are not cut yet.
            </p>
            <v-text-field
              v-if="layer.cutting !== null || (within.area !== '' && within.cut)"
              v-model.number="tolerance"
              type="number"
              min="0"
              suffix="m² or m"
              label="Tell slivers below"
            />
          </section>

          <ColumnChoices v-model="layer.columns" :added="added" aria-label="Columns" />

          <section class="how" aria-label="How">
            <h4>As</h4>
            <div class="formats" role="radiogroup" aria-label="Format">
              <label v-for="one in FORMATS" :key="one.value" :class="{ on: format === one.value }">
                <input v-model="format" type="radio" :value="one.value" name="format" :disabled="!isFile(one.value) && layers.length > 1" />
                <span
                  >{{ one.title }} <span class="soft">{{ one.ending }}</span></span
                >
              </label>
            </div>
            <div class="row">
              <v-select v-model="layer.shape" :items="SHAPES" label="Shapes" data-test="shape" />
              <v-text-field
                v-if="layer.shape === 'buffer' || layer.shape === 'simplify'"
                v-model.number="layer.metres"
                type="number"
                min="0.001"
                suffix="m"
                class="metres"
                :aria-label="layer.shape === 'buffer' ? 'Distance in metres' : 'Tolerance in metres'"
              />
              <v-select
                v-if="tables && layer.shape !== 'none'"
                v-model="coordinates"
                :items="[
                  { value: null, title: 'what suits them' },
                  { value: 'columns', title: 'two columns' },
                  { value: 'wkt', title: 'well-known text' },
                ]"
                label="Written as"
              />
            </div>
            <v-select
              v-if="layer.shape !== 'none'"
              :model-value="layer.system"
              :items="systems"
              :disabled="lonLatOnly"
              label="Coordinates"
              data-test="system"
              @update:model-value="chooseSystem"
            />
            <div class="row">
              <v-select :model-value="layer.order?.column ?? ''" :items="orders" label="Order of rows" @update:model-value="chooseOrder" />
              <v-select
                v-if="layer.order"
                v-model="layer.order.descending"
                :items="[
                  { value: false, title: 'rising' },
                  { value: true, title: 'falling' },
                ]"
                class="direction"
                aria-label="Direction"
              />
            </div>
            <v-checkbox
              v-if="format === CLIPBOARD || written?.writing.cells?.guard"
              v-model="guarded"
              label="Keep texts from being taken for formulas"
            />
            <v-checkbox v-if="format === SOURCE" v-model="hideOthers" label="Hide the sieves of the old layer" />
            <v-checkbox
              v-else-if="isFile(format)"
              :disabled="layers.length > 1 && written?.writing.kind !== 'database'"
              :model-value="packed"
              label="Data and note in one zip"
              @update:model-value="(on: unknown) => (zip = on === true)"
            />
            <p v-if="layer.shape === 'simplify'" class="soft">Each shape alone: edges shared by neighbours may part by as much.</p>
            <p v-if="written?.writing.note" class="soft">{{ written.writing.note }}</p>
          </section>
        </div>
        <ExtractPreview
          :request="request"
          :at="at"
          :as-file="isFile(format)"
          :is-sample="layer !== undefined && isSample(layer.source)"
          @answer="preview = $event"
        />
        <footer class="buttons">
          <v-text-field
            v-if="format !== CLIPBOARD"
            v-model="title"
            :label="format === SOURCE ? 'Name of the source' : 'File name'"
            :suffix="format === SOURCE ? '' : ending"
            maxlength="120"
            class="name"
            data-test="extract-name"
          />
          <span v-if="problem" class="warn">{{ problem }}</span>
          <v-btn variant="text" @click="open = false">Cancel</v-btn>
          <v-btn color="primary" :disabled="problem !== '' || failing || running" data-test="run" @click="run">{{ verb }}</v-btn>
        </footer>
      </template>
      <v-dialog v-model="choosingSystem" width="480">
        <v-card class="dialog">
          <h3>Coordinate system of the file</h3>
          <SystemPicker :likely="[]" @pick="pickSystem" />
        </v-card>
      </v-dialog>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.screen {
  display: flex;
  flex-direction: column;
  gap: 9px;
  height: min(752px, 94vh);
}
.top {
  display: flex;
  align-items: center;
  gap: 18px;
}
.top h3 {
  margin: 0;
}
.tabs {
  display: flex;
  flex: 1;
  gap: 4px;
}
.tabs button {
  all: unset;
  padding: 3px 12px;
  border-radius: 14px;
  cursor: pointer;
  color: var(--soft);
  font-weight: 600;
}
.tabs button[aria-selected='true'] {
  background: var(--tint);
  color: var(--spruce);
}
.tabs button:focus-visible {
  outline: 2px solid var(--violet);
}
.parts {
  display: grid;
  flex: 2;
  grid-template-columns: 288px minmax(0, 1fr) 352px;
  gap: 18px;
  min-height: 0;
}
h4 {
  margin: 0;
  color: var(--soft);
  font-size: 13px;
  font-weight: 600;
}
.what,
.how {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  overflow-y: auto;
  padding: 2px 2px 2px 0;
}
.what > *,
.how > * {
  flex: none;
}
ul {
  display: flex;
  flex-direction: column;
  gap: 6px;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  padding: 8px 12px;
  border-left: 4px solid var(--line);
  border-radius: 0 10px 10px 0;
  background: var(--paper);
}
li.on {
  border-left-color: var(--copper);
}
.pick {
  display: block;
  width: 100%;
}
.big {
  display: block;
  color: var(--spruce);
  font-size: 20px;
  font-weight: 700;
}
.big span {
  color: var(--ink);
  font-size: 14px;
  font-weight: 400;
}
.sentence {
  display: -webkit-box;
  overflow: hidden;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 5;
}
.own {
  display: flex;
  align-items: center;
  gap: 4px;
  margin-top: 4px;
}
.own input {
  flex: 1;
  min-width: 0;
}
.formats {
  display: grid;
  margin-bottom: 6px;
  grid-template-columns: 1fr 1fr;
  gap: 0 10px;
}
.formats label {
  display: flex;
  align-items: baseline;
  gap: 6px;
  padding: 2px 6px;
  border-radius: 7px;
  cursor: pointer;
  font-size: 13px;
}
.formats label.on {
  background: var(--tint);
}
.formats input {
  accent-color: var(--spruce);
}
.row {
  display: flex;
  gap: 8px;
}
.metres,
.direction {
  flex: none;
  width: 112px;
}
.buttons {
  align-items: center;
}
.name {
  flex: none;
  width: 360px;
  margin-right: auto;
}
.warn {
  color: var(--copper-text);
  font-weight: 600;
}
p {
  margin: 0;
}
</style>
