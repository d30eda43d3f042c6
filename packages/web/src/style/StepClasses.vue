<script setup lang="ts">
import {
  emptyTree,
  BREAK_METHODS,
  DAY_MILLIS,
  lastDayOf,
  parseDate,
  parseInstant,
  RAMPS,
  TWO_WAY_RAMPS,
  type BreakMethod,
  type BySteps,
  type Ramp,
} from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { max as largest, scaleLinear, scaleSqrt } from 'd3';
import { computed, ref, shallowRef, watch } from 'vue';
import { useTheme } from 'vuetify';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { boundText } from './class_marks.ts';
import { runBounds } from './run_of_colours.ts';
import { rampColours } from './ramps.ts';

/** The bounds between the classes of a number or a time, over the histogram of its values, and the colours of the classes. */
const props = defineProps<{ classing: BySteps; column: ColumnInfo }>();
const emit = defineEmits<{ change: [next: BySteps, key?: string] }>();
const workspace = useWorkspace();
const notices = useNotices();
const theme = useTheme();

const METHODS: Record<BreakMethod, string> = {
  natural: 'natural breaks',
  quantile: 'as many features each',
  equal: 'equal intervals',
  deviation: 'standard deviations',
  round: 'round steps',
};
const methods = computed(() => [
  ...BREAK_METHODS.map((value): { value: BySteps['method']; title: string } => ({ value, title: METHODS[value] })),
  { value: 'continuous' as const, title: 'one run of colours' },
  ...(props.classing.method === 'own' ? [{ value: 'own' as const, title: 'own bounds' }] : []),
]);
const isRun = computed(() => props.classing.method === 'continuous');
const count = computed(() => props.classing.bounds.length + 1);
/** Classes that steps begin with after a run of colours. */
const FIRST = 5;

async function cut(method: BySteps['method'], classes: number): Promise<void> {
  if (method === 'own') return;
  if (method === 'continuous') {
    const { ramp } = props.classing;
    const bounds = runBounds(keyOf(props.column.min), keyOf(props.column.max));
    return emit('change', { ...props.classing, method, bounds, middle: isTwoWay(ramp) ? middleOf(bounds, null) : null });
  }
  try {
    const asked = { kind: 'breaks' as const, column: props.column.name, method, count: classes };
    const bounds = await api.aggregate(workspace.activeSource!.id, { tree: emptyTree() }, asked);
    const { ramp, middle } = props.classing;
    emit('change', { ...props.classing, method, bounds, middle: isTwoWay(ramp) ? middleOf(bounds, middle) : null });
  } catch (error) {
    notices.complain(error);
  }
}

const isTwoWay = (ramp: Ramp) => (TWO_WAY_RAMPS as readonly Ramp[]).includes(ramp);
/** Where 0 is a bound the colours part there, else halfway. */
const middleOf = (bounds: readonly number[], before: number | null) =>
  bounds.includes(0) ? bounds.indexOf(0) : before !== null && before < bounds.length ? before : null;
const dark = computed(() => theme.current.value.dark);
const colours = computed(() => rampColours(props.classing.ramp, count.value, props.classing.middle, dark.value));
const ramps = computed(() =>
  [...RAMPS, ...TWO_WAY_RAMPS].map((ramp) => ({ ramp, colours: rampColours(ramp, isTwoWay(ramp) ? 5 : 4, null, dark.value) })),
);

const WIDTH = 290;
const HEIGHT = 64;
const BINS = 58;
const svg = ref<SVGSVGElement>();
/** Bins of a number, or of a calendar where the column has dates; as bounds are: numbers, days or milliseconds. */
const bins = shallowRef<{ from: number; to: number; all: number }[]>([]);
const isTime = computed(() => props.column.type !== 'number');
/** Of bounds in a millisecond. */
const perMilli = computed(() => (props.column.type === 'date' ? 1 / DAY_MILLIS : 1));
/** A value as bounds are; a time without an offset is one in UTC, wherever the browser is. */
function keyOf(value: ColumnInfo['min']): number {
  if (props.column.type === 'datetime') return parseInstant(String(value))?.millis ?? NaN;
  return isTime.value ? (parseDate(String(value))?.day ?? NaN) : Number(value);
}

async function load(): Promise<void> {
  const { name } = props.column;
  const { id } = workspace.activeSource!;
  if (!isTime.value) {
    const found = await api.aggregate(id, { tree: emptyTree() }, { kind: 'histogram', column: name, bins: BINS });
    const { low, high, all } = found ?? { low: 0, high: 1, all: [] };
    const step = (high - low) / all.length;
    bins.value = all.map((count, i) => ({ from: low + i * step, to: low + (i + 1) * step, all: count }));
    return;
  }
  const times = await api.aggregate(id, { tree: emptyTree() }, { kind: 'times', column: name });
  bins.value = (times?.bins ?? []).map(({ from, all }) => {
    const end = Date.parse(lastDayOf(times!.unit, from)) + DAY_MILLIS;
    return { from: Date.parse(from) * perMilli.value, to: end * perMilli.value, all };
  });
}
watch(
  () => props.column.name,
  () => void load().catch(notices.complain),
  { immediate: true },
);
const ends = computed<[number, number]>(() => [bins.value.at(0)?.from ?? 0, bins.value.at(-1)?.to ?? 1]);
const x = computed(() => scaleLinear(ends.value, [0, WIDTH]).clamp(true));
const y = computed(() => scaleSqrt([0, largest(bins.value, ({ all }) => all) ?? 1], [0, HEIGHT]));
const bars = computed(() =>
  bins.value.map(({ from, to, all }) => {
    const number = props.classing.bounds.filter((bound) => bound <= (from + to) / 2).length;
    const wide = x.value(to) - x.value(from);
    return { x: x.value(from), width: wide - Math.min(0.6, wide / 5), height: y.value(all), colour: colours.value[number] };
  }),
);

/** Whole days, and of numbers as many digits as a step of the histogram tells apart. */
function rounded(value: number): number {
  if (props.column.type !== 'number') return Math.round(value);
  const step = (ends.value[1] - ends.value[0]) / WIDTH;
  return Number(value.toFixed(Math.max(0, Math.min(12, -Math.floor(Math.log10(step || 1))))));
}
function moveTo(at: number, value: number): void {
  const { bounds } = props.classing;
  const [below, above] = [bounds[at - 1] ?? -Infinity, bounds[at + 1] ?? Infinity];
  const next = rounded(value);
  if (!(next > below && next < above) || next === bounds[at]) return;
  emit('change', { ...props.classing, method: 'own', bounds: bounds.map((bound, i) => (i === at ? next : bound)) }, `bound ${at}`);
}
const held = ref<number | null>(null);
function drag(event: PointerEvent): void {
  if (held.value === null || !svg.value) return;
  const box = svg.value.getBoundingClientRect();
  moveTo(held.value, x.value.invert(((event.clientX - box.left) / box.width) * WIDTH));
}
function hold(at: number, event: PointerEvent): void {
  held.value = at;
  svg.value?.setPointerCapture(event.pointerId);
}
function nudge(at: number, by: number): void {
  const step = (ends.value[1] - ends.value[0]) / 200;
  const least = props.column.type === 'number' ? step : Math.max(1, step);
  moveTo(at, props.classing.bounds[at] + by * least);
}
</script>

<template>
  <div class="steps">
    <div class="fields">
      <v-select
        :model-value="classing.method"
        :items="methods"
        label="Classes by"
        data-test="method"
        @update:model-value="(method: BySteps['method']) => cut(method, isRun ? FIRST : Math.max(2, count))"
      />
      <v-select
        v-if="!isRun"
        :model-value="count"
        :items="[2, 3, 4, 5, 6, 7, 8, 9]"
        label="How many"
        class="many"
        data-test="classes"
        @update:model-value="(classes: number) => cut(classing.method === 'own' ? 'natural' : classing.method, classes)"
      />
    </div>
    <svg
      ref="svg"
      :viewBox="`-6 0 ${WIDTH + 12} ${HEIGHT + 16}`"
      role="group"
      aria-label="Histogram with the bounds of the classes"
      @pointermove="drag"
      @pointerup="held = null"
      @pointercancel="held = null"
    >
      <rect
        v-for="(bar, i) in bars"
        :key="i"
        :x="bar.x"
        :y="HEIGHT - bar.height"
        :width="bar.width"
        :height="bar.height"
        :fill="bar.colour"
      />
      <line x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" class="ground" />
      <g
        v-for="(bound, i) in isRun ? [] : classing.bounds"
        :key="i"
        :transform="`translate(${x(bound)} 0)`"
        class="bound"
        role="slider"
        tabindex="0"
        :aria-label="`Bound ${i + 1}`"
        :aria-valuenow="bound"
        :aria-valuetext="boundText(column, bound)"
        data-test="bound"
        @pointerdown.prevent="hold(i, $event)"
        @keydown.left.prevent="nudge(i, -1)"
        @keydown.right.prevent="nudge(i, 1)"
      >
        <rect x="-7" y="0" width="14" :height="HEIGHT + 14" fill="transparent" />
        <line y1="0" :y2="HEIGHT" />
        <circle :cy="HEIGHT + 7" r="5" />
        <title>{{ boundText(column, bound) }}</title>
      </g>
    </svg>
    <div class="ramps" role="radiogroup" aria-label="Colours">
      <button
        v-for="one in ramps"
        :key="one.ramp"
        type="button"
        class="plain ramp"
        role="radio"
        :aria-checked="classing.ramp === one.ramp"
        :aria-label="one.ramp"
        @click="emit('change', { ...classing, ramp: one.ramp, middle: isTwoWay(one.ramp) ? middleOf(classing.bounds, null) : null })"
      >
        <span v-for="colour in one.colours" :key="colour" :style="{ background: colour }" />
      </button>
    </div>
    <label v-if="!isRun">
      <input
        type="checkbox"
        :checked="classing.patterned"
        data-test="patterned"
        @change="emit('change', { ...classing, patterned: !classing.patterned })"
      />
      A shape and a pattern beside each colour
    </label>
  </div>
</template>

<style scoped>
.steps {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.fields {
  display: flex;
  gap: 8px;
}
.many {
  flex: none;
  width: 96px;
}
svg {
  width: 100%;
  touch-action: none;
  overflow: visible;
}
.ground {
  stroke: var(--line);
}
.bound {
  cursor: ew-resize;
  outline-offset: 2px;
}
.bound line {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.bound circle {
  fill: var(--surface);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.bound:focus-visible circle,
.bound:hover circle {
  fill: var(--ink);
}
.ramps {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 6px;
}
.ramp {
  display: flex;
  height: 18px;
  border-radius: 6px;
  overflow: hidden;
  outline-offset: 2px;
}
.ramp[aria-checked='true'] {
  outline: 2px solid var(--ink);
}
.ramp span {
  flex: 1;
}
</style>
