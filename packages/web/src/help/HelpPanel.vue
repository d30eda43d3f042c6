<script setup lang="ts">
import { mdiClose } from '@mdi/js';
import { computed, ref, shallowRef, watch } from 'vue';
import { matching } from '../find/found.ts';
import { useHelp } from '../stores/help.ts';
import { useNotices } from '../stores/notices.ts';
import { helpPages, KEYS, type HelpPage } from './help_pages.ts';

/** The keys, and the documentation section by section, which a search answers from. */
const help = useHelp();
const notices = useNotices();
const pages = shallowRef<HelpPage[]>([]);
const asked = ref('');
/** Null: the keys. */
const chosen = shallowRef<HelpPage | null>(null);
watch(
  () => help.open,
  async (open) => {
    if (!open || pages.value.length > 0) return;
    try {
      pages.value = await helpPages();
    } catch (error) {
      notices.complain(error);
    }
  },
  { immediate: true },
);
const found = computed(() => (asked.value.trim() === '' ? pages.value : matching(pages.value, ({ text }) => text, asked.value)));
watch(found, (now) => {
  if (asked.value.trim() !== '') chosen.value = now[0] ?? null;
});
</script>

<template>
  <v-dialog v-model="help.open" width="920" aria-label="Help and keys">
    <div class="help side-by-side" data-test="help">
      <nav aria-label="Sections">
        <input v-model="asked" type="search" placeholder="Search the help" aria-label="Search the help" data-test="help-search" />
        <button type="button" class="plain" :class="{ on: chosen === null }" @click="chosen = null">Keys</button>
        <template v-for="(page, i) in found" :key="`${page.book} ${page.title} ${i}`">
          <h2 v-if="i === 0 || found[i - 1].book !== page.book">{{ page.book }}</h2>
          <button type="button" class="plain" :class="{ on: chosen === page }" @click="chosen = page">{{ page.title }}</button>
        </template>
        <p v-if="asked !== '' && found.length === 0" class="soft">No section has these words.</p>
      </nav>
      <article tabindex="0" :aria-label="chosen?.title ?? 'Keys'">
        <button type="button" class="plain close" aria-label="Close" @click="help.open = false">
          <v-icon :icon="mdiClose" size="19" />
        </button>
        <template v-if="chosen">
          <h1>{{ chosen.title }}</h1>
          <!-- eslint-disable-next-line vue/no-v-html -- the project's own documentation -->
          <div class="text" v-html="chosen.html" />
        </template>
        <template v-else>
          <h1>Keys</h1>
          <section v-for="{ where, keys } in KEYS" :key="where">
            <h2>{{ where }}</h2>
            <dl>
              <template v-for="[key, does] in keys" :key="key">
                <dt>{{ key }}</dt>
                <dd>{{ does }}</dd>
              </template>
            </dl>
          </section>
        </template>
      </article>
    </div>
  </v-dialog>
</template>

<style scoped>
.help {
  display: grid;
  grid-template-columns: 232px minmax(0, 1fr);
  height: min(640px, 86vh);
  border-radius: 14px;
  background: var(--surface);
  color: var(--ink);
  overflow: hidden;
}
nav {
  display: flex;
  flex-direction: column;
  gap: 1px;
  padding: 14px 10px;
  overflow-y: auto;
  background: var(--paper);
  border-right: 1px solid var(--line);
}
nav input {
  margin-bottom: 8px;
  padding: 5px 9px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: var(--surface);
  color: var(--ink);
  font: inherit;
}
nav h2 {
  margin: 10px 8px 2px;
  color: var(--soft);
  font-size: 12.5px;
}
nav button {
  flex: none;
  padding: 3px 8px;
  border-radius: 6px;
  text-align: left;
}
nav button.on {
  background: var(--tint);
}
article {
  position: relative;
  padding: 18px 26px;
  overflow-y: auto;
}
.close {
  position: absolute;
  top: 14px;
  right: 14px;
}
h1 {
  margin: 0 0 10px;
  font-size: 19px;
}
section h2 {
  margin: 12px 0 4px;
  font-size: 14px;
}
dl {
  display: grid;
  grid-template-columns: 230px 1fr;
  gap: 3px 16px;
  margin: 0;
}
dt {
  font-weight: 600;
}
dd {
  margin: 0;
}
.text :deep(table) {
  border-collapse: collapse;
  font-size: 13px;
}
.text :deep(th),
.text :deep(td) {
  padding: 4px 8px;
  border: 1px solid var(--line);
  text-align: left;
  vertical-align: top;
}
.text :deep(code),
.text :deep(pre) {
  font-family: var(--mono);
  font-size: 12.5px;
}
.text :deep(pre) {
  padding: 8px 12px;
  overflow-x: auto;
  background: var(--sunk);
  border-radius: 8px;
}
</style>
