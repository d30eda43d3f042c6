<script setup lang="ts">
import { mdiHelpCircleOutline, mdiMagnify, mdiRedoVariant, mdiThemeLightDark, mdiUndoVariant } from '@mdi/js';
import { dayInWords } from '@clean-sieve/core';
import { computed, onBeforeUnmount, onMounted, ref } from 'vue';
import { useHelp } from '../stores/help.ts';
import { useHistory } from '../stores/history.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { useThemeSwitch } from './theme_switch.ts';

const workspace = useWorkspace();
const history = useHistory();
const notices = useNotices();
const help = useHelp();
const theme = useThemeSwitch();
const asOfOpen = ref(false);

theme.restore();

const asOfText = computed(() => (workspace.loaded ? dayInWords(workspace.asOf ?? workspace.today) : ''));

async function attempt(action: () => Promise<void>): Promise<void> {
  try {
    await action();
  } catch (error) {
    notices.complain(error);
  }
}

/** Find, help, undo and redo from the keyboard, except where a field has its own. */
function onKey(event: KeyboardEvent): void {
  const inField =
    event.target instanceof HTMLElement &&
    (event.target.isContentEditable || (event.target.matches('input, textarea') && !event.target.matches('[type=checkbox], [type=radio]')));
  const key = event.key.toLowerCase();
  if (workspace.loaded && key === 'k' && (event.ctrlKey || event.metaKey)) {
    event.preventDefault();
    help.finding = true;
    return;
  }
  if (key === 'f1' || (key === '?' && !inField)) {
    event.preventDefault();
    help.show();
    return;
  }
  if (!(event.ctrlKey || event.metaKey) || inField) return;
  if (key === 'z') void attempt(event.shiftKey ? history.redo : history.undo);
  else if (key === 'y') void attempt(history.redo);
  else return;
  event.preventDefault();
}
onMounted(() => window.addEventListener('keydown', onKey));
onBeforeUnmount(() => window.removeEventListener('keydown', onKey));
</script>

<template>
  <header class="bar">
    <svg width="24" height="24" viewBox="0 0 24 24" aria-hidden="true">
      <g stroke="currentColor" stroke-width="2" stroke-dasharray="2.6 1.8">
        <path d="M3 6h18M6 11h12M9 16h6" />
      </g>
      <circle cx="12" cy="20.5" r="1.9" fill="#e08a4f" />
    </svg>
    <b class="brand">Clean Sieve</b>
    <span class="divider" />
    <span class="workspace">{{ workspace.name }}</span>
    <span class="grow" />
    <button v-if="workspace.loaded" type="button" class="pill find" data-test="find-anything" @click="help.finding = true">
      <v-icon :icon="mdiMagnify" size="17" /> Find <span class="key">Ctrl K</span>
    </button>
    <v-menu v-model="asOfOpen" :close-on-content-click="false">
      <template #activator="{ props: menu }">
        <button v-if="workspace.loaded" type="button" class="pill" v-bind="menu" data-test="as-of">
          As of {{ asOfText }}<template v-if="workspace.asOf === null">, today</template>
        </button>
      </template>
      <v-card class="as-of" width="292">
        <p class="soft">Relative dates such as “the last 30 days” count from this day.</p>
        <label
          ><input type="radio" name="as-of" :checked="workspace.asOf === null" @change="workspace.setAsOf(null)" /> Today, whenever that
          is</label
        >
        <label
          ><input type="radio" name="as-of" :checked="workspace.asOf !== null" @change="workspace.setAsOf(workspace.today)" /> A fixed
          day</label
        >
        <v-text-field
          v-if="workspace.asOf !== null"
          :model-value="workspace.asOf"
          type="date"
          aria-label="As-of date"
          @update:model-value="(day: string) => /^\d{4}-\d\d-\d\d$/.test(day) && workspace.setAsOf(day)"
        />
      </v-card>
    </v-menu>
    <button type="button" class="round" :disabled="history.undoLabel === null" aria-label="Undo" @click="attempt(history.undo)">
      <v-icon :icon="mdiUndoVariant" size="20" />
      <v-tooltip activator="parent" location="bottom" :text="`Undo: ${history.undoLabel ?? 'nothing yet'} (Ctrl Z)`" />
    </button>
    <button type="button" class="round" :disabled="history.redoLabel === null" aria-label="Redo" @click="attempt(history.redo)">
      <v-icon :icon="mdiRedoVariant" size="20" />
      <v-tooltip activator="parent" location="bottom" :text="`Redo: ${history.redoLabel ?? 'nothing'} (Ctrl Y)`" />
    </button>
    <button type="button" class="round" :aria-label="theme.dark.value ? 'Light colours' : 'Dark colours'" @click="theme.toggle">
      <v-icon :icon="mdiThemeLightDark" size="19" />
      <v-tooltip activator="parent" location="bottom" :text="theme.dark.value ? 'Light colours' : 'Dark colours'" />
    </button>
    <button type="button" class="round" aria-label="Help and keys" data-test="help-button" @click="help.show()">
      <v-icon :icon="mdiHelpCircleOutline" size="19" />
      <v-tooltip activator="parent" location="bottom" text="Help and keys (?)" />
    </button>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 12px 0 14px;
  background: var(--bar);
  color: var(--bar-ink);
}
@media (max-width: 760px) {
  .workspace,
  .divider,
  .find .key {
    display: none;
  }
}
.brand {
  font-size: 16px;
  white-space: nowrap;
}
.divider {
  width: 1px;
  height: 18px;
  margin: 0 6px;
  background: currentColor;
  opacity: 0.3;
}
.workspace {
  opacity: 0.9;
}
.find {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
.key {
  opacity: 0.9;
  font-size: 12px;
}
.grow {
  flex: 1;
}
.pill {
  padding: 3px 13px;
  border: 1px solid rgba(255, 255, 255, 0.45);
  border-radius: 14px;
  background: none;
  color: inherit;
  font: inherit;
  cursor: pointer;
}
.pill:hover {
  background: rgba(255, 255, 255, 0.1);
}
.round {
  display: grid;
  place-items: center;
  width: 32px;
  height: 32px;
  border: 0;
  border-radius: 16px;
  background: none;
  color: inherit;
  cursor: pointer;
}
.round:hover:not(:disabled) {
  background: rgba(255, 255, 255, 0.12);
}
.round:disabled {
  opacity: 0.4;
  cursor: default;
}
.bar :focus-visible {
  outline-color: #fffdf7;
}
.as-of {
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 12px 14px 14px;
}
.as-of p {
  margin: 0;
}
.as-of input[type='radio'] {
  accent-color: var(--spruce);
}
</style>
