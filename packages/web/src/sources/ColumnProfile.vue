<script setup lang="ts">
import { mdiFilterPlusOutline } from '@mdi/js';
import {
  alikeInWords,
  dayInWords,
  figureInWords,
  printFilter,
  typedInWords,
  type TypedDerivation,
  type TypeOffer,
} from '@clean-sieve/core';
import type { ColumnInfo, ProfileAnswer, SourceInfo } from '@clean-sieve/server/api';
import { useVirtualizer } from '@tanstack/vue-virtual';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { exprOfStretch, exprOfValue } from '../stack/first_expr.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { columnText, labelOf } from '../words/cells.ts';
import { counted, measured } from '../words/numbers.ts';
import { joinInWords, placedInWords } from '../joining/join_words.ts';
import { stateOf } from './state.ts';
import SpreadBars from './SpreadBars.vue';
import TypeOffers from './TypeOffers.vue';

const props = defineProps<{ source: SourceInfo; column: ColumnInfo }>();
const emit = defineEmits<{ condition: [expr: ReturnType<typeof exprOfValue>]; change: []; read: [first: TypedDerivation | null] }>();
const workspace = useWorkspace();
const notices = useNotices();

const profile = shallowRef<ProfileAnswer | null>(null);
const offers = shallowRef<TypeOffer[]>([]);
const search = ref('');
const scroller = ref<HTMLElement | null>(null);

watch(
  () => [props.source.id, stateOf(props.source), props.column.name],
  async () => {
    profile.value = null;
    offers.value = [];
    search.value = '';
    const [{ id }, { name, type }] = [props.source, props.column];
    const isAsked = () => id === props.source.id && name === props.column.name;
    try {
      const answer = await api.profile(id, name);
      if (!isAsked()) return;
      profile.value = answer;
      if (type !== 'text') return;
      const offered = await api.offers(id, name);
      if (isAsked()) offers.value = offered;
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

/** What the features of a figure are called now. */
const zonedOf = computed(() => {
  const { derivation } = props.column;
  if (derivation?.kind !== 'zoned') return '';
  const source = workspace.sources.find(({ id }) => id === derivation.source);
  const sieve = workspace.sieves.find(({ id }) => id === derivation.sieve);
  return source ? (sieve ? `${workspace.nameOf(sieve)} of ${source.name}` : source.name) : derivation.called;
});
const behind = computed(() =>
  props.column.derivation && 'behind' in props.column.derivation ? props.column.derivation.behind : undefined,
);
const title = ref('');
const description = ref('');
watch(
  () => [props.source.id, props.column.name, props.column.title, props.column.description] as const,
  ([, , itsTitle, itsDescription]) => {
    title.value = itsTitle ?? '';
    description.value = itsDescription ?? '';
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
    <p v-if="column.derivation?.kind === 'typed'" class="soft derived">
      {{ typedInWords(column.derivation) }}; what cannot be read there is blank here.
      <button class="plain link" type="button" data-test="change-read" @click="emit('change')">Change how it is read</button>{{ ' ' }}
      <button class="plain link" type="button" @click="removeDerived">Remove this column</button>
    </p>
    <p v-else-if="column.derivation?.kind === 'alike'" class="soft derived" data-test="alike">
      The {{ alikeInWords(column.derivation) }}.
      <button class="plain link" type="button" @click="removeDerived">Remove this column</button>
    </p>
    <p v-else-if="column.derivation?.kind === 'joined'" class="soft derived" data-test="joined">
      {{ joinInWords(column.derivation, column.type, workspace.sources) }}.
      <button class="plain link" type="button" @click="removeDerived">Remove this column</button>
    </p>
    <p v-else-if="column.derivation?.kind === 'placed'" class="soft derived" data-test="placed">
      {{ placedInWords(column.derivation, workspace.sources) }}.
      <button class="plain link" type="button" @click="removeDerived">Remove this column</button>
    </p>
    <p v-else-if="column.derivation?.kind === 'zoned'" class="soft derived" data-test="zoned">
      The {{ figureInWords(column.derivation.figure, zonedOf) }}; it follows them.
      <button class="plain link" type="button" @click="removeDerived">Remove this column</button>
    </p>
    <p v-else-if="column.derivation" class="soft derived" data-test="computed">
      Computed: <span class="mono">{{ printFilter(column.derivation.expr) }}</span><template v-if="column.derivation.unit"
        >, in {{ column.derivation.unit }}</template
      ><template v-if="column.derivation.asOf">, as of {{ dayInWords(column.derivation.asOf) }}</template
      >. <button class="plain link" type="button" data-test="change-computed" @click="emit('change')">Change it</button>{{ ' ' }}
      <button class="plain link" type="button" @click="removeDerived">Remove this column</button>
    </p>
    <p v-if="behind" class="warn" role="alert" data-test="behind">
      These values are of an earlier state of what they are made of: {{ behind }}.
    </p>
    <p v-if="!profile" class="soft">Counting the values …</p>
    <template v-else>
      <dl>
        <div v-for="[term, value] in numbers" :key="term">
          <dt>{{ term }}</dt>
          <dd>{{ value }}</dd>
        </div>
      </dl>
      <SpreadBars
        v-if="profile.histogram"
        :histogram="profile.histogram"
        :label="`How the values of ${labelOf(column)} spread`"
        offers
        @stretch="(low, high) => emit('condition', exprOfStretch(column, bound(low), bound(high)))"
      />
      <TypeOffers v-for="offer in offers" :key="offer.derivation.as" :offer="offer" :source="source" :column="column" />
      <p v-if="column.type === 'text'" class="soft">
        <button class="plain link" type="button" data-test="read-column" @click="emit('read', offers[0]?.derivation ?? null)">
          Read it as numbers, dates or yes and no
        </button>
        with units, by a pattern, or with texts replaced
      </p>
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
