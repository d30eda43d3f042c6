<script setup lang="ts">
import { mdiChevronDown, mdiChevronUp } from '@mdi/js';
import { storeToRefs } from 'pinia';
import { computed, defineAsyncComponent, reactive, ref } from 'vue';
import SampleNote from '../sources/SampleNote.vue';
import { usePicks } from '../stores/picks.ts';
import { useViews } from '../stores/views.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { DOCK_TABS } from './tabs.ts';

const PicksMenu = defineAsyncComponent(() => import('./PicksMenu.vue'));
const workspace = useWorkspace();
const picks = usePicks();

const { tab: open } = storeToRefs(useViews());
const folded = ref(false);
const height = ref(232);
/** What each tab says that it shows. */
const states = reactive(new Map<string, string>());
const state = computed(() => (workspace.activeSource ? (states.get(open.value) ?? '') : ''));
const there = computed(() => DOCK_TABS.filter(({ key, kept }) => kept || key === open.value));

function show(key: string): void {
  open.value = key;
  folded.value = false;
}

let startY = 0;
let startHeight = 0;
const highest = (): number => Math.max(90, window.innerHeight - 260);
function setHeight(wanted: number): void {
  height.value = Math.max(90, Math.min(highest(), wanted));
}
function onMove(event: PointerEvent): void {
  setHeight(startHeight + startY - event.clientY);
}
function onUp(): void {
  window.removeEventListener('pointermove', onMove);
  window.removeEventListener('pointerup', onUp);
}
function grab(event: PointerEvent): void {
  startY = event.clientY;
  startHeight = height.value;
  event.preventDefault();
  window.addEventListener('pointermove', onMove);
  window.addEventListener('pointerup', onUp);
}
</script>

<template>
  <section class="dock" aria-label="Table, charts and text" :style="{ height: folded ? '35px' : `${height}px` }">
    <div
      class="grip"
      role="separator"
      tabindex="0"
      aria-orientation="horizontal"
      aria-label="Height of what is below the map"
      :aria-valuenow="Math.round(height)"
      aria-valuemin="90"
      :aria-valuemax="highest()"
      @pointerdown="grab"
      @keydown.up.prevent="setHeight(height + 24)"
      @keydown.down.prevent="setHeight(height - 24)"
    />
    <div class="tabs">
      <div class="list" data-part="dock" role="tablist" aria-label="Below the map">
        <button
          v-for="{ key, title } of DOCK_TABS"
          :key="key"
          type="button"
          role="tab"
          :aria-selected="open === key"
          :class="{ on: open === key }"
          :disabled="!workspace.activeSource"
          :data-test="`${key}-tab`"
          @click="show(key)"
        >
          {{ title }}
        </button>
      </div>
      <PicksMenu v-if="picks.keys.size > 0" />
      <SampleNote v-if="open !== 'text'" />
      <span class="side soft" data-test="table-state">{{ state }}</span>
      <button type="button" class="fold" :aria-label="folded ? 'Unfold' : 'Fold away'" @click="folded = !folded">
        <v-icon :icon="folded ? mdiChevronUp : mdiChevronDown" size="20" />
      </button>
    </div>
    <template v-if="!folded && workspace.activeSource">
      <component
        :is="component"
        v-for="{ key, component, anySource } of there"
        v-show="key === open"
        :key="anySource ? key : `${key} ${workspace.activeSource.id}`"
        @state="(text: string) => states.set(key, text)"
      />
    </template>
  </section>
</template>

<style scoped>
.dock {
  position: relative;
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--surface);
  border-top: 1px solid var(--line);
}
.grip {
  position: absolute;
  top: -4px;
  left: 0;
  right: 0;
  height: 8px;
  cursor: ns-resize;
  z-index: 5;
}
.grip:focus-visible {
  background: var(--copper);
}
.tabs {
  display: flex;
  align-items: stretch;
  gap: 4px;
  height: 34px;
  flex: none;
  padding: 0 8px 0 6px;
  border-bottom: 1px solid var(--line);
}
.list {
  display: flex;
  gap: 4px;
}
.tabs button {
  padding: 0 9px;
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
.side {
  margin-left: auto;
  align-self: center;
}
.fold {
  padding: 0 4px !important;
}
</style>
