<script setup lang="ts">
import type { ColumnInfo } from '@clean-sieve/server/api';
import { columnInWords, nodesIn, numberOf, type FeatureKey, type Order, type Page, type PageFeature } from '@clean-sieve/core';
import { useVirtualizer } from '@tanstack/vue-virtual';
import { computed, defineAsyncComponent, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { api } from '../../api/client.ts';
import { useFocus } from '../../stores/focus.ts';
import { useNotices } from '../../stores/notices.ts';
import { usePicks } from '../../stores/picks.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useViews } from '../../stores/views.ts';
import { hasAnswer, isSample } from '../../sources/state.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { columnText, labelOf, shortened } from '../../words/cells.ts';
import { measured, plural } from '../../words/numbers.ts';
import { useColumnTotals } from './column_totals.ts';
import ColumnHead from './ColumnHead.vue';
import { movedBefore, sortedBy, tableColumns, TICK, type TableColumn } from './table_columns.ts';

const TableMenu = defineAsyncComponent(() => import('./TableMenu.vue'));

const emit = defineEmits<{ state: [text: string] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const notices = useNotices();
const picks = usePicks();
const views = useViews();

const PAGE = 100;
const ROW_HEIGHT = 27;
/** Room for the button at the right end of the head. */
const MENU = 28;
const source = computed(() => workspace.activeSource!);
const pages = shallowRef(new Map<number, PageFeature[]>());
const total = ref(0);
const scroller = ref<HTMLElement | null>(null);
let generation = 0;
/** Whether other rows are to be asked for, or are on their way. */
const isStale = ref(true);
/** What is kept, by which the rows on show are those; they come after it. Numbers counted elsewhere change nothing of it. */
const rowsAreOf = shallowRef(sifting.active?.mask);
const isBehind = computed(() => isStale.value || (sifting.active !== null && sifting.active.mask !== rowsAreOf.value));
/** The feature from which the shift key picks on. */
let lastPicked: FeatureKey | null = null;
let asked = new Set<number>();

/** Columns that conditions show of what they are about. */
const matches = shallowRef<Page['matches']>([]);
const room = ref(0);
/** The width of the column whose edge is being dragged; kept once it is let go. */
const sizing = ref<Record<string, number>>({});
const shown = computed(() => {
  const layout = { ...views.layout, widths: { ...views.layout.widths, ...sizing.value } };
  return tableColumns(source.value.columns, matches.value, layout, room.value - MENU);
});
/** Near misses are looked at in an order of their own. */
const missOrder = ref<Order | null>(null);
const order = computed<Order>(() => {
  const known = new Set([...source.value.columns, ...matches.value].map(({ name }) => name));
  return (missOrder.value ?? views.layout.sort).filter(({ column }) => known.has(column));
});

/** The rows are others only where this is. */
const orderKey = computed(() => JSON.stringify(order.value));

const pinned = computed(() => shown.value.filter((one) => one.pinned));
const moving = computed(() => shown.value.filter((one) => !one.pinned));
const pinnedWidth = computed(() => pinned.value.reduce((sum, { width }) => sum + width, TICK));
const across = useVirtualizer(
  computed(() => ({
    horizontal: true,
    count: moving.value.length,
    getScrollElement: () => scroller.value,
    estimateSize: (i: number) => moving.value[i].width,
    paddingStart: pinnedWidth.value,
    paddingEnd: MENU,
    scrollPaddingStart: pinnedWidth.value,
    overscan: 3,
  })),
);
watch(moving, () => across.value.measure());
/** The columns that are drawn: pinned ones, and of the others those in sight. */
const drawn = computed(() => [...pinned.value, ...across.value.getVirtualItems().map(({ index }) => moving.value[index])].filter(Boolean));
const lead = computed(() => Math.max(0, (across.value.getVirtualItems()[0]?.start ?? pinnedWidth.value) - pinnedWidth.value));
/** Before the columns in sight there is room for the ones that are not. */
const grid = computed(() => {
  const width = ({ width: pixels }: TableColumn) => `${pixels}px`;
  const inSight = across.value.getVirtualItems().map(({ index }) => width(moving.value[index]));
  return [`${TICK}px`, ...pinned.value.map(width), `${lead.value}px`, ...inSight].join(' ');
});
const width = computed(() => across.value.getTotalSize());
const leftOf = computed(() => {
  const places = new Map<string, number>();
  let left = TICK;
  for (const { column, width: wide } of pinned.value) {
    places.set(column.name, left);
    left += wide;
  }
  return places;
});
const stuck = ({ pinned: isPinned, column }: TableColumn) => (isPinned ? { left: `${leftOf.value.get(column.name)}px` } : {});

const rows = useVirtualizer(
  computed(() => ({
    count: total.value,
    getScrollElement: () => scroller.value,
    estimateSize: () => ROW_HEIGHT,
    overscan: 8,
  })),
);

async function load(page: number): Promise<void> {
  if (asked.has(page)) return;
  asked.add(page);
  const mine = generation;
  try {
    const wanted = { ...focus.selection(), order: order.value, offset: page * PAGE, limit: PAGE };
    const answer = await sifting.besides((signal) => api.rows(source.value.id, wanted, signal));
    // What was given up is asked for again with the rows that come after it.
    if (!answer) asked.delete(page);
    if (mine !== generation || !answer) return;
    take(answer, page * PAGE);
    pages.value = new Map(pages.value).set(page, answer.features);
  } catch (error) {
    asked.delete(page);
    notices.complain(error);
  }
}

/** New kept features: the rows on show are asked for again, and stay until the new ones are there. */
async function reload(): Promise<void> {
  generation++;
  asked = new Set();
  const first = Math.floor((scroller.value?.scrollTop ?? 0) / ROW_HEIGHT / PAGE);
  const mine = generation;
  const mask = sifting.active?.mask;
  const asking = { ...focus.selection(), order: order.value, offset: first * PAGE, limit: PAGE };
  const answer = await sifting.besides((signal) => api.rows(source.value.id, asking, signal)).catch(notices.complain);
  if (mine !== generation || !answer || !('features' in answer)) return;
  take(answer, first * PAGE);
  asked.add(first);
  pages.value = new Map([[first, answer.features]]);
  rowsAreOf.value = mask;
  isStale.value = false;
}
/** Where nobody knows how many rows there are, there are as many as have been seen, and one page more after a full one. */
function take(page: Page, offset: number): void {
  const seen = offset + page.features.length + (page.features.length === PAGE ? PAGE : 0);
  total.value = typeof page.total === 'number' ? page.total : Math.max(total.value, numberOf(page.total) ?? seen);
  matches.value = page.matches;
}
/** Columns that the conditions ask for. */
const wanted = computed(() => JSON.stringify([...nodesIn(sifting.shownTree)].map(({ node }) => ('shows' in node ? node.shows : null))));
watch([matches, () => focus.nearMissesOf], ([now, missesOf]) => {
  // Just outside a distance: the nearest come first.
  const outside = now.find(({ condition, shows }) => shows === 'nearest' && condition === missesOf);
  if (!outside) missOrder.value = null;
  else missOrder.value ??= [{ column: outside.name, descending: false }];
});
watch(
  () => [sifting.version, wanted.value, orderKey.value, focus.nearMissesOf, workspace.activeSieveId, source.value.columns.length],
  () => {
    isStale.value = true;
    if (views.tab === 'table') void reload();
  },
  { immediate: true },
);
// Nobody waits for rows that are not on show.
watch(
  () => views.tab,
  () => {
    if (isStale.value && views.tab === 'table') void reload();
  },
);
watch(
  () => rows.value.getVirtualItems().map((item) => Math.floor(item.index / PAGE)),
  (wanted) => new Set(wanted).forEach((page) => void load(page)),
);

function at(index: number): PageFeature | null {
  return pages.value.get(Math.floor(index / PAGE))?.[index % PAGE] ?? null;
}

function sort({ column: { name } }: TableColumn, beside: boolean): void {
  const next = sortedBy(order.value, name, beside);
  if (missOrder.value) missOrder.value = next;
  else void views.lay({ sort: next });
}
function nameOf(name: string): string {
  const column = source.value.columns.find((candidate) => candidate.name === name);
  return column ? labelOf(column) : columnInWords(name);
}

function pin({ column: { name } }: TableColumn): void {
  const { pinned: names } = views.layout;
  void views.lay({ pinned: names.includes(name) ? names.filter((one) => one !== name) : [...names, name] });
}
const names = computed(() => shown.value.filter(({ match }) => !match).map(({ column: { name } }) => name));
function moveTo(name: string, before: string | null): void {
  if (name !== before) void views.lay(movedBefore(views.layout, names.value, name, before));
}
function moveBy({ column: { name } }: TableColumn, by: 1 | -1): void {
  const at = names.value.indexOf(name);
  const before = names.value[by > 0 ? at + 2 : at - 1] ?? null;
  if (by > 0 ? at < names.value.length - 1 : at > 0) moveTo(name, before);
}
const setWidth = ({ column: { name } }: TableColumn, pixels: number) => views.lay({ widths: { ...views.layout.widths, [name]: pixels } });
async function keepWidths(): Promise<void> {
  if (Object.keys(sizing.value).length === 0) return;
  await views.lay({ widths: { ...views.layout.widths, ...sizing.value } });
  sizing.value = {};
}
/** As wide as the heading and the rows that are there. */
function fit(one: TableColumn): void {
  const context = document.createElement('canvas').getContext('2d');
  if (!context || !scroller.value) return;
  context.font = getComputedStyle(scroller.value).font;
  const texts = [...pages.value.values()].flat().map(({ cells }) => cellOf(one, cells[one.cell]).text);
  const widest = [`${one.heading} ↓1`, ...texts].reduce((most, text) => Math.max(most, context.measureText(text).width), 20);
  void setWidth(one, Math.round(Math.min(1200, widest + 28)));
}
/** The column that is being dragged to another place, and the one that it would stand before. */
const dragged = ref<{ name: string; before: string | null } | null>(null);
function dragOver({ column: { name }, match }: TableColumn, event: DragEvent): void {
  if (!dragged.value || match) return;
  event.preventDefault();
  const box = (event.currentTarget as Element).getBoundingClientRect();
  const after = names.value[names.value.indexOf(name) + 1] ?? null;
  dragged.value.before = event.clientX < box.left + box.width / 2 ? name : after;
}
function dropped(): void {
  if (dragged.value) moveTo(dragged.value.name, dragged.value.before);
  dragged.value = null;
}

/** The next row that holds a text in a column, after the one that was found last; after the end it begins anew. */
let lastFound = { text: '', place: -1 };
async function find({ column }: TableColumn, text: string): Promise<void> {
  if (text === '') return;
  const from = lastFound.text === `${column.name}\0${text}` ? lastFound.place + 1 : 0;
  try {
    const ask = (start: number) =>
      api.search(source.value.id, {
        ...focus.selection(),
        order: order.value,
        wanted: { text, columns: [column.name], from: start, limit: 1 },
      });
    const found = (await ask(from)).found[0] ?? (from > 0 ? (await ask(0)).found[0] : undefined);
    if (!found) return notices.say(`No row on show has “${text}” in ${labelOf(column)}.`);
    lastFound = { text: `${column.name}\0${text}`, place: found.place };
    goTo(found.place);
    focus.show(found.key, true);
  } catch (error) {
    notices.complain(error);
  }
}
function goTo(place: number): void {
  rows.value.scrollToIndex(place, { align: 'center' });
}

/** A value as it stands in a cell. */
function cellOf({ column }: TableColumn, value: PageFeature['cells'][number]): { text: string; faint: boolean } {
  if (value === null) return { text: 'blank', faint: true };
  if (value === '') return { text: 'empty', faint: true };
  return { text: shortened(column, value) ?? workspace.shownOf(column, value), faint: false };
}

/** The whole value, where the cell may not show it. */
function wholeOf({ column }: TableColumn, value: PageFeature['cells'][number]): string | undefined {
  return typeof value === 'string' || shortened(column, value) !== null ? String(value) : undefined;
}

const totals = useColumnTotals(() =>
  drawn.value.filter(({ column, match }) => !match && column.type !== 'boolean').map(({ column: { name } }) => name),
);
const FIGURES = { sum: 'Sum', mean: 'Mean', median: 'Median', min: 'Smallest', max: 'Largest' } as const;
function totalOf({ column, match }: TableColumn): string {
  const figure = views.layout.totals;
  const value = figure && !match ? totals.value.get(column.name)?.[figure] : null;
  if (value === null || value === undefined || column.type === 'text') return '';
  return typeof value === 'number' ? measured(value) : columnText(column, value);
}

const watching = new ResizeObserver(([{ contentRect }]) => (room.value = contentRect.width));
onMounted(() => watching.observe(scroller.value!));
onBeforeUnmount(() => watching.disconnect());

/** What the table shows, and in which order. */
const state = computed(() => {
  const misses = focus.nearMissesOf === null ? null : (sifting.active?.head.nearMisses[focus.nearMissesOf] ?? 0);
  const held = isSample(source.value) && hasAnswer(source.value) ? total.value : null;
  const shown = held ?? (misses === null ? sifting.kept : misses);
  if (shown === null) return '';
  const by = order.value.map(({ column, descending }) => `${nameOf(column).toLowerCase()}${descending ? ', largest first' : ''}`);
  const sorted = by.length > 0 ? `sorted by ${by.join(', then ')}` : 'in source order';
  return `${plural(shown, 'row')}${misses === null ? '' : ' that fail on one condition only'} · ${sorted}`;
});
watch(state, (text) => emit('state', text), { immediate: true });

/** A feature chosen on the map is brought into view here. */
watch(
  () => focus.key,
  async (key) => {
    if (key === null || [...pages.value.values()].some((page) => page.some((entry) => entry.key === key && isVisible(key)))) return;
    try {
      const { place } = await api.place(source.value.id, { ...focus.selection(), order: order.value, key });
      if (place >= 0) rows.value.scrollToIndex(place, { align: 'center' });
    } catch (error) {
      notices.complain(error);
    }
  },
);
function isVisible(key: FeatureKey): boolean {
  return rows.value.getVirtualItems().some((item) => at(item.index)?.key === key);
}

/** Picks a row or takes its pick back; with the shift key, all from the last one picked to here. */
async function pickAt(index: number, event: MouseEvent): Promise<void> {
  const entry = at(index);
  if (!entry) return;
  const from = lastPicked === null ? null : placeOf(lastPicked);
  lastPicked = entry.key;
  if (!event.shiftKey || from === null || from === index) return picks.toggle(entry.key);
  const [first, last] = [Math.min(from, index), Math.max(from, index)];
  await pickRange(first, last + 1 - first);
}

/** Where a feature stands among the rows that are there; null where it does not, or other rows are coming. */
function placeOf(key: FeatureKey): number | null {
  if (isBehind.value) return null;
  for (const [page, features] of pages.value) {
    const at = features.findIndex((feature) => feature.key === key);
    if (at >= 0) return page * PAGE + at;
  }
  return null;
}

/** Picks the rows of the table from one place on. */
async function pickRange(offset: number, count: number): Promise<void> {
  try {
    picks.add(await api.keys(source.value.id, { ...focus.selection(), order: order.value, offset, count }));
  } catch (error) {
    notices.complain(error);
  }
}

function onRow(index: number, event: MouseEvent): void {
  if (event.ctrlKey || event.metaKey || event.shiftKey) void pickAt(index, event);
  else focus.show(at(index)?.key ?? null, true);
}

/** Picks every row of the table, or takes all picks back. */
function pickAll(): void {
  if (picks.keys.size > 0) picks.clear();
  else void pickRange(0, total.value);
}

function onKey(event: KeyboardEvent): void {
  if (event.key === ' ' && focus.key !== null && !(event.target instanceof HTMLButtonElement)) {
    event.preventDefault();
    return picks.toggle(focus.key);
  }
  const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 10, PageUp: -10 }[event.key];
  if (step === undefined) return;
  event.preventDefault();
  const items = rows.value.getVirtualItems();
  const current = items.find((item) => at(item.index)?.key === focus.key)?.index ?? -1;
  const next = Math.max(0, Math.min(total.value - 1, current + step));
  rows.value.scrollToIndex(next);
  void nextTick(() => {
    const entry = at(next);
    if (entry) focus.show(entry.key, true);
  });
}

const isNumber = (column: ColumnInfo) => column.type === 'number';
</script>

<template>
  <div
    ref="scroller"
    class="table"
    role="grid"
    tabindex="0"
    :aria-rowcount="total"
    :aria-colcount="shown.length + 1"
    :aria-busy="isBehind"
    aria-label="Kept features"
    data-test="table"
    @keydown="onKey"
    @mouseleave="focus.hovered = null"
  >
    <div class="head" role="row" :style="{ gridTemplateColumns: grid, width: `${width}px` }">
      <span class="tick pinned" role="columnheader">
        <button
          type="button"
          role="checkbox"
          :aria-checked="picks.keys.size > 0 ? 'mixed' : 'false'"
          :aria-label="picks.keys.size > 0 ? 'Clear the picks' : 'Pick every row'"
          :title="picks.keys.size > 0 ? 'Clear the picks' : 'Pick every row'"
          data-test="pick-all"
          @click="pickAll"
        />
      </span>
      <template v-for="(one, i) in drawn" :key="one.column.name">
        <span v-if="i === pinned.length" role="presentation" />
        <ColumnHead
          :shown="one"
          :sort="order"
          :class="{ pinned: one.pinned, before: dragged?.before === one.column.name }"
          :style="stuck(one)"
          :aria-colindex="one.number"
          :draggable="!one.match"
          @sort="(beside) => sort(one, beside)"
          @width="(pixels) => (sizing = { [one.column.name]: pixels })"
          @sized="keepWidths"
          @fit="fit(one)"
          @pin="pin(one)"
          @hide="views.lay({ hidden: [...views.layout.hidden, one.column.name] })"
          @move="(by) => moveBy(one, by)"
          @find="(text) => find(one, text)"
          @dragstart="dragged = { name: one.column.name, before: one.column.name }"
          @dragover="dragOver(one, $event)"
          @drop.prevent="dropped"
          @dragend="dragged = null"
        />
      </template>
      <span class="end" role="columnheader" aria-label="Layout"><TableMenu :rows="total" @go="goTo" /></span>
    </div>
    <div v-if="total > 0" class="rows" :style="{ height: `${rows.getTotalSize()}px`, width: `${width}px` }">
      <div
        v-for="item in rows.getVirtualItems()"
        :key="item.index"
        class="row"
        role="row"
        :aria-rowindex="item.index + 1"
        :aria-selected="picks.keys.has(at(item.index)?.key ?? -1)"
        :class="{ asked: at(item.index)?.key === focus.key, hovered: at(item.index)?.key === focus.hovered }"
        :style="{ transform: `translateY(${item.start}px)`, gridTemplateColumns: grid, width: `${width}px` }"
        @click="onRow(item.index, $event)"
        @mouseenter="focus.hovered = at(item.index)?.key ?? null"
      >
        <template v-if="at(item.index)">
          <span class="tick pinned" role="gridcell"
            ><button
              type="button"
              role="checkbox"
              tabindex="-1"
              :aria-checked="picks.keys.has(at(item.index)!.key)"
              :aria-label="`Pick row ${item.index + 1}`"
              data-test="pick"
              @click.stop="pickAt(item.index, $event)"
          /></span>
          <template v-for="(one, i) in drawn" :key="one.column.name">
            <span v-if="i === pinned.length" role="presentation" />
            <span
              role="gridcell"
              :aria-colindex="one.number"
              :class="{
                pinned: one.pinned,
                match: one.match,
                number: isNumber(one.column),
                blank: cellOf(one, at(item.index)!.cells[one.cell]).faint,
              }"
              :style="stuck(one)"
              :title="wholeOf(one, at(item.index)!.cells[one.cell])"
              >{{ cellOf(one, at(item.index)!.cells[one.cell]).text }}</span
            >
          </template>
        </template>
        <span v-else class="soft pinned" role="gridcell">…</span>
      </div>
    </div>
    <p v-else-if="isSample(source) && sifting.keptHere === 0" class="nothing">No row of the sample is kept.</p>
    <p v-else-if="sifting.kept === 0" class="nothing">
      <b>Nothing is kept.</b>
      <span class="soft">The counts in the stack show which condition leaves none. Switch it off or loosen it.</span>
    </p>
    <div
      v-if="views.layout.totals && total > 0"
      class="totals"
      role="row"
      :style="{ gridTemplateColumns: grid, width: `${width}px` }"
      data-test="totals-row"
    >
      <span class="tick pinned" role="gridcell" />
      <template v-for="(one, i) in drawn" :key="one.column.name">
        <span v-if="i === pinned.length" role="presentation" />
        <span role="gridcell" :class="{ pinned: one.pinned, number: isNumber(one.column) }" :style="stuck(one)">
          {{ i === 0 && totalOf(one) === '' ? FIGURES[views.layout.totals] : totalOf(one) }}
        </span>
      </template>
    </div>
  </div>
</template>

<style scoped>
.table {
  flex: 1;
  min-height: 0;
  overflow: auto;
  outline-offset: -2px;
}
.head {
  position: sticky;
  top: 0;
  z-index: 3;
  display: grid;
  grid-auto-flow: column;
  min-width: 100%;
  background: var(--surface);
  border-bottom: 1px solid var(--line);
}
.head .before {
  box-shadow: -2px 0 0 var(--copper);
}
.end {
  position: sticky;
  right: 0;
  z-index: 4;
  display: flex;
  justify-self: end;
}
.totals {
  position: sticky;
  bottom: 0;
  z-index: 3;
  display: grid;
  min-width: 100%;
  background: var(--surface);
  border-top: 1px solid var(--line);
  font-weight: 600;
}
.totals > span {
  padding: 3px 12px;
  overflow: hidden;
  white-space: nowrap;
}
.rows {
  position: relative;
  min-width: 100%;
}
.row {
  position: absolute;
  top: 0;
  left: 0;
  display: grid;
  min-width: 100%;
  height: 27px;
  align-items: stretch;
  cursor: pointer;
  border-bottom: 1px solid var(--sunk);
}
.row > span {
  padding: 4px 12px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.number {
  text-align: right !important;
}
.pinned {
  position: sticky !important;
  left: 0;
  z-index: 2;
  background: var(--paper) !important;
  border-right: 1px solid var(--line) !important;
}
.tick {
  display: grid;
  place-items: center;
  padding: 0 !important;
}
.tick button {
  width: 14px;
  height: 14px;
  padding: 0;
  border: 1.5px solid var(--soft);
  border-radius: 50%;
  background: none;
  opacity: 0.55;
  cursor: pointer;
}
.tick button:hover,
.tick button[aria-checked='true'],
.tick button[aria-checked='mixed'] {
  border-color: var(--violet);
  opacity: 1;
}
.tick button[aria-checked='true'] {
  background: var(--violet);
}
.tick button[aria-checked='mixed'] {
  background: radial-gradient(circle, var(--violet) 0 3px, transparent 3.6px);
}
.blank {
  font-style: italic;
  color: var(--soft);
}
.row.hovered,
.row.hovered .pinned {
  background: var(--sunk) !important;
}
.row.asked,
.row.asked .pinned {
  background: var(--violet-tint) !important;
}
.nothing {
  padding: 22px 16px;
  margin: 0;
}
</style>
