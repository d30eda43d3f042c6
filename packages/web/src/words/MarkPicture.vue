<script setup lang="ts">
import { SHAPE_PATHS, type Shape } from './palette.ts';

/** A mark as the map has it; `off`: only its outline. */
withDefaults(defineProps<{ mark: { colour: string; shape: Shape }; size?: number; off?: boolean }>(), { size: 14, off: false });
</script>

<template>
  <svg class="mark" :width="size" :height="size" viewBox="-1.25 -1.25 2.5 2.5" aria-hidden="true">
    <path :d="SHAPE_PATHS[mark.shape]" :fill="off ? 'none' : mark.colour" :stroke="mark.colour" stroke-width="0.2" fill-rule="evenodd" />
  </svg>
</template>

<style scoped>
.mark {
  flex: none;
}
</style>
