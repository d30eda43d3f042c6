<script setup lang="ts">
import { mdiChevronDown, mdiChevronUp } from '@mdi/js';
import { computed, defineAsyncComponent, ref } from 'vue';
import { useFocus } from '../stores/focus.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { plural } from '../words/numbers.ts';
import FeatureTable from './FeatureTable.vue';
import PicksMenu from './PicksMenu.vue';

const TimeChart = defineAsyncComponent(() => import('./TimeChart.vue'));

const FilterText = defineAsyncComponent(() => import('./text/FilterText.vue'));
const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();

type Tab = 'table' | 'time' | 'text';
const tab = ref<Tab>('table');
const folded = ref(false);
const height = ref(232);
const tableState = ref('');

const side = computed(() => {
  if (tab.value !== 'table' || !workspace.activeSource) return '';
  if (focus.nearMissesOf !== null)
    return `${plural(sifting.active?.head.nearMisses[focus.nearMissesOf] ?? 0, 'row')} that fail on one condition only${tableState.value}`;
  return sifting.kept === null ? '' : `${plural(sifting.kept, 'row')}${tableState.value}`;
});

function open(next: Tab): void {
  tab.value = next;
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
  <section class="dock" aria-label="Table, time and text" :style="{ height: folded ? '35px' : `${height}px` }">
    <div class="grip" aria-hidden="true" @pointerdown="grab" />
    <div class="tabs" role="tablist">
      <button type="button" role="tab" :aria-selected="tab === 'table'" :class="{ on: tab === 'table' }" @click="open('table')">
        Table
      </button>
      <button
        type="button"
        role="tab"
        :aria-selected="tab === 'time'"
        :class="{ on: tab === 'time' }"
        :disabled="!workspace.activeSource"
        data-test="time-tab"
        @click="open('time')"
      >
        Time
      </button>
      <button
        type="button"
        role="tab"
        :aria-selected="tab === 'text'"
        :class="{ on: tab === 'text' }"
        :disabled="!workspace.activeSource"
        data-test="text-tab"
        @click="open('text')"
      >
        Text
      </button>
      <PicksMenu />
      <span class="side soft" data-test="table-state">{{ side }}</span>
      <button type="button" class="fold" :aria-label="folded ? 'Unfold' : 'Fold away'" @click="folded = !folded">
        <v-icon :icon="folded ? mdiChevronUp : mdiChevronDown" size="20" />
      </button>
    </div>
    <template v-if="!folded && workspace.activeSource">
      <FeatureTable v-show="tab === 'table'" :key="workspace.activeSource.id" @state="(text) => (tableState = text)" />
      <TimeChart v-if="tab === 'time'" :key="workspace.activeSource.id" />
      <FilterText v-if="tab === 'text'" />
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
