<script setup lang="ts">
import type { Histogram } from '@clean-sieve/core';
import { computed } from 'vue';
import { counted, plural } from '../words/numbers.ts';

/** How the values of a column spread: a bar a bin, as high as the root of its count, so that few beside many are seen too. */
const props = defineProps<{ histogram: Histogram; label: string; offers?: boolean }>();
/** A bar was clicked: from the first value in it to the last, of whole numbers and days. */
const emit = defineEmits<{ stretch: [low: number, high: number] }>();

const [WIDTH, HEIGHT] = [600, 74];
const bars = computed(() => {
  const { low, high, all, whole } = props.histogram;
  if (high <= low) return [];
  const most = Math.max(...all);
  const step = (high - low) / all.length;
  return all.map((count, i) => ({
    count,
    height: count === 0 ? 0 : Math.max(1.5, Math.sqrt(count / most) * HEIGHT),
    low: low + i * step,
    high: low + (i + 1) * step - (whole ? 1 : 0),
  }));
});
</script>

<template>
  <svg
    v-if="bars.length > 0"
    class="bars"
    :class="{ offers }"
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    preserveAspectRatio="none"
    role="img"
    :aria-label="label"
  >
    <g v-for="(bar, i) in bars" :key="i" class="bar" @click="offers && bar.count > 0 && emit('stretch', bar.low, bar.high)">
      <title>{{ offers ? `${counted(bar.count)} features; click to make a condition` : plural(bar.count, 'feature') }}</title>
      <rect class="reach" :x="(i * WIDTH) / bars.length" y="0" :width="WIDTH / bars.length" :height="HEIGHT" />
      <rect class="fill" :x="(i * WIDTH) / bars.length" :y="HEIGHT - bar.height" :width="WIDTH / bars.length - 1" :height="bar.height" />
    </g>
  </svg>
</template>

<style scoped>
.bars {
  flex: none;
  width: 100%;
  height: 74px;
  border-bottom: 1px solid var(--line);
}
.offers .bar {
  cursor: pointer;
}
.reach {
  fill: transparent;
}
.fill {
  fill: var(--spruce-2);
}
.offers .bar:hover .fill {
  fill: var(--copper);
}
</style>
