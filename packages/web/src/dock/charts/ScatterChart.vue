<script setup lang="ts">
import type { ChartOf, Pairs } from '@clean-sieve/core';
import { scaleLinear } from 'd3';
import { computed, nextTick, ref, watch } from 'vue';
import { useTheme } from 'vuetify';
import { useTreeEditing } from '../../stack/tree_editing.ts';
import { useHistory } from '../../stores/history.ts';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { cellText, labelOf } from '../../words/cells.ts';
import { counted } from '../../words/numbers.ts';
import AxisMarks from './AxisMarks.vue';
import { useChartAnswer } from './chart_answer.ts';
import ChartFrame from './ChartFrame.vue';
import ColumnSelect from './ColumnSelect.vue';
import { firstNumber, numbersOf } from './first_charts.ts';
import { useFrameSize } from './frame_size.ts';
import { besideWord, besideOwn } from './own_condition.ts';
import { useRangeChoice } from './range_choice.ts';
import { rangeOfStretch, roundedTo, type Range } from './ranges.ts';

/** One number against another: every feature leaves its mark, and the deeper the colour, the more features lie there. */
const props = defineProps<{ chart: ChartOf<'scatter'> }>();
const views = useViews();
const workspace = useWorkspace();
const editing = useTreeEditing();
const history = useHistory();
const theme = useTheme();

const LEFT = 44;
const [EDGE, FOOT, TOP] = [12, 20, 4];
/** Pixels of a cell. */
const CELL = 4;
const columns = computed(() => numbersOf(workspace.activeSource?.columns ?? []));
const named = (name: string | null) => columns.value.find((one) => one.name === name) ?? null;
const across = computed(() => named(props.chart.x) ?? firstNumber(columns.value) ?? columns.value[0] ?? null);
const along = computed(() => named(props.chart.y) ?? firstNumber(columns.value.filter((one) => one !== across.value)) ?? across.value);
const ofX = useRangeChoice(across);
const ofY = useRangeChoice(along);
const frame = ref<HTMLElement>();
const canvas = ref<HTMLCanvasElement>();
const size = useFrameSize(frame);
const inner = computed(() => ({ width: size.value.width - LEFT - EDGE, height: size.value.height - FOOT - TOP }));
const most = computed<[number, number]>(() => [
  Math.max(1, Math.min(400, Math.floor(inner.value.width / CELL))),
  Math.max(1, Math.min(400, Math.floor(inner.value.height / CELL))),
]);
const { answer, picked } = useChartAnswer(
  computed(() => across.value && along.value && { kind: 'pairs' as const, x: across.value.name, y: along.value.name, most: most.value }),
  besideOwn(() => [ofX.condition.value, ofY.condition.value]),
);
const x = computed(() => scaleLinear([answer.value?.x.low ?? 0, answer.value?.x.high ?? 1], [LEFT, size.value.width - EDGE]));
const y = computed(() => scaleLinear([answer.value?.y.low ?? 0, answer.value?.y.high ?? 1], [size.value.height - FOOT, TOP]));

function paint(): void {
  const context = canvas.value?.getContext('2d');
  if (!context || !canvas.value) return;
  const ratio = window.devicePixelRatio;
  canvas.value.width = Math.round(size.value.width * ratio);
  canvas.value.height = Math.round(size.value.height * ratio);
  context.scale(ratio, ratio);
  if (!answer.value) return;
  const style = getComputedStyle(canvas.value);
  const draw = (pairs: Pairs, colour: string, of: 2 | 3) => {
    const [wide, high] = [inner.value.width / pairs.x.bins, inner.value.height / pairs.y.bins];
    const deepest = pairs.cells.reduce((largest, cell) => Math.max(largest, cell[of]), 1);
    context.fillStyle = style.getPropertyValue(colour);
    for (const cell of pairs.cells) {
      if (cell[of] === 0) continue;
      // Equal steps of the colour for equal factors; one feature is still seen.
      context.globalAlpha = 0.35 + (0.65 * Math.log1p(cell[of])) / Math.log1p(deepest);
      context.fillRect(LEFT + cell[0] * wide, size.value.height - FOOT - (cell[1] + 1) * high, Math.max(1.5, wide), Math.max(1.5, high));
    }
  };
  draw(answer.value, '--line', 2);
  draw(answer.value, '--spruce-2', 3);
  if (picked.value) draw(picked.value, '--violet', 3);
}
watch([answer, picked, size, () => theme.current.value.dark], () => void nextTick(paint), { immediate: true });

const window_ = computed(() => {
  if ((!ofX.range.value && !ofY.range.value) || !answer.value) return null;
  const { x: axisX, y: axisY } = answer.value;
  // A window over whole numbers reaches to the end of its last one.
  const within = ({ low, high, whole }: Pairs['x'], [from, to]: Range) =>
    [from, to + (whole ? 1 : 0)].map((value) => Math.max(low, Math.min(high, value)));
  const everything: Range = [-Infinity, Infinity];
  const [x0, x1] = within(axisX, ofX.range.value ?? everything).map((value) => x.value(value));
  const [y0, y1] = within(axisY, ofY.range.value ?? everything).map((value) => y.value(value));
  return { x: x0, y: y1, width: Math.max(1, x1 - x0), height: Math.max(1, y0 - y1) };
});

/** Keeps a range of both columns in one step. */
function put(rangeX: Range, rangeY: Range): void {
  const both = [{ choice: ofX, range: rangeX }, ...(along.value === across.value ? [] : [{ choice: ofY, range: rangeY }])];
  for (const { choice, range } of both) if (choice.condition.value) choice.setRange(range);
  const fresh = both.filter(({ choice }) => !choice.condition.value);
  if (fresh.length > 0)
    editing.narrowBy(
      fresh.map(({ choice, range }) => choice.exprOf(range)),
      'keep a range of two numbers',
    );
}
function clear(): void {
  ofX.clear();
  if (along.value !== across.value) ofY.clear();
}
const stepOf = (axis: Pairs['x'], pixels: number) => (axis.high - axis.low) / Math.max(1, pixels);

let from: [number, number] | null = null;
let moved = false;
const drawn = ref<{ x: number; y: number; width: number; height: number } | null>(null);
function place(event: PointerEvent): [number, number] {
  const box = frame.value!.getBoundingClientRect();
  return [
    Math.max(LEFT, Math.min(size.value.width - EDGE, event.clientX - box.left)),
    Math.max(TOP, Math.min(size.value.height - FOOT, event.clientY - box.top)),
  ];
}
function grab(event: PointerEvent): void {
  if (event.button !== 0 || !answer.value) return;
  from = place(event);
  moved = false;
  history.beginGesture();
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
}
function drag(event: PointerEvent): void {
  const at = place(event);
  hovered.value = at;
  if (!from || (!moved && Math.hypot(at[0] - from[0], at[1] - from[1]) < 4)) return;
  moved = true;
  const [x0, x1] = [Math.min(from[0], at[0]), Math.max(from[0], at[0])];
  const [y0, y1] = [Math.min(from[1], at[1]), Math.max(from[1], at[1])];
  drawn.value = { x: x0, y: y0, width: x1 - x0, height: y1 - y0 };
}
function drop(): void {
  if (from && !moved) clear();
  if (drawn.value && answer.value) {
    const { x: left, y: top, width, height } = drawn.value;
    const { x: axisX, y: axisY } = answer.value;
    put(
      rangeOfStretch(x.value.invert(left), x.value.invert(left + width), stepOf(axisX, inner.value.width), axisX.whole),
      rangeOfStretch(y.value.invert(top + height), y.value.invert(top), stepOf(axisY, inner.value.height), axisY.whole),
    );
  }
  [from, drawn.value] = [null, null];
  history.endGesture();
}
/** The arrow keys move the window, with the shift key its right and upper side. */
function onKey(event: KeyboardEvent): void {
  const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
  if (event.key === 'Delete') clear();
  if (!by || !answer.value) return;
  event.preventDefault();
  const moving = (range: Range | null, axis: Pairs['x'], pixels: number, steps: number): Range => {
    const step = axis.whole ? 1 : 8 * stepOf(axis, pixels);
    const quarter = (axis.high - axis.low) / 4;
    const [low, high] = [Math.max(axis.low, range?.[0] ?? axis.low + quarter), Math.min(axis.high, range?.[1] ?? axis.high - quarter)];
    const moved = (value: number, moves: boolean) => roundedTo(moves ? value + steps * step : value, stepOf(axis, pixels), axis.whole);
    const next: Range = [moved(low, !event.shiftKey), moved(high, true)];
    return next[0] <= next[1] ? next : [low, high];
  };
  put(
    moving(ofX.range.value, answer.value.x, inner.value.width, by[0]),
    moving(ofY.range.value, answer.value.y, inner.value.height, by[1]),
  );
}

const hovered = ref<[number, number] | null>(null);
const held = computed(() => besideWord(ofX.condition.value !== null || ofY.condition.value !== null));
const said = computed(() => {
  if (!answer.value) return '';
  const { x: axisX, y: axisY, cells } = answer.value;
  if (hovered.value) {
    const [px, py] = hovered.value;
    const column = Math.min(axisX.bins - 1, Math.floor(((px - LEFT) / inner.value.width) * axisX.bins));
    const line = Math.min(axisY.bins - 1, Math.floor(((size.value.height - FOOT - py) / inner.value.height) * axisY.bins));
    const cell = cells.find(([i, j]) => i === column && j === line);
    const some = picked.value?.cells.find(([i, j]) => i === column && j === line)?.[3] ?? 0;
    if (cell) {
      const spanOf = (axis: Pairs['x'], i: number) => {
        const wide = (axis.high - axis.low) / axis.bins;
        const [low, high] = [axis.low + i * wide, axis.low + (i + 1) * wide].map((value) => roundedTo(value, wide / 4, axis.whole));
        return axis.whole && wide <= 1 ? cellText(low) : `${cellText(low)}–${cellText(high)}`;
      };
      const there = `${spanOf(axisX, column)} by ${spanOf(axisY, line)}`;
      return `${there}: ${counted(cell[3])} of ${counted(cell[2])} ${held.value}${some > 0 ? `, ${counted(some)} picked` : ''}`;
    }
  }
  const total = cells.reduce((sum, cell) => sum + cell[2], 0);
  const kept = cells.reduce((sum, cell) => sum + cell[3], 0);
  return `${counted(kept)} of ${counted(total)} with both values ${held.value}. Deeper is more.`;
});
const nothing = computed(() => (across.value && along.value ? '' : 'This source has no column of numbers.'));
</script>

<template>
  <ChartFrame :chart="chart" :nothing="nothing" :said="said">
    <template #controls>
      <template v-if="across && along">
        <ColumnSelect
          :column="along.name"
          :columns="columns"
          label="Number upwards"
          data-test="scatter-y"
          @change="(name) => views.putChart({ ...chart, y: name })"
        />
        <span class="soft">against</span>
        <ColumnSelect
          :column="across.name"
          :columns="columns"
          label="Number to the right"
          data-test="scatter-x"
          @change="(name) => views.putChart({ ...chart, x: name })"
        />
      </template>
    </template>
    <div
      v-if="across && along"
      ref="frame"
      class="frame"
      tabindex="0"
      role="group"
      :aria-label="`${labelOf(along)} against ${labelOf(across)}; arrow keys move the window, with Shift they resize it, Delete takes it away`"
      @pointerdown="grab"
      @pointermove="drag"
      @pointerup="drop"
      @pointercancel="drop"
      @pointerleave="hovered = null"
      @keydown="onKey"
    >
      <canvas ref="canvas" :style="{ width: `${size.width}px`, height: `${size.height}px` }" aria-hidden="true" />
      <svg :width="size.width" :height="size.height" aria-hidden="true">
        <rect v-if="drawn ?? window_" class="window" v-bind="(drawn ?? window_)!" />
        <AxisMarks :scale="x" :ticks="Math.max(2, size.width / 80)" :transform="`translate(0,${size.height - FOOT})`" />
        <AxisMarks left :scale="y" :ticks="Math.max(2, size.height / 40)" :transform="`translate(${LEFT},0)`" />
      </svg>
    </div>
  </ChartFrame>
</template>

<style scoped>
.frame {
  position: relative;
  flex: 1;
  min-height: 0;
  overflow: hidden;
  cursor: crosshair;
  outline-offset: -2px;
  touch-action: none;
}
canvas,
svg {
  position: absolute;
  top: 0;
  left: 0;
}
.window {
  fill: var(--copper);
  fill-opacity: 0.14;
  stroke: var(--copper);
  stroke-width: 1.5;
}
</style>
