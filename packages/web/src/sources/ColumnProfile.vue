<script setup lang="ts">
import { mdiFilterPlusOutline } from '@mdi/js';
import { dayInWords, type TypeOffer } from '@clean-sieve/core';
import type { ColumnInfo, ProfileAnswer, SourceInfo } from '@clean-sieve/server/api';
import { useVirtualizer } from '@tanstack/vue-virtual';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { exprOfStretch, exprOfValue } from '../stack/first_expr.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { columnText, labelOf } from '../words/cells.ts';
import { counted, measured } from '../words/numbers.ts';
import TypeOffers from './TypeOffers.vue';

const props = defineProps<{ source: SourceInfo; column: ColumnInfo }>();
const emit = defineEmits<{ condition: [expr: ReturnType<typeof exprOfValue>] }>();
const workspace = useWorkspace();
const notices = useNotices();

const profile = shallowRef<ProfileAnswer | null>(null);
const offers = shallowRef<TypeOffer[]>([]);
const search = ref('');
const scroller = ref<HTMLElement | null>(null);

watch(
  () => [props.source.id, props.column.name],
  async () => {
    profile.value = null;
    offers.value = [];
    search.value = '';
    const asked = props.column;
    try {
      const answer = await api.profile(props.source.id, asked.name);
      if (asked !== props.column) return;
      profile.value = answer;
      if (asked.type === 'text') offers.value = await api.offers(props.source.id, asked.name);
    } catch (error) {
      notices.complain(error);
    }
  },
  { immediate: true },
);

const text = (value: string | number | boolean | null) => (value === null ? '–' : columnText(props.column, value));
const numbers = computed(() => {
  const p = profile.value;
  if (!p) return [];
  const out: [string, string][] = [
    ['Distinct', counted(p.distinct)],
    ['Missing', counted(p.nulls)],
  ];
  if (props.column.type === 'text') out.push(['Empty text', counted(p.empty)]);
  if (props.column.type !== 'boolean')
    out.push(
      [props.column.type === 'text' ? 'First' : 'Smallest', text(p.min)],
      [props.column.type === 'text' ? 'Last' : 'Largest', text(p.max)],
    );
  if (p.median !== null) out.push(['Median', text(p.median)]);
  if (p.mean !== null) out.push(['Mean', measured(p.mean)], ['Sum', measured(p.sum!)]);
  if (p.gap && p.gap.days > 0)
    out.push(['Longest gap', `${counted(p.gap.days)} days, ${dayInWords(p.gap.from)} to ${dayInWords(p.gap.to)}`]);
  return out;
});

const [WIDTH, HEIGHT] = [600, 74];
const bars = computed(() => {
  const histogram = profile.value?.histogram;
  if (!histogram || histogram.high <= histogram.low) return [];
  const most = Math.max(...histogram.all);
  const step = (histogram.high - histogram.low) / histogram.all.length;
  return histogram.all.map((count, i) => ({
    count,
    height: count === 0 ? 0 : Math.max(1.5, Math.sqrt(count / most) * HEIGHT),
    low: histogram.low + i * step,
    high: histogram.low + (i + 1) * step,
  }));
});
function bound(value: number): number {
  return props.column.type === 'number' ? Number(value.toPrecision(6)) : value;
}

const unknown = computed(() => {
  if (props.column.codeList === null || !profile.value) return 0;
  return profile.value.values.filter(({ value }) => workspace.meaningOf(props.column, value) === undefined).length;
});
const listed = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  return (profile.value?.values ?? []).filter(({ value }) =>
    `${value} ${workspace.meaningOf(props.column, value) ?? ''}`.toLowerCase().includes(wanted),
  );
});
const virtual = useVirtualizer(
  computed(() => ({
    count: listed.value.length,
    getScrollElement: () => scroller.value,
    estimateSize: () => 26,
    overscan: 8,
  })),
);

const title = ref('');
const description = ref('');
watch(
  () => props.column,
  (column) => {
    title.value = column.title ?? '';
    description.value = column.description ?? '';
  },
  { immediate: true },
);
function saveWords(): void {
  const change = { title: title.value.trim() || null, description: description.value.trim() || null };
  if (change.title === props.column.title && change.description === props.column.description) return;
  void workspace.changeColumn(props.source.id, props.column, change);
}
const lists = computed(() => [
  { value: null, title: 'No code list' },
  ...workspace.codeLists.map(({ id, name, entries }) => ({
    value: id,
    title: `${name} (${counted(entries.length)} codes)`,
  })),
]);
const listName = ref('');
const meaningColumn = ref<string | null>(null);
const otherTexts = computed(() =>
  props.source.columns.filter((c) => c.name !== props.column.name && c.type === 'text').map((c) => ({ value: c.name, title: labelOf(c) })),
);

async function listFromColumns(): Promise<void> {
  try {
    const name = listName.value.trim() || `${labelOf(props.column)} by ${meaningColumn.value}`;
    workspace.take(await api.codeListOfColumns(props.source.id, name, props.column.name, meaningColumn.value!));
    const made = workspace.codeLists[workspace.codeLists.length - 1];
    await workspace.changeColumn(props.source.id, props.column, { codeList: made.id });
    meaningColumn.value = null;
  } catch (error) {
    notices.complain(error);
  }
}
async function removeDerived(): Promise<void> {
  try {
    workspace.putSource(await api.removeColumn(props.source.id, props.column.name));
  } catch (error) {
    notices.complain(error);
  }
}
</script>

<template>
  <div class="profile" data-test="column-profile">
    <div class="words">
      <v-text-field
        v-model="title"
        label="Shown as"
        :placeholder="labelOf({ ...column, title: null })"
        maxlength="200"
        data-test="column-title"
        @blur="saveWords"
        @keydown.enter="saveWords"
      />
      <v-text-field v-model="description" label="Description" maxlength="2000" @blur="saveWords" @keydown.enter="saveWords" />
      <v-checkbox
        :model-value="column.hidden"
        label="Hidden"
        data-test="column-hidden"
        @update:model-value="(on) => workspace.changeColumn(source.id, column, { hidden: on === true })"
      />
    </div>
    <p v-if="column.derivation" class="soft derived">
      Made from {{ column.derivation.from }}; what cannot be converted there is blank here.
      <button class="plain link" type="button" @click="removeDerived">Remove this column</button>
    </p>
    <p v-if="!profile" class="soft">Counting the values …</p>
    <template v-else>
      <dl>
        <div v-for="[term, value] in numbers" :key="term">
          <dt>{{ term }}</dt>
          <dd>{{ value }}</dd>
        </div>
      </dl>
      <svg
        v-if="bars.length > 0"
        class="bars"
        :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
        preserveAspectRatio="none"
        role="img"
        :aria-label="`How the values of ${labelOf(column)} spread`"
      >
        <g
          v-for="(bar, i) in bars"
          :key="i"
          class="bar"
          @click="bar.count > 0 && emit('condition', exprOfStretch(column, bound(bar.low), bound(bar.high)))"
        >
          <title>{{ counted(bar.count) }} features; click to make a condition</title>
          <rect class="reach" :x="(i * WIDTH) / bars.length" y="0" :width="WIDTH / bars.length" :height="HEIGHT" />
          <rect
            class="fill"
            :x="(i * WIDTH) / bars.length"
            :y="HEIGHT - bar.height"
            :width="WIDTH / bars.length - 1"
            :height="bar.height"
          />
        </g>
      </svg>
      <TypeOffers v-for="offer in offers" :key="offer.derivation.as" :offer="offer" :source="source" :column="column" />
      <div v-if="column.type === 'text' || column.type === 'number'" class="codes">
        <v-select
          :model-value="column.codeList"
          :items="lists"
          label="Code list"
          data-test="code-list"
          @update:model-value="(id: number | null) => workspace.changeColumn(source.id, column, { codeList: id })"
        />
        <template v-if="column.codeList === null && otherTexts.length > 0">
          <v-select v-model="meaningColumn" :items="otherTexts" label="or take meanings from" clearable data-test="meaning-column" />
          <v-btn variant="tonal" :disabled="!meaningColumn" @click="listFromColumns">Make the list</v-btn>
        </template>
        <span v-if="unknown > 0" class="warn">{{ counted(unknown) }} {{ unknown === 1 ? 'value is' : 'values are' }} not in the list</span>
      </div>
      <input
        v-model="search"
        class="entry-field search"
        type="search"
        :placeholder="`Find in ${counted(profile.values.length)} values`"
        aria-label="Find a value"
      />
      <div ref="scroller" class="values">
        <div :style="{ height: `${virtual.getTotalSize()}px`, position: 'relative' }">
          <div
            v-for="item in virtual.getVirtualItems()"
            :key="item.index"
            class="value"
            :style="{ transform: `translateY(${item.start}px)` }"
          >
            <span class="share" :style="{ width: `${(100 * listed[item.index].count) / profile.rows}%` }" />
            <span class="name">{{
              listed[item.index].value === '' ? 'empty text' : workspace.shownOf(column, listed[item.index].value)
            }}</span>
            <span v-if="column.codeList !== null && workspace.meaningOf(column, listed[item.index].value) === undefined" class="warn"
              >not in the list</span
            >
            <span class="soft">{{ counted(listed[item.index].count) }}</span>
            <button
              class="plain"
              type="button"
              :aria-label="`Make a condition of ${listed[item.index].value}`"
              @click="emit('condition', exprOfValue(column, listed[item.index].value))"
            >
              <v-icon :icon="mdiFilterPlusOutline" size="16" />
            </button>
          </div>
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.profile {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-width: 0;
  min-height: 0;
  padding-top: 6px;
  overflow-y: auto;
}
.words,
.codes {
  display: grid;
  grid-template-columns: 1fr 1.6fr auto;
  gap: 10px;
  align-items: center;
}
.codes {
  grid-template-columns: 1fr 1fr auto auto;
}
p {
  margin: 0;
}
dl {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 26px;
  margin: 0;
}
dt {
  font-size: 12.5px;
  color: var(--soft);
}
dd {
  margin: 0;
  font-weight: 600;
}
.bars {
  flex: none;
  width: 100%;
  height: 74px;
  border-bottom: 1px solid var(--line);
}
.bar {
  cursor: pointer;
}
.reach {
  fill: transparent;
}
.fill {
  fill: var(--spruce-2);
}
.bar:hover .fill {
  fill: var(--copper);
}
.search {
  flex: none;
}
.values {
  flex: 1;
  min-height: 150px;
  overflow-y: auto;
}
.value {
  position: absolute;
  inset: 0 0 auto 0;
  display: flex;
  align-items: center;
  gap: 10px;
  height: 26px;
  padding: 0 8px;
}
.share {
  position: absolute;
  left: 0;
  top: 3px;
  bottom: 3px;
  border-radius: 4px;
  background: var(--tint);
}
.value > :not(.share) {
  position: relative;
}
.name {
  flex: 1;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.value button {
  color: var(--soft);
}
.value button:hover {
  color: var(--copper-text);
}
.warn {
  color: var(--copper-text);
  font-size: 12.5px;
}
</style>
