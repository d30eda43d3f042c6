<script setup lang="ts">
import type { BinBar } from './bin_bar.ts';

defineProps<{ bars: readonly BinBar[]; foot: number }>();
</script>

<template>
  <g aria-hidden="true">
    <g v-for="(bar, i) in bars" :key="i">
      <rect class="all" :x="bar.x" :y="bar.all" :width="bar.width" :height="foot - bar.all" />
      <rect class="kept" :x="bar.x" :y="bar.kept" :width="bar.width" :height="foot - bar.kept" />
      <rect v-if="bar.picked !== null" class="picked" :x="bar.x" :y="bar.picked" :width="bar.width / 2" :height="foot - bar.picked" />
    </g>
  </g>
</template>

<style scoped>
.all {
  fill: var(--line);
}
.kept {
  fill: var(--spruce-2);
}
.picked {
  fill: var(--violet);
}
</style>
