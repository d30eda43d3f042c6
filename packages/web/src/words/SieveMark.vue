<script setup lang="ts">
import { computed } from 'vue';
import { PALETTE, SHAPE_PATHS } from './palette.ts';

const props = withDefaults(defineProps<{ colour: number; size?: number; off?: boolean }>(), { size: 14, off: false });
const entry = computed(() => PALETTE[props.colour]);
</script>

<template>
  <svg class="mark" :width="size" :height="size" viewBox="-1.25 -1.25 2.5 2.5" aria-hidden="true">
    <path :d="SHAPE_PATHS[entry.shape]" :fill="off ? 'none' : entry.colour" :stroke="entry.colour" stroke-width="0.2" fill-rule="evenodd" />
  </svg>
</template>

<style scoped>
.mark {
  flex: none;
}
</style>
