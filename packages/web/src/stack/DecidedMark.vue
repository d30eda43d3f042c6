<script setup lang="ts">
import type { DecidedBy } from '@clean-sieve/core';
import { computed } from 'vue';
import { whereDecided } from '../import/service_words.ts';

/** Where a condition is decided: by who holds the features, here, or both. */
const props = defineProps<{ by: DecidedBy; kind: 'service' | 'database' }>();
const said = computed(() => whereDecided(props.by, props.kind));
</script>

<template>
  <span class="by" :class="by" :title="said.words">{{ said.mark }}</span>
</template>

<style scoped>
.by {
  flex: none;
  padding: 0 7px;
  border: 1px solid var(--line);
  border-radius: 9px;
  font-size: 12.5px;
  text-align: center;
}
.by.there {
  border-color: var(--spruce);
}
.by.here {
  border-style: dashed;
}
</style>
