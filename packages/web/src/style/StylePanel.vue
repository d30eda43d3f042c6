<script setup lang="ts">
import { mdiClose } from '@mdi/js';
import type { Style } from '@clean-sieve/core';
import { computed, ref } from 'vue';
import { mainKind } from '../map/passes.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { useStyles } from '../stores/styles.ts';
import { useViews } from '../stores/views.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted } from '../words/numbers.ts';
import { askFirstClasses, askFirstSteps, askFirstValues } from './ask_first_classes.ts';
import { styled } from './first_style.ts';
import StepClasses from './StepClasses.vue';
import ValueClasses from './ValueClasses.vue';

/** How the active sieve, or the source as a whole, is drawn. */
const workspace = useWorkspace();
const styles = useStyles();
const notices = useNotices();
const busy = ref(false);
const show = useMapShow();
const views = useViews();
const told = computed(() =>
  workspace.activeSource!.columns.filter(({ hidden }) => !hidden).map((one) => ({ value: one.name, title: labelOf(one) })),
);

/** What points can be as large as, and lines as wide as; nothing where there are only areas. */
const numbers = computed(() => {
  const { columns: all, geometryTypes } = workspace.activeSource!;
  if (!Object.keys(geometryTypes).some((type) => /Point|Line/.test(type))) return [];
  return all.filter(({ hidden, type }) => !hidden && type === 'number').map((one) => ({ value: one.name, title: labelOf(one) }));
});

const ONE = '';
const columns = computed(() => [
  { value: ONE, title: 'one colour' },
  ...workspace.activeSource!.columns.filter(({ hidden }) => !hidden).map((column) => ({ value: column.name, title: labelOf(column) })),
]);
const classing = computed(() => styles.style.classing);
const column = computed(() => workspace.activeSource!.columns.find(({ name }) => name === classing.value?.column) ?? null);

/** But for its classes nothing of it differs from how everything is drawn at first. */
const isPlain = computed(() => styles.style.opacity === 1 && (styles.style.size ?? 1) === 1 && !styles.style.label && !styles.style.sizeBy);

async function by(name: string): Promise<void> {
  const source = workspace.activeSource!;
  const chosen = source.columns.find((one) => one.name === name);
  if (!chosen) return styles.change(isPlain.value ? null : styled(null, styles.style));
  busy.value = true;
  try {
    await styles.change(styled(await askFirstClasses(source.id, chosen), styles.style));
  } catch (error) {
    notices.complain(error);
  }
  busy.value = false;
}

/** Values and steps of a number are both ways to draw it. */
const canBeBoth = computed(() => column.value?.type === 'number' && column.value.distinct <= 64);
async function switchTo(kind: 'values' | 'steps'): Promise<void> {
  if (!column.value || classing.value?.kind === kind) return;
  const { id } = workspace.activeSource!;
  const asked = kind === 'values' ? askFirstValues(id, column.value) : askFirstSteps(id, column.value);
  await styles.change(styled(await asked, styles.style));
}

const others = computed(() =>
  workspace.sieves
    .filter(({ id, sourceId, style }) => style && id !== workspace.activeSieveId && sourceId === workspace.activeSource?.id)
    .map((sieve) => ({ title: workspace.nameOf(sieve), style: sieve.style })),
);
const set = (change: Partial<Style>, key?: string) => void styles.change({ ...styles.style, ...change }, key);
</script>

<template>
  <aside class="panel" aria-label="How it is drawn" data-test="style-panel" @keydown.esc="styles.open = false">
    <header>
      <h2>How it is drawn</h2>
      <button class="plain" type="button" aria-label="Close" @click="styles.open = false"><v-icon :icon="mdiClose" size="18" /></button>
    </header>
    <v-autocomplete
      :model-value="classing?.column ?? ONE"
      :items="columns"
      :loading="busy"
      label="Colour by"
      data-test="colour-by"
      @update:model-value="(name: string | null) => by(name ?? ONE)"
    />
    <v-btn-toggle
      v-if="canBeBoth && classing"
      :model-value="classing.kind"
      mandatory
      density="compact"
      variant="outlined"
      divided
      @update:model-value="switchTo"
    >
      <v-btn value="values" size="small">each value</v-btn>
      <v-btn value="steps" size="small">steps</v-btn>
    </v-btn-toggle>
    <ValueClasses
      v-if="classing?.kind === 'values' && column"
      :classing="classing"
      :column="column"
      @change="(next) => set({ classing: next })"
    />
    <StepClasses
      v-else-if="classing?.kind === 'steps' && column"
      :classing="classing"
      :column="column"
      @change="(next, key) => set({ classing: next, hidden: [] }, key)"
    />
    <label class="slider"
      >Opacity
      <input
        type="range"
        min="0.1"
        max="1"
        step="0.05"
        :value="styles.style.opacity"
        @input="set({ opacity: Number(($event.target as HTMLInputElement).value) }, 'opacity')"
      />
    </label>
    <label class="slider"
      >Size
      <input
        type="range"
        min="0.25"
        max="4"
        step="0.25"
        :value="styles.style.size ?? 1"
        data-test="size"
        @input="set({ size: Number(($event.target as HTMLInputElement).value) }, 'size')"
      />
    </label>
    <v-autocomplete
      v-if="numbers.length > 0"
      :model-value="styles.style.sizeBy ?? ONE"
      :items="[{ value: ONE, title: 'all alike' }, ...numbers]"
      :label="mainKind(workspace.activeSource!) === 'LineString' ? 'Lines as wide as' : 'Points as large as'"
      data-test="size-by"
      @update:model-value="(name: string | null) => set({ sizeBy: name === ONE ? null : name })"
    />
    <v-autocomplete
      :model-value="styles.style.label ?? ONE"
      :items="[{ value: ONE, title: 'nothing' }, ...told]"
      label="Write beside each"
      :hint="
        styles.style.label && show.labelled[1] > show.labelled[0]
          ? `${counted(show.labelled[0])} of ${counted(show.labelled[1])} in view; zoom in for more`
          : undefined
      "
      :persistent-hint="true"
      data-test="label"
      @update:model-value="(name: string | null) => set({ label: name === ONE ? null : name })"
    />
    <v-autocomplete
      :model-value="views.view.hover ?? []"
      :items="told"
      label="A resting pointer tells"
      placeholder="what colours and conditions are about"
      persistent-placeholder
      multiple
      chips
      closable-chips
      data-test="hover-columns"
      @update:model-value="(names: string[]) => views.change({ hover: names.length > 0 ? names : null }, 'what a pointer tells')"
    />
    <v-menu v-if="others.length > 0">
      <template #activator="{ props: menu }">
        <button v-bind="menu" class="plain link" type="button" data-test="copy-style">Take the style of another sieve</button>
      </template>
      <v-list density="compact">
        <v-list-item v-for="other in others" :key="other.title" :title="other.title" @click="styles.change(other.style)" />
      </v-list>
    </v-menu>
  </aside>
</template>

<style scoped>
.panel {
  position: absolute;
  right: 12px;
  top: 12px;
  z-index: 2;
  width: 316px;
  max-height: calc(100% - 24px);
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding: 12px;
  border-radius: 14px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
}
header {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
h2 {
  margin: 0;
  font-size: 15px;
}
.link {
  align-self: flex-start;
}
.slider {
  display: flex;
  align-items: center;
  gap: 12px;
}
.slider input {
  flex: 1;
  accent-color: var(--spruce);
}
</style>
