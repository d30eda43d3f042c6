<script setup lang="ts">
import { mdiBroadcast, mdiDotsHorizontal, mdiEyeOffOutline, mdiEyeOutline } from '@mdi/js';
import type { SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { computed, defineAsyncComponent, nextTick, ref, watch } from 'vue';
import { goTo } from '../shell/parts.ts';
import { howMany, hasAnswer } from './state.ts';
import { useImports } from '../stores/imports.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { useSifting } from '../stores/sifting.ts';
import { useServices } from '../stores/services.ts';
import { useVersions } from '../stores/versions.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted, plural } from '../words/numbers.ts';
import { PALETTE } from '../words/palette.ts';
import SieveMark from '../words/SieveMark.vue';

const AreaList = defineAsyncComponent(() => import('../areas/AreaList.vue'));
const SourceSheet = defineAsyncComponent(() => import('./SourceSheet.vue'));
const VersionSheet = defineAsyncComponent(() => import('./VersionSheet.vue'));
const FeedSheet = defineAsyncComponent(() => import('../feeds/FeedSheet.vue'));

const workspace = useWorkspace();
const sifting = useSifting();
const show = useMapShow();
const notices = useNotices();
const importing = useImports();
const services = useServices();
const versions = useVersions();

const asking = ref<{ kind: 'rename' | 'remove'; source: SourceInfo } | null>(null);
const newName = ref('');
/** Source whose columns and report are open. */
const sheet = ref<number | null>(null);

const sievesOf = (source: SourceInfo) => workspace.sieves.filter((sieve) => sieve.sourceId === source.id);
const keptOf = (sieve: SieveInfo) => sifting.results.get(sieve.id)?.head.kept;

const versionChooser = ref<HTMLInputElement>();
let versionOf: SourceInfo | null = null;
function chooseVersion(source: SourceInfo): void {
  versionOf = source;
  versionChooser.value?.click();
}
function onVersion(event: Event): void {
  const input = event.target as HTMLInputElement;
  const files = [...(input.files ?? [])];
  input.value = '';
  if (versionOf && files.length > 0) void versions.importing(versionOf, files);
}

/** With the keyboard where its first condition is made. */
async function newSieve(sourceId: number): Promise<void> {
  await workspace.newSieve(sourceId);
  await nextTick();
  goTo('add');
}

async function duplicate(sieve: SieveInfo): Promise<void> {
  await workspace.addSieve(sieve.sourceId, sieve.tree, sieve.name === null ? null : `${sieve.name}, varied`);
}

async function confirm(): Promise<void> {
  const { kind, source } = asking.value!;
  try {
    if (kind === 'rename') await workspace.renameSource(source.id, newName.value.trim());
    if (kind === 'remove') await workspace.removeSource(source.id);
    asking.value = null;
  } catch (error) {
    notices.complain(error);
  }
}
function ask(kind: 'rename' | 'remove', source: SourceInfo): void {
  newName.value = source.name;
  asking.value = { kind, source };
}

/** The entry that Tab stops at: the one that had the keyboard last, or what is open. The arrows go to the others. */
const reached = ref<string | null>(null);
const openKey = computed(() =>
  workspace.activeSieveId === null ? `source ${workspace.activeSource?.id}` : `sieve ${workspace.activeSieveId}`,
);
const isThere = (key: string | null) =>
  workspace.ownSources.some((source) => `source ${source.id}` === key || sievesOf(source).some(({ id }) => `sieve ${id}` === key));
const stop = computed(() => [reached.value, openKey.value].find(isThere) ?? `source ${workspace.ownSources[0]?.id}`);
const tabOf = (key: string) => (stop.value === key ? 0 : -1);
watch(openKey, (key) => (reached.value = key));
const entries = ref<HTMLElement>();
function step(event: KeyboardEvent): void {
  const by = { ArrowDown: 1, ArrowUp: -1, Home: -Infinity, End: Infinity }[event.key];
  const all = [...(entries.value?.querySelectorAll<HTMLElement>('.open') ?? [])];
  const at = all.findIndex((one) => one.closest('.entry')?.contains(document.activeElement));
  if (by === undefined || at < 0) return;
  event.preventDefault();
  all[Math.max(0, Math.min(all.length - 1, at + by))].focus();
}

/** The sieve whose feeds are on show. */
const publishing = ref<number | null>(null);
const published = computed(() => workspace.sieves.find(({ id }) => id === publishing.value) ?? null);
</script>

<template>
  <nav class="list" aria-label="Sources and their sieves">
    <h2>Sources and their sieves</h2>
    <ul ref="entries" @keydown="step">
      <li v-for="source in workspace.ownSources" :key="source.id">
        <div
          class="entry source"
          :class="{ active: workspace.activeSieveId === null && workspace.activeSource?.id === source.id }"
          @focusin="reached = `source ${source.id}`"
        >
          <button class="plain open" type="button" :tabindex="tabOf(`source ${source.id}`)" @click="workspace.openSource(source.id)">
            {{ source.name }}
          </button>
          <span v-if="source.fetchedFrom?.live" class="live" title="Not stored: asked when it is wanted">live</span>
          <span class="tools">
            <button
              class="plain"
              type="button"
              :tabindex="tabOf(`source ${source.id}`)"
              :aria-label="show.hidden.has(source.id) ? `Show ${source.name} as context` : `Hide ${source.name} from the context`"
              @click="show.toggleSource(source.id)"
            >
              <v-icon :icon="show.hidden.has(source.id) ? mdiEyeOffOutline : mdiEyeOutline" size="16" />
              <v-tooltip
                activator="parent"
                location="bottom"
                :text="show.hidden.has(source.id) ? 'Show it in the background' : 'Hide it from the background'"
              />
            </button>
            <v-menu>
              <template #activator="{ props: menu }">
                <button
                  class="plain"
                  type="button"
                  :aria-label="`More for ${source.name}`"
                  v-bind="menu"
                  :tabindex="tabOf(`source ${source.id}`)"
                >
                  <v-icon :icon="mdiDotsHorizontal" size="18" />
                </button>
              </template>
              <v-list density="compact">
                <v-list-item title="New sieve" @click="newSieve(source.id)" />
                <v-list-item title="Columns and report" @click="sheet = source.id" />
                <v-list-item
                  :title="source.below ? 'Draw it over the ground again' : 'Draw it as ground, below all others'"
                  @click="workspace.drawBelow(source, !source.below)"
                />
                <template v-if="source.fetchedFrom?.live">
                  <v-list-item title="Ask it anew" @click="services.askAnew(source)" />
                  <v-list-item title="Ask it for …" @click="services.change(source)" />
                </template>
                <template v-else>
                  <v-list-item v-if="source.fetchedFrom" title="Fetch it again and compare" @click="services.fetchAgain(source)" />
                  <v-list-item title="Bring in a newer version …" @click="chooseVersion(source)" />
                </template>
                <v-list-item title="Rename …" @click="ask('rename', source)" />
                <v-list-item title="Remove …" @click="ask('remove', source)" />
              </v-list>
            </v-menu>
          </span>
          <span v-if="!hasAnswer(source) && services.failed.has(source.id)" class="count broken" :title="services.failed.get(source.id)"
            >not there</span
          >
          <span v-else class="count">{{ howMany(source) }}</span>
        </div>
        <div
          v-for="sieve in sievesOf(source)"
          :key="sieve.id"
          class="entry sieve"
          :class="{ active: workspace.activeSieveId === sieve.id }"
          @focusin="reached = `sieve ${sieve.id}`"
        >
          <button
            class="plain"
            type="button"
            :tabindex="tabOf(`sieve ${sieve.id}`)"
            :aria-label="sieve.visible ? `Hide ${workspace.nameOf(sieve)} on the map` : `Show ${workspace.nameOf(sieve)} on the map`"
            @click="workspace.changeSieve(sieve.id, { visible: !sieve.visible }, 'show or hide')"
          >
            <SieveMark :colour="sieve.colour" :off="!sieve.visible && workspace.activeSieveId !== sieve.id" />
            <v-tooltip
              activator="parent"
              location="bottom"
              :text="sieve.visible ? 'On the map also while another is open' : 'On the map only while it is open'"
            />
          </button>
          <button
            class="plain open"
            type="button"
            :tabindex="tabOf(`sieve ${sieve.id}`)"
            :title="workspace.nameOf(sieve) + (workspace.feeds.some(({ sieveId }) => sieveId === sieve.id) ? ' · published as a feed' : '')"
            @click="workspace.openSieve(sieve.id)"
          >
            {{ workspace.nameOf(sieve) }}
            <v-icon v-if="workspace.feeds.some(({ sieveId }) => sieveId === sieve.id)" :icon="mdiBroadcast" size="14" aria-hidden="true" />
            <span
              v-if="workspace.staleIn(sieve).length > 0"
              class="stale"
              title="The name mentions a value that the conditions no longer have"
              >≠</span
            >
          </button>
          <span class="tools">
            <v-menu>
              <template #activator="{ props: menu }">
                <button
                  class="plain"
                  type="button"
                  :aria-label="`More for ${workspace.nameOf(sieve)}`"
                  v-bind="menu"
                  :tabindex="tabOf(`sieve ${sieve.id}`)"
                >
                  <v-icon :icon="mdiDotsHorizontal" size="18" />
                </button>
              </template>
              <v-list density="compact">
                <v-list-item title="Vary a copy of it" @click="duplicate(sieve)" />
                <v-list-item
                  title="Make an area of what it keeps"
                  @click="workspace.areaOfFeatures(source.id, { tree: sieve.tree }, workspace.nameOf(sieve))"
                />
                <v-list-item title="Publish as a feed …" @click="publishing = sieve.id" />
                <v-list-item title="Remove" @click="workspace.removeSieve(sieve.id)" />
                <v-divider />
                <div class="palette">
                  <button
                    v-for="(entry, i) in PALETTE"
                    :key="i"
                    type="button"
                    class="plain"
                    :aria-label="`Colour ${entry.name}`"
                    @click="workspace.changeSieve(sieve.id, { colour: i }, 'colour')"
                  >
                    <SieveMark :colour="i" :size="18" :class="{ chosen: sieve.colour === i }" />
                  </button>
                </div>
              </v-list>
            </v-menu>
          </span>
          <span v-if="sifting.errors.has(sieve.id)" class="count broken" :title="sifting.errors.get(sieve.id)">cannot sift</span>
          <span v-else class="count">{{ keptOf(sieve) === undefined ? '…' : counted(keptOf(sieve)!) }}</span>
        </div>
      </li>
    </ul>
    <p v-if="workspace.ownSources.length === 0" class="soft none">No layer yet. Drop files anywhere in the window.</p>
    <div class="bring">
      <button class="plain" type="button" data-test="bring-in" @click="importing.choose()">+ Bring in data</button>
      <button class="plain link" type="button" data-test="from-service" @click="services.open = true">by address</button>
    </div>
    <AreaList />

    <input ref="versionChooser" type="file" multiple hidden data-test="version-file" @change="onVersion" />
    <VersionSheet />
    <SourceSheet v-model="sheet" />
    <v-dialog :model-value="asking !== null" width="430" @update:model-value="asking = null">
      <v-card v-if="asking" class="dialog">
        <template v-if="asking.kind === 'rename'">
          <h3>Rename the source</h3>
          <v-text-field v-model="newName" autofocus aria-label="New name" maxlength="200" @keydown.enter="newName.trim() && confirm()" />
          <div class="buttons">
            <v-btn variant="text" @click="asking = null">Cancel</v-btn>
            <v-btn color="primary" :disabled="newName.trim() === ''" @click="confirm">Rename</v-btn>
          </div>
        </template>
        <template v-else>
          <h3>Remove {{ asking.source.name }}?</h3>
          <p>
            Its {{ plural(asking.source.rows, 'feature')
            }}<template v-if="sievesOf(asking.source).length > 0"> and {{ plural(sievesOf(asking.source).length, 'sieve') }}</template>
            leave the workspace. This cannot be undone; what it came from stays as it is.
          </p>
          <div class="buttons">
            <v-btn variant="text" @click="asking = null">Keep it</v-btn>
            <v-btn color="error" @click="confirm">Remove</v-btn>
          </div>
        </template>
      </v-card>
    </v-dialog>
    <FeedSheet :model-value="publishing !== null" :sieve="published" @update:model-value="publishing = null" />
  </nav>
</template>

<style scoped>
.stale {
  color: var(--copper-text);
  font-weight: 700;
}
.list {
  overflow-y: auto;
  padding: 12px 0 16px;
  background: var(--paper);
  border-right: 1px solid var(--line);
}
h2 {
  margin: 0 14px 6px;
  font-size: 13px;
  font-weight: 600;
  color: var(--soft);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.entry {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 28px;
  padding: 3px 14px 3px 11px;
  border-left: 3px solid transparent;
}
.entry.active {
  background: var(--surface);
  border-left-color: var(--copper);
}
.entry:hover {
  background: var(--sunk);
}
.entry.active:hover {
  background: var(--surface);
}
.source .open {
  font-weight: 650;
}
.sieve {
  padding-left: 17px;
}
.open {
  flex: 1;
  min-width: 0;
  line-height: 1.25;
  overflow: hidden;
  display: -webkit-box !important;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
}
.count {
  font-size: 12.5px;
  color: var(--soft);
}
.live {
  padding: 0 5px;
  border: 1px solid var(--line);
  border-radius: 7px;
  font-size: 11.5px;
  font-weight: 400;
  color: var(--soft);
}
.broken {
  color: var(--copper-text);
}
.tools {
  display: none;
  gap: 5px;
  color: var(--soft);
}
.entry:hover .tools,
.entry:focus-within .tools {
  display: flex;
}
.entry:hover .count,
.entry:focus-within .count {
  display: none;
}
.bring {
  display: flex;
  align-items: baseline;
  gap: 10px;
  margin: 16px 14px 0;
}
.bring > :first-child {
  font-weight: 650;
  color: var(--spruce);
}
.none {
  margin: 6px 14px;
}
.palette {
  display: grid;
  grid-template-columns: repeat(8, 22px);
  gap: 3px;
  padding: 8px 12px 6px;
}
.chosen {
  outline: 2px solid var(--violet);
  outline-offset: 1px;
  border-radius: 3px;
}
</style>
