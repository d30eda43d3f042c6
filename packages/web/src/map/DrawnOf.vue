<script setup lang="ts">
import { computed } from 'vue';
import { useWholeMap } from '../stores/whole_map.ts';
import SampleNote from '../sources/SampleNote.vue';
import { hasAnswer, isSample } from '../sources/state.ts';
import { useWorkspace } from '../stores/workspace.ts';

/** Of a source of which a sample is held: whether the map shows that, or all that is kept in view, and why not. */
const workspace = useWorkspace();
const whole = useWholeMap();
const sampled = computed(() => {
  const { activeSource } = workspace;
  return activeSource !== null && isSample(activeSource) && hasAnswer(activeSource);
});
</script>

<template>
  <p v-if="sampled" class="drawn" role="status" data-test="drawn-of">
    <span v-if="whole.ofAll !== null" class="all" title="Asked of the database for the part of the map that is in view">{{
      whole.drawn ? 'all in view' : 'asking for all in view …'
    }}</span>
    <template v-else>
      <SampleNote />
      <template v-if="whole.trouble">
        <span class="why" :title="whole.trouble">{{ whole.trouble }}</span>
        <button class="plain link" type="button" data-test="draw-again" @click="whole.again">ask again</button>
      </template>
    </template>
  </p>
</template>

<style scoped>
.drawn {
  position: absolute;
  left: 50%;
  bottom: 7px;
  display: flex;
  gap: 8px;
  max-width: 46%;
  margin: 0;
  padding: 1px;
  border-radius: 10px;
  background: var(--surface);
  transform: translateX(-50%);
  font-size: 12.5px;
}
.all {
  padding: 0 8px;
  border: 1px solid var(--spruce);
  border-radius: 9px;
  color: var(--spruce);
}
.why {
  overflow: hidden;
  color: var(--soft);
  text-overflow: ellipsis;
  white-space: nowrap;
}
.link {
  flex: none;
  padding-right: 8px;
}
</style>
