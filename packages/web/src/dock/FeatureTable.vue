<script setup lang="ts">
import type { ColumnInfo, Order, RowsAnswer } from '@clean-sieve/server/api';
import { columnInWords, headingInWords, nodesIn } from '@clean-sieve/core';
import { useVirtualizer } from '@tanstack/vue-virtual';
import { computed, nextTick, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { useFocus } from '../stores/focus.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { plural } from '../words/numbers.ts';
import { headingOf, labelOf } from '../words/cells.ts';

const emit = defineEmits<{ state: [text: string] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const notices = useNotices();
const picks = usePicks();

const PAGE = 100;
const ROW_HEIGHT = 27;
const source = computed(() => workspace.activeSource!);
const order = ref<Order>(null);
const pages = shallowRef(new Map<number, RowsAnswer['rows']>());
const total = ref(0);
const scroller = ref<HTMLElement | null>(null);
let generation = 0;
/** The place from which the shift key picks on, as long as the rows stand as they do. */
let lastPicked: number | null = null;
let asked = new Set<number>();

/** Columns that conditions show of what they are about, behind the source's own. */
const matches = shallowRef<RowsAnswer['matches']>([]);
/** A column on show, with its place in a row's cells. */
interface ShownColumn {
  column: ColumnInfo;
  cell: number;
  heading: string;
  match: boolean;
}
const shown = computed<ShownColumn[]>(() => {
  const { columns } = source.value;
  const own = columns
    .map((column, cell) => ({ column, cell, heading: headingOf(column), match: false }))
    .filter(({ column }) => !column.hidden);
  const added = matches.value.map((match, i) => ({
    column: columnOfMatch(match),
    cell: columns.length + i,
    heading: headingInWords(match.name),
    match: true,
  }));
  return [...own.slice(0, 1), ...added, ...own.slice(1)];
});

function columnOfMatch({ name, type }: RowsAnswer['matches'][number]): ColumnInfo {
  const bare = { nulls: 0, empty: 0, distinct: 0, min: null, max: null, title: null, description: null };
  return { ...bare, name, type, hidden: false, derivation: null, codeList: null };
}

/** Column widths in pixels from type and heading; wide texts are cut with an ellipsis and shown whole on hover. */
const widths = computed(() =>
  shown.value.map(({ column, heading: text, match }) => {
    const heading = text.length * 7.4 + 34;
    const content =
      column.type === 'text'
        ? match
          ? 150
          : column.codeList !== null
            ? 190
            : Math.max(String(column.min ?? '').length, String(column.max ?? '').length) * 7.2 + 26
        : column.type === 'datetime'
          ? 170
          : column.type === 'date'
            ? 112
            : 88;
    return Math.round(Math.min(260, Math.max(heading, content, 64)));
  }),
);
/** The column with which rows are picked. */
const TICK = 30;
const grid = computed(() => [TICK, ...widths.value].map((width) => `${width}px`).join(' '));
const width = computed(() => widths.value.reduce((sum, w) => sum + w, TICK));

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
    total.value = answer.total;
    matches.value = answer.matches;
    pages.value = new Map(pages.value).set(page, answer.rows);
  } catch (error) {
    asked.delete(page);
    notices.complain(error);
  }
}

/** New kept features: the rows on show are asked for again, and stay until the new ones are there. */
async function reload(): Promise<void> {
  generation++;
  lastPicked = null;
  asked = new Set();
  const first = Math.floor((scroller.value?.scrollTop ?? 0) / ROW_HEIGHT / PAGE);
  const mine = generation;
  const asking = { ...focus.selection(), order: order.value, offset: first * PAGE, limit: PAGE };
  const answer = await sifting.besides((signal) => api.rows(source.value.id, asking, signal)).catch(notices.complain);
  if (mine !== generation || !answer || !('rows' in answer)) return;
  total.value = answer.total;
  matches.value = answer.matches;
  asked.add(first);
  pages.value = new Map([[first, answer.rows]]);
}
/** Columns that the conditions ask for; sorting by one of them ends when it goes. */
const wanted = computed(() => JSON.stringify([...nodesIn(sifting.shownTree)].map(({ node }) => ('shows' in node ? node.shows : null))));
watch(matches, (now) => {
  const by = order.value?.column;
  if (by && ![...source.value.columns, ...now].some(({ name }) => name === by)) order.value = null;
  // Just outside a distance: the nearest come first.
  const outside = now.find(({ condition, shows }) => shows === 'nearest' && condition === focus.nearMissesOf);
  if (outside && !order.value) order.value = { column: outside.name, descending: false };
});
watch(
  () => [sifting.version, wanted.value, order.value, focus.nearMissesOf, workspace.activeSieveId, source.value.columns.length],
  () => void reload(),
  { immediate: true },
);
watch(
  () => rows.value.getVirtualItems().map((item) => Math.floor(item.index / PAGE)),
  (wanted) => new Set(wanted).forEach((page) => void load(page)),
);

function at(index: number): RowsAnswer['rows'][number] | null {
  return pages.value.get(Math.floor(index / PAGE))?.[index % PAGE] ?? null;
}

function sort(column: ColumnInfo): void {
  const current = order.value;
  if (current?.column !== column.name) order.value = { column: column.name, descending: false };
  else order.value = current.descending ? null : { column: column.name, descending: true };
}
function sortedBy(name: string): string {
  const column = source.value.columns.find((candidate) => candidate.name === name);
  return column ? labelOf(column) : columnInWords(name);
}
/** What the table shows, and in which order. */
const state = computed(() => {
  const misses = focus.nearMissesOf === null ? null : (sifting.active?.head.nearMisses[focus.nearMissesOf] ?? 0);
  const shown = misses === null ? sifting.kept : misses;
  if (shown === null) return '';
  const { column, descending } = order.value ?? {};
  const sorted = column ? `sorted by ${sortedBy(column).toLowerCase()}${descending ? ', largest first' : ''}` : 'in source order';
  return `${plural(shown, 'row')}${misses === null ? '' : ' that fail on one condition only'} · ${sorted}`;
});
watch(state, (text) => emit('state', text), { immediate: true });

/** A feature chosen on the map is brought into view here. */
watch(
  () => focus.row,
  async (row) => {
    if (row === null || [...pages.value.values()].some((page) => page.some((entry) => entry.row === row && isVisible(entry.row)))) return;
    try {
      const { place } = await api.place(source.value.id, { ...focus.selection(), order: order.value, row });
      if (place >= 0) rows.value.scrollToIndex(place, { align: 'center' });
    } catch (error) {
      notices.complain(error);
    }
  },
);
function isVisible(row: number): boolean {
  return rows.value.getVirtualItems().some((item) => at(item.index)?.row === row);
}

/** Picks a row or takes its pick back; with the shift key, all from the last one picked to here. */
async function pickAt(index: number, event: MouseEvent): Promise<void> {
  const entry = at(index);
  if (!entry) return;
  const from = lastPicked;
  lastPicked = index;
  if (!event.shiftKey || from === null || from === index) return picks.toggle(entry.row);
  const [first, last] = [Math.min(from, index), Math.max(from, index)];
  await pickRange(first, last + 1 - first);
}

/** Picks the rows of the table from one place on. */
async function pickRange(offset: number, count: number): Promise<void> {
  try {
    picks.add(await api.rowNumbers(source.value.id, { ...focus.selection(), order: order.value, offset, count }));
  } catch (error) {
    notices.complain(error);
  }
}

function onRow(index: number, event: MouseEvent): void {
  if (event.ctrlKey || event.metaKey || event.shiftKey) void pickAt(index, event);
  else focus.show(at(index)?.row ?? null, true);
}

/** Picks every row of the table, or takes all picks back. */
function pickAll(): void {
  if (picks.rows.size > 0) picks.clear();
  else void pickRange(0, total.value);
}

function onKey(event: KeyboardEvent): void {
  if (event.key === ' ' && focus.row !== null && !(event.target instanceof HTMLButtonElement)) {
    event.preventDefault();
    return picks.toggle(focus.row);
  }
  const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 10, PageUp: -10 }[event.key];
  if (step === undefined) return;
  event.preventDefault();
  const items = rows.value.getVirtualItems();
  const current = items.find((item) => at(item.index)?.row === focus.row)?.index ?? -1;
  const next = Math.max(0, Math.min(total.value - 1, current + step));
  rows.value.scrollToIndex(next);
  void nextTick(() => {
    const entry = at(next);
    if (entry) focus.show(entry.row, true);
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
    aria-label="Kept features"
    data-test="table"
    @keydown="onKey"
    @mouseleave="focus.hovered = null"
  >
    <div class="head" role="row" :style="{ gridTemplateColumns: grid, width: `${width}px` }">
      <span class="tick pinned">
        <button
          type="button"
          role="checkbox"
          :aria-checked="picks.rows.size > 0 ? 'mixed' : 'false'"
          :aria-label="picks.rows.size > 0 ? 'Clear the picks' : 'Pick every row'"
          :title="picks.rows.size > 0 ? 'Clear the picks' : 'Pick every row'"
          data-test="pick-all"
          @click="pickAll"
        />
      </span>
      <button
        v-for="({ column, heading, match }, i) in shown"
        :key="column.name"
        type="button"
        role="columnheader"
        :class="{ pinned: i === 0, number: isNumber(column), match }"
        :aria-sort="order?.column === column.name ? (order.descending ? 'descending' : 'ascending') : 'none'"
        :title="column.name"
        @click="sort(column)"
      >
        {{ heading }}<span v-if="order?.column === column.name">{{ order.descending ? ' ↓' : ' ↑' }}</span>
      </button>
    </div>
    <div v-if="total > 0" class="rows" :style="{ height: `${rows.getTotalSize()}px`, width: `${width}px` }">
      <div
        v-for="item in rows.getVirtualItems()"
        :key="item.index"
        class="row"
        role="row"
        :aria-selected="picks.rows.has(at(item.index)?.row ?? -1)"
        :class="{ asked: at(item.index)?.row === focus.row, hovered: at(item.index)?.row === focus.hovered }"
        :style="{ transform: `translateY(${item.start}px)`, gridTemplateColumns: grid, width: `${width}px` }"
        @click="onRow(item.index, $event)"
        @mouseenter="focus.hovered = at(item.index)?.row ?? null"
      >
        <template v-if="at(item.index)">
          <span class="tick pinned" role="gridcell"
            ><button
              type="button"
              role="checkbox"
              tabindex="-1"
              :aria-checked="picks.rows.has(at(item.index)!.row)"
              :aria-label="`Pick row ${item.index + 1}`"
              data-test="pick"
              @click.stop="pickAt(item.index, $event)"
          /></span>
          <span
            v-for="({ column, cell, match }, i) in shown"
            :key="column.name"
            role="gridcell"
            :class="{ pinned: i === 0, match, number: isNumber(column), blank: at(item.index)!.cells[cell] === null }"
            :title="typeof at(item.index)!.cells[cell] === 'string' ? String(at(item.index)!.cells[cell]) : undefined"
            >{{ at(item.index)!.cells[cell] === null ? 'blank' : workspace.shownOf(column, at(item.index)!.cells[cell]!) }}</span
          >
        </template>
        <span v-else class="soft pinned">…</span>
      </div>
    </div>
    <p v-else-if="sifting.kept === 0" class="nothing">
      <b>Nothing is kept.</b>
      <span class="soft">The counts in the stack show which condition leaves none. Switch it off or loosen it.</span>
    </p>
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
  min-width: 100%;
  background: var(--surface);
  border-bottom: 1px solid var(--line);
}
.head button {
  padding: 4px 12px;
  border: 0;
  background: var(--surface);
  color: var(--soft);
  font: inherit;
  font-size: 12.5px;
  font-weight: 650;
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  cursor: pointer;
}
.head button:hover {
  color: var(--ink);
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
.head .match {
  color: var(--violet);
}
.number {
  text-align: right !important;
}
.pinned {
  position: sticky;
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
.tick ~ .pinned {
  left: 30px;
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
  opacity: 0.75;
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
