<script setup lang="ts">
import { mdiArrowExpandAll, mdiEyeOffOutline, mdiEyeOutline, mdiMinus, mdiPlus } from '@mdi/js';
import { useMapShow } from '../../stores/map_show.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import ToolButton from './ToolButton.vue';

const emit = defineEmits<{ fit: []; zoom: [step: number] }>();
const workspace = useWorkspace();
const show = useMapShow();
</script>

<template>
  <div class="view-tools">
    <ToolButton
      :icon="mdiArrowExpandAll"
      label="Show all that is kept"
      side="right"
      :disabled="!workspace.activeSource"
      @click="emit('fit')"
    />
    <ToolButton
      :icon="show.sifted ? mdiEyeOutline : mdiEyeOffOutline"
      :label="show.sifted ? 'Hide what is sifted out' : 'Show what is sifted out'"
      side="right"
      @click="show.sifted = !show.sifted"
    />
    <ToolButton :icon="mdiPlus" label="Zoom in" side="right" @click="emit('zoom', 1)" />
    <ToolButton :icon="mdiMinus" label="Zoom out" side="right" @click="emit('zoom', -1)" />
  </div>
</template>

<style scoped>
.view-tools {
  display: flex;
  flex-direction: column;
}
</style>
