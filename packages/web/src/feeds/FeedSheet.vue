<script setup lang="ts">
import { mdiContentCopy } from '@mdi/js';
import { dayInWords } from '@clean-sieve/core';
import type { SieveInfo } from '@clean-sieve/server/api';
import { computed, ref } from 'vue';
import { api } from '../api/client.ts';
import { isSample } from '../sources/state.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';

/** A sieve published at links that other programs can read, switched on and off here. */
const props = defineProps<{ sieve: SieveInfo | null }>();
const open = defineModel<boolean>({ required: true });
const workspace = useWorkspace();
const notices = useNotices();
const busy = ref(false);
const feeds = computed(() => workspace.feeds.filter(({ sieveId }) => sieveId === props.sieve?.id));
const source = computed(() => workspace.sources.find(({ id }) => id === props.sieve?.sourceId));
const sampled = computed(() => source.value !== undefined && isSample(source.value));
const addressOf = (id: string) => `${workspace.feedsAt ?? location.origin}/feeds/${id}`;

async function work(task: () => Promise<unknown>, done: string): Promise<void> {
  busy.value = true;
  try {
    await task();
    await workspace.load();
    notices.say(done);
  } catch (error) {
    notices.complain(error);
  } finally {
    busy.value = false;
  }
}
const publish = (frozen: boolean) => work(() => api.publish(props.sieve!.id, frozen), 'The feed is on.');
const unpublish = (id: string) => work(() => api.unpublish(id), 'The feed is off; its link leads nowhere now.');
const copy = (id: string) => work(() => navigator.clipboard.writeText(addressOf(id)), 'The link is on the clipboard.');
</script>

<template>
  <v-dialog v-model="open" width="620">
    <v-card v-if="sieve" class="dialog" data-test="feed-sheet">
      <h3>{{ workspace.nameOf(sieve) }} as a feed</h3>
      <p class="soft">
        A link for other programs: OGC API – Features as GeoJSON and pages, filtered, in pages and other systems, and vector tiles. Who has
        the link can read what is kept, with the columns that are not hidden; nothing else.
        {{ workspace.feedsAt ? '' : 'It works on this machine; start with --feeds ADDRESS:PORT to let others on the network reach it.' }}
      </p>
      <ul v-if="feeds.length > 0">
        <li v-for="feed in feeds" :key="feed.id" data-test="feed">
          <div>
            <b>{{ feed.frozen ? `Frozen on ${dayInWords(feed.madeAt.slice(0, 10))}` : 'Live' }}</b>
            <span class="soft">{{ feed.frozen ? ' · it keeps what was kept then' : ' · it follows the sieve and its source' }}</span>
          </div>
          <a class="mono" :href="`${addressOf(feed.id)}?f=html`" target="_blank">{{ addressOf(feed.id) }}</a>
          <div class="do">
            <v-btn variant="text" :prepend-icon="mdiContentCopy" @click="copy(feed.id)">Copy link</v-btn>
            <v-btn variant="text" color="error" :disabled="busy" data-test="feed-off" @click="unpublish(feed.id)">Switch off</v-btn>
          </div>
        </li>
      </ul>
      <p v-else-if="!sampled">It is not published.</p>
      <p v-if="sampled" data-test="no-feed">
        Of {{ source!.name }} only a sample is held, and a feed needs all of it: ask for less, so that all of it can be held, or hand over
        what is kept as a new source and publish that.
      </p>
      <div class="buttons">
        <v-btn variant="text" @click="open = false">Close</v-btn>
        <v-btn variant="tonal" :disabled="busy || sampled" data-test="publish-frozen" @click="publish(true)">Publish as it is now</v-btn>
        <v-btn
          color="primary"
          :disabled="busy || sampled || feeds.some(({ frozen }) => !frozen)"
          data-test="publish-live"
          @click="publish(false)"
          >Publish live</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  gap: 2px;
  padding: 8px 0;
  border-top: 1px solid var(--line);
}
li:last-child {
  border-bottom: 1px solid var(--line);
}
a {
  overflow-wrap: anywhere;
  color: var(--spruce);
  font-size: 12.5px;
}
.do {
  display: flex;
  margin-left: -12px;
}
</style>
