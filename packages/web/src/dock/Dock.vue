<script setup lang="ts">
import { mdiChevronDown, mdiChevronUp } from '@mdi/js';
import { computed, reactive, ref } from 'vue';
import { useWorkspace } from '../stores/workspace.ts';
import PicksMenu from './PicksMenu.vue';
import { DOCK_TABS } from './tabs.ts';

const workspace = useWorkspace();

const open = ref(DOCK_TABS[0].key);
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
function onMove(event: PointerEvent): void {
  height.value = Math.max(90, Math.min(window.innerHeight - 260, startHeight + startY - event.clientY));
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
    <div class="grip" aria-hidden="true" @pointerdown="grab" />
    <div class="tabs" role="tablist">
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
      <PicksMenu />
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
.tabs {
  display: flex;
  align-items: stretch;
  gap: 4px;
  height: 34px;
  flex: none;
  padding: 0 8px 0 6px;
  border-bottom: 1px solid var(--line);
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
