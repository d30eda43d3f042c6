<script setup lang="ts">
import { mdiMagnify } from '@mdi/js';
import { computed, nextTick, onMounted, ref, watch } from 'vue';
import { useHelp } from '../stores/help.ts';
import { useNotices } from '../stores/notices.ts';
import { plural } from '../words/numbers.ts';
import type { Found } from './found.ts';
import { useFind } from './use_find.ts';

/** One field that finds all that has a name; arrow keys go through what was found, Enter chooses. */
const help = useHelp();
const notices = useNotices();
const { text, groups, busy, unsearched } = useFind();
const all = computed<Found[]>(() => groups.value.flatMap(({ found }) => found));
const at = ref(0);
const field = ref<HTMLInputElement>();
onMounted(() => nextTick(() => field.value?.focus()));
watch(text, () => (at.value = 0));
const idOf = (number: number) => `found-${number}`;
const numberOf = (one: Found) => all.value.indexOf(one);

async function choose(one: Found | undefined): Promise<void> {
  if (!one) return;
  help.finding = false;
  try {
    await one.choose();
  } catch (error) {
    notices.complain(error);
  }
}
function move(by: number): void {
  at.value = Math.max(0, Math.min(all.value.length - 1, at.value + by));
  void nextTick(() => document.getElementById(idOf(at.value))?.scrollIntoView({ block: 'nearest' }));
}
</script>

<template>
  <v-dialog v-model="help.finding" width="620" location="top" aria-label="Find anything">
    <div class="find" data-test="find-dialog">
      <label class="line">
        <v-icon :icon="mdiMagnify" size="20" />
        <input
          ref="field"
          v-model="text"
          type="search"
          role="combobox"
          aria-label="Find a place, a feature, a column, a sieve or a command"
          placeholder="Find a place, coordinates, a feature, a column, a sieve, something to do"
          :aria-expanded="all.length > 0"
          aria-controls="found"
          :aria-activedescendant="all.length > 0 ? idOf(at) : undefined"
          data-test="find"
          @keydown.down.prevent="move(1)"
          @keydown.up.prevent="move(-1)"
          @keydown.enter.prevent="choose(all[at])"
          @keydown.esc="help.finding = false"
        />
      </label>
      <div v-if="text.trim() !== ''" id="found" class="found" role="listbox" aria-label="Found">
        <div v-for="group in groups" :key="group.title" role="group" :aria-label="group.title">
          <h2 aria-hidden="true">{{ group.title }}</h2>
          <div
            v-for="one in group.found"
            :id="idOf(numberOf(one))"
            :key="one.key"
            role="option"
            class="one"
            :class="{ on: numberOf(one) === at }"
            :aria-selected="numberOf(one) === at"
            data-test="found"
            @click="choose(one)"
            @pointermove="at = numberOf(one)"
          >
            <span>{{ one.text }}</span>
            <span class="soft">{{ one.aside }}</span>
          </div>
        </div>
        <p v-if="all.length === 0" class="soft none">{{ busy ? 'Looking …' : 'Nothing has this name.' }}</p>
        <p v-if="unsearched > 0" class="soft none">
          The texts of {{ plural(unsearched, 'more source') }} were not looked at; open one to search it.
        </p>
      </div>
      <p v-else class="soft none">
        Names of cities and of everything in the workspace, texts in all sources, coordinates as in 46.6012, -12.0954, grid references.
      </p>
    </div>
  </v-dialog>
</template>

<style scoped>
.find {
  display: flex;
  flex-direction: column;
  max-height: min(560px, 80vh);
  border-radius: 14px;
  background: var(--surface);
  color: var(--ink);
  box-shadow: var(--shadow);
  overflow: hidden;
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 12px 16px;
  border-bottom: 1px solid var(--line);
}
input {
  flex: 1;
  min-width: 0;
  border: 0;
  outline: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  font-size: 16px;
}
.found {
  overflow-y: auto;
  padding: 4px 8px 10px;
}
h2 {
  margin: 8px 8px 2px;
  color: var(--soft);
  font-size: 12.5px;
  font-weight: 600;
}
.one {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 5px 8px;
  border-radius: 8px;
  cursor: pointer;
}
.one span:first-child {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.one span:last-child {
  flex: none;
}
.one.on {
  background: var(--tint);
}
.none {
  margin: 0;
  padding: 12px 16px 16px;
}
</style>
