<script setup lang="ts">
import { ref } from 'vue';
import { useHistory } from '../../stores/history.ts';

/**
 * A window over part of an axis: drawn, moved and resized by dragging, and by the arrow keys on its two ends; a click beside it or
 * the delete key takes it away. Lengths in pixels of the picture that it lies in.
 */
const props = defineProps<{
  extent: readonly [number, number];
  top: number;
  bottom: number;
  /** Null where nothing is chosen. */
  span: readonly [number, number] | null;
  /** What the ends say to who cannot see them. */
  texts: readonly [string, string];
  label: string;
}>();
/** `nudge`: an end is moved by a step, 0 the lower one. `grown`: drawn with the shift key, so that it extends what is there. */
const emit = defineEmits<{ span: [span: [number, number], grown: boolean]; clear: []; nudge: [end: 0 | 1, by: 1 | -1] }>();
const history = useHistory();

const area = ref<SVGRectElement>();
let from: { at: number; span: readonly [number, number] | null; what: 'new' | 'move' | 0 | 1; grown: boolean } | null = null;
let moved = false;

function place(event: PointerEvent): number {
  const box = area.value!.getBoundingClientRect();
  const [low, high] = props.extent;
  return Math.max(low, Math.min(high, low + ((event.clientX - box.left) / box.width) * (high - low)));
}
function grab(what: 'new' | 'move' | 0 | 1, event: PointerEvent): void {
  if (event.button !== 0) return;
  from = { at: place(event), span: props.span, what: event.shiftKey ? 'new' : what, grown: event.shiftKey };
  moved = false;
  history.beginGesture();
  area.value!.setPointerCapture(event.pointerId);
}
function drag(event: PointerEvent): void {
  if (!from) return;
  const [at, [least, most]] = [place(event), props.extent];
  if (!moved && Math.abs(at - from.at) < 3) return;
  moved = true;
  const { what, span } = from;
  if (what === 'new' || !span) return emit('span', at < from.at ? [at, from.at] : [from.at, at], from.grown);
  if (what === 'move') {
    const by = Math.max(least - span[0], Math.min(most - span[1], at - from.at));
    return emit('span', [span[0] + by, span[1] + by], false);
  }
  const other = span[1 - what];
  emit('span', at < other ? [at, other] : [other, at], false);
}
function drop(): void {
  if (from && !moved && from.what === 'new') emit('clear');
  from = null;
  history.endGesture();
}
</script>

<template>
  <g class="brush" role="group" :aria-label="label" @pointermove="drag" @pointerup="drop" @pointercancel="drop">
    <rect
      ref="area"
      class="area"
      :x="extent[0]"
      :y="top"
      :width="Math.max(0, extent[1] - extent[0])"
      :height="Math.max(0, bottom - top)"
      @pointerdown="grab('new', $event)"
    />
    <template v-if="span">
      <rect
        class="window"
        :x="span[0]"
        :y="top"
        :width="Math.max(1, span[1] - span[0])"
        :height="Math.max(0, bottom - top)"
        @pointerdown="grab('move', $event)"
      />
      <g
        v-for="end in [0, 1] as const"
        :key="end"
        class="end"
        role="slider"
        tabindex="0"
        :aria-label="`${label}, ${end === 0 ? 'from' : 'to'}`"
        :aria-valuetext="texts[end]"
        :aria-valuenow="Math.round(span[end])"
        :aria-valuemin="Math.round(extent[0])"
        :aria-valuemax="Math.round(extent[1])"
        :transform="`translate(${span[end]} 0)`"
        @pointerdown="grab(end, $event)"
        @keydown.left.prevent.stop="emit('nudge', end, -1)"
        @keydown.right.prevent.stop="emit('nudge', end, 1)"
        @keydown.delete.prevent.stop="emit('clear')"
      >
        <rect x="-5" :y="top" width="10" :height="Math.max(0, bottom - top)" fill="transparent" />
        <line :y1="top" :y2="bottom" />
      </g>
    </template>
  </g>
</template>

<style scoped>
.brush {
  touch-action: none;
}
.area {
  fill: transparent;
  cursor: crosshair;
}
.window {
  fill: var(--copper);
  fill-opacity: 0.16;
  cursor: grab;
}
.end {
  cursor: ew-resize;
  outline-offset: -1px;
}
.end line {
  stroke: var(--copper);
  stroke-width: 1.5;
}
.end:focus-visible line,
.end:hover line {
  stroke-width: 3;
}
</style>
