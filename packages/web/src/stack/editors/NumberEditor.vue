<script setup lang="ts">
import type { Form, Histogram } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { max as largest, scaleLinear } from 'd3';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { api } from '../../api/client.ts';
import { useHistory } from '../../stores/history.ts';
import { useNotices } from '../../stores/notices.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { measured } from '../../words/numbers.ts';

type NumberForm = Extract<Form, { kind: 'compare' | 'between' }>;
const props = defineProps<{ form: NumberForm; column: ColumnInfo }>();
const emit = defineEmits<{ change: [form: Form] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const notices = useNotices();
const history = useHistory();

const WIDTH = 292;
const HEIGHT = 62;
const BINS = 73;
const histogram = shallowRef<Histogram | null>(null);
let asking = false;
let again = false;

/** The kept share follows the handles; one question at a time, the last one always asked. */
async function load(): Promise<void> {
  again = asking;
  if (asking) return;
  asking = true;
  try {
    const { id } = workspace.activeSource!;
    const found = await sifting.besides((signal) =>
      api.aggregate(id, { tree: sifting.shownTree }, { kind: 'histogram', column: props.column.name, bins: BINS }, signal),
    );
    if (found !== undefined) histogram.value = found;
  } catch (error) {
    notices.complain(error);
  }
  asking = false;
  if (again) void load();
}
watch(
  () => [props.column.name, sifting.version],
  () => void load(),
  { immediate: true },
);

const low = computed(() => Number(props.column.min ?? 0));
const high = computed(() => Number(props.column.max ?? 0));
/** A whole number stands in the middle of its own width. */
const x = computed(() => {
  const { low: from = low.value, high: to = high.value, whole = false } = histogram.value ?? {};
  return scaleLinear(whole ? [from - 0.5, to - 0.5] : [from, to], [0, WIDTH]).clamp(true);
});
const wide = computed(() => WIDTH / (histogram.value?.all.length ?? BINS));
// The square root, so that a few tall bins do not flatten the rest.
const y = computed(() => scaleLinear([0, Math.sqrt(largest(histogram.value?.all ?? [1]) ?? 1)], [0, HEIGHT]));
const step = computed(() => {
  const size = (high.value - low.value) / 200;
  return Number.isInteger(low.value) && Number.isInteger(high.value) && size < 1
    ? 1
    : Math.max(10 ** Math.floor(Math.log10(size || 1)), 1e-9);
});

const bounds = computed<[number | null, number | null]>(() => {
  const { form } = props;
  if (form.kind === 'between') return [form.low, form.high];
  const value = Number(form.value);
  if (form.op.startsWith('>')) return [value, null];
  return form.op === '<' || form.op === '<=' ? [null, value] : [value, null];
});

function setBound(side: 0 | 1, value: number): void {
  if (!Number.isFinite(value)) return;
  if (props.form.kind === 'compare') emit('change', { ...props.form, value });
  else emit('change', side === 0 ? { ...props.form, low: value } : { ...props.form, high: value });
}

const svg = ref<SVGSVGElement>();
let dragged: 0 | 1 | null = null;
function onPointer(event: PointerEvent): void {
  if (dragged === null || !svg.value) return;
  const box = svg.value.getBoundingClientRect();
  const raw = x.value.invert(((event.clientX - box.left) / box.width) * WIDTH);
  let value = Math.round(raw / step.value) * step.value;
  value = Number(Math.max(low.value, Math.min(high.value, value)).toPrecision(12));
  const [from, to] = bounds.value;
  if (dragged === 0 && to !== null) value = Math.min(value, to);
  if (dragged === 1 && from !== null) value = Math.max(value, from);
  setBound(dragged, value);
}
function release(): void {
  dragged = null;
  history.endGesture();
  window.removeEventListener('pointermove', onPointer);
  window.removeEventListener('pointerup', release);
}
function grab(side: 0 | 1, event: PointerEvent): void {
  dragged = side;
  history.beginGesture();
  event.preventDefault();
  (event.target as SVGElement).focus();
  window.addEventListener('pointermove', onPointer);
  window.addEventListener('pointerup', release);
}
onBeforeUnmount(release);

function nudge(side: 0 | 1, event: KeyboardEvent): void {
  const sign = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageUp: 10, PageDown: -10 }[event.key];
  if (sign === undefined) return;
  event.preventDefault();
  setBound(side, Number((bounds.value[side]! + sign * step.value).toPrecision(12)));
}
</script>

<template>
  <div>
    <svg
      v-if="histogram"
      ref="svg"
      class="histogram"
      :viewBox="`-6 0 ${WIDTH + 12} ${HEIGHT + 14}`"
      role="group"
      :aria-label="`Values of ${column.name}`"
    >
      <g v-for="(count, i) in histogram.all" :key="i">
        <rect
          class="all"
          :x="i * wide"
          :width="wide - Math.min(0.6, wide / 5)"
          :y="HEIGHT - y(Math.sqrt(count))"
          :height="y(Math.sqrt(count))"
        />
        <rect
          class="kept"
          :x="i * wide"
          :width="wide - Math.min(0.6, wide / 5)"
          :y="HEIGHT - y(Math.sqrt(histogram.kept[i]))"
          :height="y(Math.sqrt(histogram.kept[i]))"
        />
      </g>
      <line class="floor" x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" />
      <template v-for="side in [0, 1] as const" :key="side">
        <g
          v-if="bounds[side] !== null"
          class="handle"
          tabindex="0"
          role="slider"
          :data-test="side === 0 ? 'handle-low' : 'handle-high'"
          :aria-label="side === 0 ? 'Lower bound' : 'Upper bound'"
          :aria-valuenow="bounds[side]!"
          :aria-valuemin="low"
          :aria-valuemax="high"
          :transform="`translate(${x(bounds[side]!)},0)`"
          @pointerdown="grab(side, $event)"
          @keydown="nudge(side, $event)"
        >
          <rect x="-8" y="0" width="16" :height="HEIGHT + 14" fill="transparent" />
          <line y1="0" :y2="HEIGHT + 2" />
          <circle :cy="HEIGHT + 6" r="6" />
        </g>
      </template>
    </svg>
    <div v-else class="histogram waiting soft">Looking at the values …</div>
    <div class="ends soft">
      <span>{{ measured(low) }}</span><span>{{ measured(high) }}</span>
    </div>
    <div class="fields">
      <template v-if="form.kind === 'between'">
        <v-text-field
          :model-value="form.low"
          type="number"
          aria-label="From"
          data-test="low"
          @update:model-value="(v) => v !== '' && setBound(0, Number(v))"
        />
        <span class="soft">to</span>
        <v-text-field
          :model-value="form.high"
          type="number"
          aria-label="To"
          data-test="high"
          @update:model-value="(v) => v !== '' && setBound(1, Number(v))"
        />
      </template>
      <v-text-field
        v-else
        :model-value="form.value"
        type="number"
        aria-label="Value"
        data-test="value"
        @update:model-value="(v) => v !== '' && setBound(0, Number(v))"
      />
    </div>
    <p v-if="form.kind === 'between' && form.low > form.high" class="warn">
      The lower end is above the upper one, so nothing fits.
      <button class="plain link" type="button" @click="emit('change', { ...form, low: form.high, high: form.low })">Swap them</button>
    </p>
  </div>
</template>

<style scoped>
.histogram {
  display: block;
  width: 100%;
  height: 78px;
  touch-action: none;
}
.waiting {
  display: grid;
  place-items: center;
}
.all {
  fill: var(--line);
}
.kept {
  fill: var(--spruce-2);
}
.floor {
  stroke: var(--line);
}
.handle {
  cursor: ew-resize;
  outline: none;
}
.handle line {
  stroke: var(--copper);
  stroke-width: 2;
}
.handle circle {
  fill: var(--surface);
  stroke: var(--copper);
  stroke-width: 2.5;
}
.handle:focus-visible circle {
  fill: var(--copper);
}
.ends {
  display: flex;
  justify-content: space-between;
  font-size: 12px;
  margin: -2px 0 6px;
}
.fields {
  display: flex;
  align-items: center;
  gap: 8px;
}
.warn {
  margin: 6px 0 0;
  font-size: 13px;
  color: var(--copper-text);
}
</style>
