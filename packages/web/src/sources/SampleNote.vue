<script setup lang="ts">
import { computed } from 'vue';
import { useWorkspace } from '../stores/workspace.ts';
import { isSample } from './state.ts';

/** Says of numbers beside it that they are those of a sample, where only a sample of the open source is held. */
const workspace = useWorkspace();
const shown = computed(() => workspace.activeSource !== null && isSample(workspace.activeSource));
</script>

<template>
  <span v-if="shown" class="sample" title="Counted in the sample that is held, not in all that there is">of the sample</span>
</template>

<style scoped>
.sample {
  flex: none;
  align-self: center;
  padding: 0 7px;
  border: 1px dashed var(--copper);
  border-radius: 9px;
  color: var(--copper-text);
  font-size: 12.5px;
  white-space: nowrap;
}
</style>
