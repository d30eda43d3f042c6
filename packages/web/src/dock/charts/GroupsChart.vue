<script setup lang="ts">
import { mdiContentCopy, mdiTrayArrowDown } from '@mdi/js';
import { type ChartOf, type Expr, type Figures, type GroupOfFeatures } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { computed, ref } from 'vue';
import { copyTable } from '../../clipboard/clipboard.ts';
import { saveFile } from '../../clipboard/save_file.ts';
import { exprOfExactly } from '../../stack/exact_value.ts';
import { useTreeEditing } from '../../stack/tree_editing.ts';
import { useNotices } from '../../stores/notices.ts';
import { useViews } from '../../stores/views.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { columnText, headingOf, labelOf } from '../../words/cells.ts';
import { counted, measured, plural } from '../../words/numbers.ts';
import { useChartAnswer } from './chart_answer.ts';
import ChartFrame from './ChartFrame.vue';
import { groupsCsv } from './groups_file.ts';
import { firstNumber, firstValued, measuresOf } from './first_charts.ts';

/** A number by one or two columns: how many of each group are kept, and the figures of the kept ones or of the whole source. */
const props = defineProps<{ chart: ChartOf<'groups'> }>();
const views = useViews();
const workspace = useWorkspace();
const editing = useTreeEditing();
const notices = useNotices();

/** Columns of more values than this make no groups to look at. */
const MOST_VALUES = 5000;
const MOST_SHOWN = 500;

const source = computed(() => workspace.activeSource!);
const grouping = computed(() => source.value.columns.filter(({ hidden, distinct }) => !hidden && distinct > 0 && distinct <= MOST_VALUES));
const numbers = computed(() => measuresOf(source.value.columns));
const named = (name: string | null) => source.value.columns.find((column) => column.name === name) ?? null;
/** At first what is told apart at a glance, and the first number. */
const by = computed(() => named(props.chart.by) ?? firstValued(grouping.value));
const and = computed(() => named(props.chart.and));
const of = computed(() => (props.chart.of === '' ? null : (named(props.chart.of) ?? firstNumber(source.value.columns))));
const columnsOf = computed(() => [by.value, and.value].filter((column) => column !== null));
const which = ref<'kept' | 'all'>('kept');

const { answer: groups, picked } = useChartAnswer(
  computed(() => {
    const names = columnsOf.value.map(({ name }) => name);
    return names.length > 0 ? { kind: 'groups' as const, by: names, of: of.value?.name ?? null } : null;
  }),
);
/** How many picked features are in a group. */
const pickedOf = computed(() => new Map((picked.value ?? []).map((group) => [JSON.stringify(group.by), group.kept.rows])));
const pickedIn = ({ by: values }: GroupOfFeatures) => pickedOf.value.get(JSON.stringify(values)) ?? 0;

const FIGURES = [
  { key: 'sum', title: 'sum', numeric: true },
  { key: 'mean', title: 'mean', numeric: true },
  { key: 'median', title: 'median', numeric: false },
  { key: 'min', title: 'smallest', numeric: false },
  { key: 'max', title: 'largest', numeric: false },
] as const;
type FigureKey = (typeof FIGURES)[number]['key'];
const figures = computed(() => (of.value ? FIGURES.filter(({ numeric }) => !numeric || of.value!.type === 'number') : []));

type SortKey = 'group' | 'kept' | 'all' | 'picked' | FigureKey;
const order = ref<{ key: SortKey; down: boolean }>({ key: 'group', down: false });
function sort(key: SortKey): void {
  // Numbers begin with the largest.
  order.value = order.value.key === key ? { key, down: !order.value.down } : { key, down: key !== 'group' };
}
const valueOf = (group: GroupOfFeatures, key: SortKey) => {
  if (key === 'kept' || key === 'all') return group[key].rows;
  if (key === 'picked') return pickedIn(group);
  return key === 'group' ? null : group[which.value][key];
};
const sorted = computed(() => {
  const { key, down } = order.value;
  const all = [...(groups.value ?? [])];
  if (key === 'group') return down ? all.reverse() : all;
  return all.sort((a, b) => {
    const [x, y] = [valueOf(a, key), valueOf(b, key)];
    if (x === null || y === null) return Number(x === null) - Number(y === null);
    return (x < y ? -1 : x > y ? 1 : 0) * (down ? -1 : 1);
  });
});
const shown = computed(() => sorted.value.slice(0, MOST_SHOWN));
const most = computed(() => Math.max(1, ...(groups.value ?? []).map(({ all }) => all.rows)));
const said = computed(() => {
  const many = groups.value?.length;
  return many === undefined ? '' : `${plural(many, 'group')}${many > MOST_SHOWN ? `, the first ${MOST_SHOWN} shown` : ''}`;
});

type Value = GroupOfFeatures['by'][number];
function textOf(column: ColumnInfo, value: Value): string {
  if (value === null) return 'blank';
  return value === '' ? 'empty text' : workspace.shownOf(column, value);
}
function figureText(value: Figures[FigureKey]): string {
  if (value === null) return '–';
  return typeof value === 'number' ? measured(value) : columnText(of.value!, value);
}

/** The conditions that keep exactly the features of a group; null where there are none. */
function conditionsOf({ by: values }: GroupOfFeatures): Expr[] | null {
  const exprs = columnsOf.value.map((column, i) => exprOfExactly(column, values[i]));
  return exprs.every((expr) => expr !== null) ? exprs : null;
}
function keep(group: GroupOfFeatures): void {
  const exprs = conditionsOf(group);
  if (exprs) editing.narrowBy(exprs, 'keep a group');
}

async function copy(): Promise<void> {
  const heads = [...columnsOf.value.map(({ name }) => name), 'kept', 'of', ...figures.value.map(({ key }) => `${of.value!.name}_${key}`)];
  const rows = sorted.value.map((group) => [
    ...group.by,
    group.kept.rows,
    group.all.rows,
    ...figures.value.map(({ key }) => group[which.value][key]),
  ]);
  try {
    await copyTable(heads, rows);
    notices.say(`${plural(rows.length, 'group')} on the clipboard; paste them into a spreadsheet.`);
  } catch (error) {
    notices.complain(error);
  }
}
/** All groups in a file, kept beside all. */
function save(): void {
  const keys = figures.value.map(({ key }) => key);
  const csv = groupsCsv(sorted.value, columnsOf.value, of.value, keys, (column, value) => workspace.meaningOf(column, value));
  const what = workspace.activeSieve ? workspace.nameOf(workspace.activeSieve) : source.value.name;
  saveFile(new Blob([csv], { type: 'text/csv' }), `${what} by ${columnsOf.value.map(labelOf).join(' and ')}.csv`);
}
const items = (columns: ColumnInfo[]) => columns.map((column) => ({ value: column.name, title: labelOf(column) }));
const none = (title: string) => ({ value: '', title });
const choices = computed(() => [
  { key: 'by' as const, label: 'By', value: by.value?.name ?? '', items: items(grouping.value) },
  {
    key: 'and' as const,
    label: 'and by',
    value: and.value?.name ?? '',
    items: [none('–'), ...items(grouping.value.filter(({ name }) => name !== by.value?.name))],
  },
  { key: 'of' as const, label: 'Figures of', value: of.value?.name ?? '', items: [none('how many'), ...items(numbers.value)] },
]);
const sortOf = (key: SortKey) => (order.value.key !== key ? 'none' : order.value.down ? 'descending' : 'ascending');
const nothing = computed(() => {
  if (!by.value) return 'This source has no column that makes groups.';
  return groups.value === null ? 'Counting …' : '';
});
</script>

<template>
  <ChartFrame :chart="chart" :nothing="nothing" :said="said">
    <template v-if="by" #controls>
      <div class="bar">
        <v-select
          v-for="one in choices"
          :key="one.key"
          :model-value="one.value"
          :items="one.items"
          :label="one.label"
          class="choice"
          :data-test="`group-${one.key}`"
          @update:model-value="(name: string) => views.putChart({ ...chart, [one.key]: name })"
        />
        <v-btn-toggle v-if="of" v-model="which" mandatory density="compact" variant="outlined" divided>
          <v-btn value="kept" size="small">kept</v-btn>
          <v-btn value="all" size="small">whole source</v-btn>
        </v-btn-toggle>
        <button class="plain copy" type="button" aria-label="Copy the groups" :disabled="!groups" @click="copy">
          <v-icon :icon="mdiContentCopy" size="16" />
          <v-tooltip activator="parent" location="top" text="Copy all groups for a spreadsheet" />
        </button>
        <button
          class="plain copy"
          type="button"
          aria-label="Save the groups as CSV"
          :disabled="!groups"
          data-test="save-groups"
          @click="save"
        >
          <v-icon :icon="mdiTrayArrowDown" size="16" />
          <v-tooltip activator="parent" location="top" text="Save all groups as CSV, kept beside all" />
        </button>
      </div>
    </template>
    <div v-if="by" class="scroll" data-test="group-table">
      <table>
        <thead>
          <tr>
            <th :aria-sort="sortOf('group')">
              <button type="button" class="plain" @click="sort('group')">
                {{ labelOf(by) }}<template v-if="and"> · {{ labelOf(and) }}</template
                >{{ order.key === 'group' ? (order.down ? ' ↓' : ' ↑') : '' }}
              </button>
            </th>
            <th class="track-head" aria-hidden="true" />
            <th
              v-for="one in [
                { key: 'kept' as const, title: 'kept' },
                { key: 'all' as const, title: 'of' },
                ...(picked ? [{ key: 'picked' as const, title: 'picked' }] : []),
                ...figures.map(({ key, title }) => ({ key, title })),
              ]"
              :key="one.key"
              class="number"
              :aria-sort="sortOf(one.key)"
            >
              <button type="button" class="plain" @click="sort(one.key)">
                {{ one.title }}{{ order.key === one.key ? (order.down ? ' ↓' : ' ↑') : '' }}
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="group in shown" :key="JSON.stringify(group.by)" :class="{ none: group.kept.rows === 0 }" data-test="group">
            <th scope="row">
              <button
                type="button"
                class="plain"
                :disabled="!conditionsOf(group)"
                :title="conditionsOf(group) ? 'Keep only these' : undefined"
                @click="keep(group)"
              >
                <span :class="{ soft: group.by[0] === null }">{{ textOf(by, group.by[0]) }}</span>
                <template v-if="and">
                  · <span :class="{ soft: group.by[1] === null }">{{ textOf(and, group.by[1]) }}</span>
                </template>
              </button>
            </th>
            <td class="track" aria-hidden="true">
              <span class="all" :style="{ width: `${(100 * group.all.rows) / most}%` }" />
              <span class="kept" :style="{ width: `${(100 * group.kept.rows) / most}%` }" />
              <span v-if="pickedIn(group) > 0" class="picked" :style="{ width: `${(100 * pickedIn(group)) / most}%` }" />
            </td>
            <td class="number">{{ counted(group.kept.rows) }}</td>
            <td class="number soft">{{ counted(group.all.rows) }}</td>
            <td v-if="picked" class="number picks">{{ counted(pickedIn(group)) }}</td>
            <td v-for="{ key } in figures" :key="key" class="number">{{ figureText(group[which][key]) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="of" class="soft foot">
        Figures of {{ headingOf(of) }}: {{ which === 'kept' ? 'of what is kept' : 'of the whole source' }}; blanks are left out.
      </p>
    </div>
  </ChartFrame>
</template>

<style scoped>
.bar {
  display: flex;
  flex: 1;
  align-items: center;
  gap: 10px;
  min-width: 0;
  padding-top: 3px;
}
.choice {
  flex: 0 1 128px;
  min-width: 0;
}
.scroll {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding: 0 12px 8px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13.5px;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--surface);
  text-align: left;
  font-weight: 600;
  white-space: nowrap;
}
th,
td {
  padding: 2px 8px;
  border-bottom: 1px solid var(--line);
}
tbody th {
  max-width: 260px;
  text-align: left;
  font-weight: 400;
}
tbody th button {
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  text-align: left;
}
tr.none th,
tr.none td {
  color: var(--soft);
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.track {
  position: relative;
  width: 22%;
  min-width: 70px;
}
.track span {
  position: absolute;
  inset: 7px auto 7px 8px;
  max-width: calc(100% - 16px);
}
.all {
  background: var(--line);
}
.kept {
  background: var(--spruce-2);
}
.track .picked {
  top: 12px;
  background: var(--violet);
}
.picks {
  color: var(--violet);
}
.foot {
  margin: 6px 8px 0;
  font-size: 12.5px;
}
</style>
