<script setup lang="ts">
import { mdiChevronLeft, mdiChevronRight } from '@mdi/js';
import { computed, nextTick, ref, watch } from 'vue';
import { has, type FeatureKey } from '@clean-sieve/core';
import { useFocus } from '../stores/focus.ts';
import { useSifting } from '../stores/sifting.ts';
import SampleNote from '../sources/SampleNote.vue';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';

/** All that lies where the map was clicked, each a step away. */
const workspace = useWorkspace();
const focus = useFocus();
const sifting = useSifting();
const list = ref<HTMLElement>();

const features = computed(() => {
  const found = focus.there?.features ?? [];
  const several = new Set(found.map(({ sourceId }) => sourceId)).size > 1;
  return found.map((one) => ({
    ...one,
    id: `${one.sourceId} ${one.key}`,
    sifted: isSifted(one.sourceId, one.key),
    of: several ? workspace.sources.find(({ id }) => id === one.sourceId)?.name : '',
  }));
});
const more = computed(() => focus.there?.more ?? 0);

/** Left out by the active sieve, as it is now. */
function isSifted(sourceId: number, key: FeatureKey): boolean {
  const mask = sifting.active?.mask;
  return sourceId === workspace.activeSource?.id && mask !== undefined && typeof key === 'number' && !has(mask, key);
}

function move(by: number): void {
  focus.turnTo(focus.place + by);
  void nextTick(() => list.value?.querySelector<HTMLElement>('[tabindex="0"]')?.focus());
}
watch(
  () => focus.place,
  () => void nextTick(() => list.value?.querySelector('[tabindex="0"]')?.scrollIntoView({ block: 'nearest' })),
);
</script>

<template>
  <section v-if="features.length + more > 1" class="lying" data-test="there" aria-label="What lies there">
    <header>
      <button class="plain" type="button" aria-label="The one before, at this place" @click="focus.turnTo(focus.place - 1)">
        <v-icon :icon="mdiChevronLeft" size="18" />
      </button>
      <span
        >{{ focus.place + 1 }} of {{ counted(features.length + more) }} here<template v-if="more > 0"
          >, {{ counted(features.length) }} listed</template
        ></span
      >
      <SampleNote />
      <button class="plain" type="button" aria-label="The next one, at this place" @click="focus.turnTo(focus.place + 1)">
        <v-icon :icon="mdiChevronRight" size="18" />
      </button>
    </header>
    <ul ref="list" role="listbox" aria-label="What lies there" @keydown.down.prevent="move(1)" @keydown.up.prevent="move(-1)">
      <li
        v-for="(one, i) in features"
        :key="one.id"
        role="option"
        data-test="lying"
        :aria-selected="i === focus.place"
        :tabindex="i === Math.max(0, focus.place) ? 0 : -1"
        @click="focus.turnTo(i)"
        @keydown.enter="focus.turnTo(i)"
      >
        <span class="name">{{ one.title }}</span>
        <span v-if="one.of" class="soft">{{ one.of }}</span>
        <span v-if="one.sifted" class="soft">sifted out</span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.lying {
  margin: 2px -6px 8px;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--line);
  font-size: 13px;
}
header {
  display: flex;
  align-items: center;
  gap: 4px;
  color: var(--soft);
}
header .plain {
  min-width: 24px;
  min-height: 24px;
}
ul {
  list-style: none;
  max-height: 132px;
  margin: 0;
  padding: 0;
  overflow: auto;
}
li {
  display: flex;
  align-items: baseline;
  gap: 8px;
  padding: 2px 8px;
  border-radius: 8px;
  cursor: pointer;
}
li:hover {
  background: var(--sunk);
}
li[aria-selected='true'] {
  background: var(--sunk);
  font-weight: 600;
}
.name {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
