<script setup lang="ts">
import { mdiDelete, mdiLinkVariant, mdiReplay } from '@mdi/js';
import { dayInWords } from '@clean-sieve/core';
import type { ExtractInfo } from '@clean-sieve/server/api';
import { onMounted, ref } from 'vue';
import { api } from '../api/client.ts';
import { useJobs } from '../stores/jobs.ts';
import { useNotices } from '../stores/notices.ts';
import { counted } from '../words/numbers.ts';

/** What was handed over before, with its files, each at an address that stays. */
const jobs = useJobs();
const notices = useNotices();
const extracts = ref<ExtractInfo[] | null>(null);
const going = ref<string | null>(null);

async function load(): Promise<void> {
  try {
    extracts.value = await api.extracts();
  } catch (error) {
    notices.complain(error);
  }
}
onMounted(load);

async function again({ id, title }: ExtractInfo): Promise<void> {
  try {
    const job = await jobs.follow(await api.extractAgain(id));
    if (job.state === 'cancelled') notices.say('Cancelled; nothing was written.');
    if (job.state !== 'done') return;
    await load();
    const differences = job.result?.extract?.again?.differences ?? [];
    notices.say(
      differences.length === 0
        ? `${title}: the same again, value by value.`
        : `${title}: made again, and it differs: ${differences.join('; ')}.`,
    );
  } catch (error) {
    notices.complain(error);
  }
}
async function copyLink(extract: ExtractInfo): Promise<void> {
  try {
    await navigator.clipboard.writeText(new URL(api.extractFile(extract.id, extract.files[0].name), location.href).href);
    notices.say('The link is on the clipboard. It stays as long as the extract does.');
  } catch (error) {
    notices.complain(error);
  }
}
async function remove({ id }: ExtractInfo): Promise<void> {
  if (going.value !== id) return void (going.value = id);
  try {
    await api.removeExtract(id);
    await load();
  } catch (error) {
    notices.complain(error);
  }
  going.value = null;
}
const size = (bytes: number) => (bytes < 1e5 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`);
const when = (iso: string) =>
  `${dayInWords(iso.slice(0, 10))}, ${new Date(iso).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}`;
const kind = (name: string) =>
  ({ html: 'note', md: 'note as Markdown', json: 'note as JSON' })[/\.note\.(\w+)$/.exec(name)?.[1] ?? ''] ?? name;
</script>

<template>
  <div class="history" data-test="history">
    <p v-if="extracts === null" class="soft">Looking for what was handed over …</p>
    <p v-else-if="extracts.length === 0" class="soft">
      Nothing was handed over yet. Each extract stands here with its files, its note and a link that stays.
    </p>
    <ul v-else>
      <li v-for="extract in extracts" :key="extract.id" data-test="past-extract">
        <div class="what">
          <b>{{ extract.title }}</b>
          <span class="soft">{{ when(extract.madeAt) }} · {{ counted(extract.features) }} of {{ counted(extract.of) }} features</span>
          <span v-if="extract.again" :class="extract.again.differences.length > 0 ? 'warn' : 'same'" data-test="again-says">{{
            extract.again.differences.length === 0
              ? 'The same again as the one that it repeats'
              : `Differs from the one that it repeats: ${extract.again.differences.join('; ')}`
          }}</span>
        </div>
        <div class="files">
          <a
            v-for="(file, f) in extract.files"
            :key="file.name"
            :href="api.extractFile(extract.id, file.name)"
            :target="file.name.endsWith('.html') ? '_blank' : undefined"
            :title="`SHA-256 ${file.sha256}`"
            >{{ f === 0 ? file.name : kind(file.name) }}<span v-if="f === 0" class="soft size">{{ size(file.bytes) }}</span></a
          >
        </div>
        <div class="do">
          <v-btn variant="text" :prepend-icon="mdiReplay" data-test="again" @click="again(extract)">Run again</v-btn>
          <v-btn variant="text" :prepend-icon="mdiLinkVariant" @click="copyLink(extract)">Copy link</v-btn>
          <v-btn
            variant="text"
            :prepend-icon="mdiDelete"
            :color="going === extract.id ? 'error' : undefined"
            data-test="delete-extract"
            @blur="going = null"
            @click="remove(extract)"
            >{{ going === extract.id ? 'Delete its files?' : 'Delete' }}</v-btn
          >
        </div>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.history {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 2px 16px;
  padding: 10px 4px;
  border-bottom: 1px solid var(--line);
}
.what {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: baseline;
}
.what b {
  font-size: 15px;
}
.files {
  display: flex;
  flex-wrap: wrap;
  grid-column: 1;
  gap: 2px 16px;
}
.files a {
  color: var(--spruce);
}
.size {
  display: inline-block;
  margin-left: 6px;
}
.do {
  grid-row: 1 / 3;
  grid-column: 2;
  align-self: center;
}
.warn {
  color: var(--copper-text);
  font-weight: 600;
}
.same {
  color: var(--spruce);
}
</style>
