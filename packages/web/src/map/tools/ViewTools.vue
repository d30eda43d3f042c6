<script setup lang="ts">
import { mdiArrowExpandAll, mdiEyeOffOutline, mdiEyeOutline, mdiMinus, mdiPlus } from '@mdi/js';
import { useMapShow } from '../../stores/map_show.ts';
import { useWorkspace } from '../../stores/workspace.ts';

const emit = defineEmits<{ fit: []; zoom: [step: number] }>();
const workspace = useWorkspace();
const show = useMapShow();
</script>

<template>
  <div class="view-tools">
    <button type="button" aria-label="Show all that is kept" :disabled="!workspace.activeSource" @click="emit('fit')">
      <v-icon :icon="mdiArrowExpandAll" size="18" />
      <v-tooltip activator="parent" location="right" text="Show all that is kept" />
    </button>
    <button
      type="button"
      :aria-label="show.sifted ? 'Hide what is sifted out' : 'Show what is sifted out'"
      :aria-pressed="show.sifted"
      @click="show.sifted = !show.sifted"
    >
      <v-icon :icon="show.sifted ? mdiEyeOutline : mdiEyeOffOutline" size="18" />
      <v-tooltip activator="parent" location="right" :text="show.sifted ? 'Hide what is sifted out' : 'Show what is sifted out'" />
    </button>
    <button type="button" aria-label="Zoom in" @click="emit('zoom', 1)"><v-icon :icon="mdiPlus" size="18" /></button>
    <button type="button" aria-label="Zoom out" @click="emit('zoom', -1)"><v-icon :icon="mdiMinus" size="18" /></button>
  </div>
</template>

<style scoped>
.view-tools {
  position: absolute;
  left: 12px;
  bottom: 40px;
  display: flex;
  flex-direction: column;
  padding: 3px;
  border-radius: 20px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
}
button {
  display: grid;
  place-items: center;
  width: 32px;
  height: 32px;
  border: 0;
  border-radius: 16px;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
button:hover {
  background: var(--sunk);
}
button:disabled {
  opacity: 0.4;
  cursor: default;
}
</style>
