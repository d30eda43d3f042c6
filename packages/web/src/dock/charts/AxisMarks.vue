<script setup lang="ts">
import { axisBottom, axisLeft, select, type AxisScale, type NumberValue } from 'd3';
import { onMounted, ref, watch } from 'vue';

/** The marks along an axis, below (or left of) a chart. */
const props = defineProps<{ scale: AxisScale<NumberValue>; ticks: number; left?: boolean }>();
const group = ref<SVGGElement>();
function draw(): void {
  if (!group.value) return;
  const axis = (props.left ? axisLeft : axisBottom)(props.scale).ticks(props.ticks).tickSizeOuter(0).tickSize(4);
  axis(select(group.value));
}
onMounted(draw);
watch(() => [props.scale, props.ticks], draw);
</script>

<template>
  <g ref="group" class="axis" aria-hidden="true" />
</template>

<style scoped>
.axis :deep(text) {
  font-family: var(--sans);
  font-size: 11.5px;
  fill: var(--soft);
}
.axis :deep(path),
.axis :deep(line) {
  stroke: var(--line);
}
</style>
