<script setup lang="ts">
import { columnInWords, dayInWords, formatDay, movedForm, unitInName, type BoundCurve, type Form, type Side } from '@clean-sieve/core';
import { area, bisector, curveStepAfter, curveStepBefore, line, max as largest, scaleLinear } from 'd3';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted, measured, plural } from '../words/numbers.ts';

/** How many features would be kept as one bound of the condition moves; a click puts the bound there. */
const props = defineProps<{ id: string; form: Form }>();
const emit = defineEmits<{ change: [form: Form] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const notices = useNotices();

const WIDTH = 292;
const HEIGHT = 46;
/** Milliseconds. */
const RESTS = 160;
const side = ref<Side>('low');
const curve = shallowRef<BoundCurve | null>(null);
const pointed = ref<number | null>(null);

const ranged = computed(
  () =>
    (props.form.kind === 'between' && !props.form.outside) ||
    (props.form.kind === 'days' && props.form.from !== null && props.form.to !== null),
);
const asked = computed<Side>(() => {
  if (props.form.kind === 'days' && !ranged.value) return props.form.from === null ? 'high' : 'low';
  return ranged.value ? side.value : 'low';
});

let turn = 0;
async function load(): Promise<void> {
  const mine = ++turn;
  const { id } = workspace.activeSource!;
  try {
    const found = await sifting.besides((signal) => api.curve(id, sifting.shownTree, props.id, asked.value, signal));
    if (found !== undefined && mine === turn) curve.value = found;
  } catch (error) {
    notices.complain(error);
  }
}
let resting: ReturnType<typeof setTimeout> | undefined;
/** The curve costs most: it waits until the handle rests for a moment. */
watch(
  [() => sifting.version, asked, () => props.id],
  () => {
    clearTimeout(resting);
    resting = setTimeout(() => void load(), curve.value ? RESTS : 0);
  },
  { immediate: true },
);
onBeforeUnmount(() => clearTimeout(resting));

const points = computed(() => curve.value?.points ?? []);
const x = computed(() => scaleLinear([points.value[0]?.at ?? 0, points.value[points.value.length - 1]?.at ?? 1], [0, WIDTH]).clamp(true));
const y = computed(() => scaleLinear([0, largest(points.value, (point) => point.kept) || 1], [HEIGHT, 3]));
/** Between two points the number stays that of the stricter one, which is what a step says. */
const step = computed(() => (curve.value?.passes === 'above' ? curveStepBefore : curveStepAfter));
const filled = computed(
  () =>
    area<{ at: number; kept: number }>(
      (p) => x.value(p.at),
      HEIGHT,
      (p) => y.value(p.kept),
    ).curve(step.value)(points.value) ?? '',
);
const outline = computed(
  () =>
    line<{ at: number; kept: number }>(
      (p) => x.value(p.at),
      (p) => y.value(p.kept),
    ).curve(step.value)(points.value) ?? '',
);

const byBound = bisector<{ at: number; kept: number }, number>((point) => point.at);
const shown = computed(() => {
  if (points.value.length === 0 || !curve.value) return null;
  return points.value[byBound.center(points.value, pointed.value ?? curve.value.at)];
});

function atPointer(event: PointerEvent | MouseEvent): number {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect();
  return x.value.invert(((event.clientX - box.left) / box.width) * WIDTH);
}
function put(at: number): void {
  const found = points.value[byBound.center(points.value, at)] as { at: number } | undefined;
  const moved = found && movedForm(props.form, asked.value, Number(found.at.toPrecision(6)));
  if (moved) emit('change', moved);
}
function onKey(event: KeyboardEvent): void {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (step === undefined || !curve.value) return;
  event.preventDefault();
  const next = byBound.center(points.value, curve.value.at) + step;
  if (next >= 0 && next < points.value.length) put(points.value[next].at);
}

function said(at: number): string {
  const found = curve.value!;
  if (found.scale === 'day') return dayInWords(formatDay(at));
  if (found.scale === 'amount') return at === 1 ? `1 ${found.unit.slice(0, -1)}` : `${at} ${found.unit}`;
  const unit = found.scale === 'distance' ? found.unit : 'column' in props.form ? unitInName(props.form.column) : '';
  return `${measured(at)} ${unit}`.trim();
}
const title = computed(() =>
  'column' in props.form ? `Kept as ${columnInWords(props.form.column).toLowerCase()} moves` : 'Kept as the distance moves',
);
</script>

<template>
  <div v-if="curve" class="curve" data-test="curve">
    <div class="head">
      <span v-if="shown">
        at <b>{{ said(shown.at) }}</b> {{ plural(shown.kept, 'feature', 'features') }} kept
      </span>
      <span v-if="ranged" class="ends" role="radiogroup" aria-label="Which end moves">
        <button
          v-for="end in ['low', 'high'] as const"
          :key="end"
          class="plain"
          type="button"
          role="radio"
          :aria-checked="side === end"
          :class="{ on: side === end }"
          @click="side = end"
        >
          {{ end === 'low' ? 'lower end' : 'upper end' }}
        </button>
      </span>
    </div>
    <svg
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      preserveAspectRatio="none"
      role="slider"
      tabindex="0"
      :aria-label="title"
      :aria-valuenow="curve.at"
      :aria-valuetext="shown ? `${said(shown.at)}, ${counted(shown.kept)} kept` : ''"
      @pointermove="pointed = atPointer($event)"
      @pointerleave="pointed = null"
      @click="put(atPointer($event))"
      @keydown="onKey"
    >
      <path class="fill" :d="filled" />
      <path class="outline" :d="outline" />
      <line class="now" :x1="x(curve.at)" :x2="x(curve.at)" y1="0" :y2="HEIGHT" />
      <line v-if="pointed !== null && shown" class="pointed" :x1="x(shown.at)" :x2="x(shown.at)" y1="0" :y2="HEIGHT" />
    </svg>
    <div class="scale soft">
      <span>{{ said(points[0].at) }}</span><span>{{ title }}</span
      ><span>{{ said(points[points.length - 1].at) }}</span>
    </div>
  </div>
</template>

<style scoped>
.head,
.scale {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  font-size: 12.5px;
}
svg {
  display: block;
  width: 100%;
  height: 46px;
  margin: 3px 0 1px;
  border-bottom: 1px solid var(--line);
  cursor: crosshair;
}
.fill {
  fill: var(--tint);
}
.outline {
  fill: none;
  stroke: var(--spruce-2);
  stroke-width: 1.4;
  vector-effect: non-scaling-stroke;
}
.now {
  stroke: var(--copper);
  stroke-width: 2;
  vector-effect: non-scaling-stroke;
}
.pointed {
  stroke: var(--violet);
  stroke-width: 1.2;
  stroke-dasharray: 3 2;
  vector-effect: non-scaling-stroke;
}
.ends {
  display: flex;
  gap: 8px;
  color: var(--soft);
}
.ends .on {
  color: var(--ink);
  font-weight: 650;
  box-shadow: 0 1.5px 0 var(--copper);
}
</style>
