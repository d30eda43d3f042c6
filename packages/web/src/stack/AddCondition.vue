<script setup lang="ts">
import {
  mdiCalendarOutline,
  mdiCalendarRange,
  mdiCheckboxMarkedOutline,
  mdiCircleOutline,
  mdiFormatLetterCase,
  mdiGroup,
  mdiLasso,
  mdiLayersOutline,
  mdiNumeric,
  mdiRectangleOutline,
  mdiSetCenter,
  mdiVectorPolyline,
  mdiVectorPolygon,
} from '@mdi/js';
import {
  areaRef,
  call,
  exprOfForm,
  formatDay,
  GEOMETRY_NAME,
  operandRef,
  property,
  shiftDay,
  type Form,
  type Combine,
  type Expr,
} from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed, nextTick, ref } from 'vue';
import { useMapShow } from '../stores/map_show.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { firstExpr } from './first_expr.ts';
import { useTreeEditing } from './tree_editing.ts';

const props = defineProps<{ parent: string; small?: boolean }>();
const workspace = useWorkspace();
const show = useMapShow();
const editing = useTreeEditing();
const open = ref(false);
const search = ref('');
const field = ref<HTMLInputElement>();

const ICONS: Record<ColumnInfo['type'], string> = {
  number: mdiNumeric,
  text: mdiFormatLetterCase,
  boolean: mdiCheckboxMarkedOutline,
  date: mdiCalendarOutline,
  datetime: mdiCalendarOutline,
};
const TYPES: Record<ColumnInfo['type'], string> = {
  number: 'number',
  text: 'text',
  boolean: 'yes/no',
  date: 'date',
  datetime: 'date and time',
};
const AREAS = [
  { tool: 'polygon', icon: mdiVectorPolygon, title: 'In a polygon that I draw' },
  { tool: 'lasso', icon: mdiLasso, title: 'In a shape that I draw by hand' },
  { tool: 'circle', icon: mdiCircleOutline, title: 'Within a distance of a place' },
  { tool: 'rectangle', icon: mdiRectangleOutline, title: 'In a rectangle that I draw' },
  { tool: 'line', icon: mdiVectorPolyline, title: 'Within a distance of a line that I draw' },
] as const;
const GROUPS: { combine: Combine; title: string }[] = [
  { combine: 'any', title: 'Group: any of' },
  { combine: 'none', title: 'Group: none of' },
  { combine: 'all', title: 'Group: all of' },
];

const columns = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  const all = (workspace.activeSource?.columns ?? []).filter((column) => !column.hidden);
  return all.filter((column) => `${column.name} ${labelOf(column)}`.toLowerCase().includes(wanted));
});

function onOpen(now: boolean): void {
  search.value = '';
  if (now) void nextTick(() => setTimeout(() => field.value?.focus(), 30));
}

function addColumn(column: ColumnInfo): void {
  open.value = false;
  void editing.addCondition(firstExpr(column), props.parent);
}

function addArea(name: string): void {
  open.value = false;
  void editing.addCondition(call('s_intersects', property(GEOMETRY_NAME), areaRef(name)), props.parent);
}

/** Begins with the first other source; the editor then offers all of them, and the sieves. */
function addOperand(): void {
  open.value = false;
  const { ownSources, activeSource } = workspace;
  const other = ownSources.find(({ id }) => id !== activeSource?.id) ?? activeSource!;
  const place = operandRef('SOURCE', other.name) as unknown as Expr;
  void editing.addCondition(call('S_DWITHIN', property(GEOMETRY_NAME), place, 100, 'm'), props.parent);
}

/** Other sieves of the same source: what they keep too, or do not, is a condition of its own. */
const siblings = computed(() =>
  workspace.sieves.filter(({ id, sourceId }) => id !== workspace.activeSieveId && sourceId === workspace.activeSource?.id),
);

/** Begins with the first of them; the editor then offers all. */
async function addKeptBy(): Promise<void> {
  open.value = false;
  const name = await workspace.namedSieve((siblings.value.find((one) => one.name !== null) ?? siblings.value[0]).id);
  void editing.addCondition(exprOfForm({ kind: 'sieve', name, outside: false, blanks: false }), props.parent);
}

const dates = computed(() =>
  (workspace.activeSource?.columns ?? []).filter(({ type, hidden }) => !hidden && (type === 'date' || type === 'datetime')),
);

/** The first two columns of dates as a period, against the year up to the as-of date. */
function addSpan(): void {
  open.value = false;
  const [start, end] = dates.value;
  const to = formatDay(workspace.asOfDay);
  const from = formatDay(shiftDay(workspace.asOfDay, -1, 'years') + 1);
  const form: Form = {
    kind: 'span',
    start: start.name,
    end: end.name,
    relation: 'intersects',
    from,
    to,
    open: end.nulls > 0,
    blanks: false,
  };
  void editing.addCondition(exprOfForm(form), props.parent);
}

function draw(tool: (typeof AREAS)[number]['tool']): void {
  open.value = false;
  show.useTool(tool);
}
</script>

<template>
  <div class="add" :class="{ small }">
    <v-menu v-model="open" :close-on-content-click="false" max-width="330" @update:model-value="onOpen">
      <template #activator="{ props: menu }">
        <button v-if="small" class="plain" type="button" v-bind="menu">+ add to the group</button>
        <button v-else class="plain" type="button" data-part="add" data-test="add-condition" v-bind="menu">
          <b>+ Add a condition</b> <span class="soft">from a column or an area</span>
        </button>
      </template>
      <v-card class="pick" width="320">
        <input
          ref="field"
          v-model="search"
          class="entry-field search"
          type="search"
          placeholder="Find a column"
          aria-label="Find a column"
          @keydown.enter="columns.length > 0 && addColumn(columns[0])"
        />
        <v-list density="compact" class="columns">
          <v-list-item v-for="column in columns" :key="column.name" :prepend-icon="ICONS[column.type]" @click="addColumn(column)">
            <v-list-item-title>{{ labelOf(column) }}</v-list-item-title>
            <template #append
              ><span class="soft type">{{ TYPES[column.type] }}</span></template
            >
          </v-list-item>
          <v-list-item v-if="columns.length === 0" disabled title="No column has this in its name" />
        </v-list>
        <v-divider />
        <v-list density="compact">
          <v-list-item
            v-for="area in workspace.areas"
            :key="area.name"
            :prepend-icon="mdiVectorPolygon"
            :title="`In the area ${area.name}`"
            @click="addArea(area.name)"
          />
          <v-list-item
            v-if="dates.length > 1"
            :prepend-icon="mdiCalendarRange"
            title="By the time between two dates"
            data-test="add-span"
            @click="addSpan"
          />
          <v-list-item
            v-if="workspace.activeSource"
            :prepend-icon="mdiLayersOutline"
            title="By another source or sieve"
            data-test="add-layer"
            @click="addOperand"
          />
          <v-list-item
            v-if="siblings.length > 0"
            :prepend-icon="mdiSetCenter"
            title="By what another sieve here keeps"
            data-test="add-kept-by"
            @click="addKeptBy"
          />
          <v-list-item
            v-for="area in AREAS"
            v-show="!small"
            :key="area.tool"
            :prepend-icon="area.icon"
            :title="area.title"
            @click="draw(area.tool)"
          />
          <template v-if="workspace.activeSieve">
            <v-list-item
              v-for="group in GROUPS"
              :key="group.combine"
              :prepend-icon="mdiGroup"
              :title="group.title"
              @click="
                open = false;
                editing.addGroup(group.combine, parent);
              "
            />
          </template>
        </v-list>
      </v-card>
    </v-menu>
  </div>
</template>

<style scoped>
.add {
  position: relative;
  padding: 14px 16px 18px;
}
.add b {
  color: var(--spruce);
}
.add.small {
  padding: 2px 0 4px 10px;
  font-size: 12.5px;
  color: var(--spruce);
}
.pick {
  border-radius: 10px !important;
}
.search {
  display: block;
  width: calc(100% - 20px);
  margin: 10px 10px 4px;
}
.columns {
  max-height: 300px;
  overflow-y: auto;
}
.type {
  font-size: 12.5px;
}
.pick :deep(.v-list-item__prepend) {
  width: 30px;
}
.pick :deep(.v-list-item__spacer) {
  width: 10px !important;
}
.pick :deep(.v-icon) {
  font-size: 18px;
  color: var(--soft);
}
</style>
