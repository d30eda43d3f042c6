<script setup lang="ts">
import { EXACTLY, type KeyPair, type Likeness, type PlacedBy } from '@clean-sieve/core';
import { mdiClose } from '@mdi/js';
import type { ColumnInfo, JoinLook, PlacedLook, SourceInfo } from '@clean-sieve/server/api';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { latest } from '../api/latest.ts';
import ColumnPanel from '../sources/ColumnPanel.vue';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { labelOf } from '../words/cells.ts';
import { counted, measured, plural } from '../words/numbers.ts';
import { sentence } from '../words/sentence.ts';
import KeyReport from './KeyReport.vue';
import { problemOf, type TakenColumn } from './taken_columns.ts';
import TakenColumns from './TakenColumns.vue';
import { useJoin } from './use_join.ts';

/** Columns of another source beside the features that they belong to, by a key or by place: how the two fit is told before. */
const props = defineProps<{ source: SourceInfo }>();
const emit = defineEmits<{ done: [name: string | null] }>();
const workspace = useWorkspace();
const notices = useNotices();
const { look, lookAtPlaced, keep, keepPlaced } = useJoin();

const others = computed(() => workspace.ownSources.filter(({ id }) => id !== props.source.id));
const tableId = ref<number | null>(null);
const table = computed(() => others.value.find(({ id }) => id === tableId.value) ?? null);
/** How features of the two belong to each other. */
const by = ref<'keys' | PlacedBy>('keys');
/** As it is typed: the nearest is at most so many metres away. */
const most = ref('');
const farthest = computed(() => (by.value === 'nearest' && Number(most.value) > 0 ? Number(most.value) : null));
const ways = computed(() => {
  const has = (one: SourceInfo | null, wanted: RegExp) => Object.keys(one?.geometryTypes ?? {}).some((type) => wanted.test(type));
  const isPlaced = [props.source, table.value].every((one) => has(one, /Point|Line|Polygon|Collection/));
  return [
    { value: 'keys', title: 'has the same key' },
    ...(isPlaced && has(table.value, /Polygon/) ? [{ value: 'within', title: 'is the zone that a feature lies in' }] : []),
    ...(isPlaced ? [{ value: 'nearest', title: 'is the nearest' }] : []),
  ];
});
const pairs = ref<KeyPair[]>([]);
const like = ref<Likeness>({ ...EXACTLY });
const taken = ref<TakenColumn[]>([]);

const keyed = shallowRef<JoinLook | null>(null);
const placed = shallowRef<PlacedLook | null>(null);
const looking = ref(false);
const progress = ref('');
const trouble = ref('');
const asking = latest();
onBeforeUnmount(() => void asking(() => Promise.resolve(null)));

watch(tableId, () => {
  pairs.value = [];
  like.value = { ...EXACTLY };
  by.value = 'keys';
  most.value = '';
});
watch([tableId, by], () => (taken.value = []));
watch([tableId, by, farthest], () => void compare());

/** Looks at how the two fit; what was asked before is not wanted any more. */
async function compare(): Promise<void> {
  const [wanted, given] = [table.value, pairs.value.filter(({ own, other }) => own !== '' && other !== '')];
  if (!wanted || (by.value === 'keys' && given.length < pairs.value.length)) return;
  looking.value = true;
  [trouble.value, progress.value] = ['', ''];
  const told = (text: string) => (progress.value = text);
  try {
    if (by.value === 'keys') {
      const request = { table: wanted.id, pairs: given, like: like.value };
      const found = await asking((signal) => look(props.source.id, request, signal, told));
      if (!found) return;
      [keyed.value, placed.value] = [found, null];
      pairs.value = found.pairs.length > 0 ? found.pairs.map((pair) => ({ ...pair })) : [{ own: '', other: '' }];
    } else {
      const request = { table: wanted.id, by: by.value, most: farthest.value };
      const found = await asking((signal) => lookAtPlaced(props.source.id, request, signal, told));
      if (!found) return;
      [keyed.value, placed.value] = [null, found];
    }
  } catch (error) {
    keyed.value = placed.value = null;
    trouble.value = (error as Error).message;
  }
  looking.value = false;
}
const titled = (columns: readonly ColumnInfo[]) => columns.map((one) => ({ value: one.name, title: labelOf(one) }));
function withoutKey(i: number): void {
  pairs.value.splice(i, 1);
  void compare();
}
function alike(one: keyof Likeness, on: boolean): void {
  like.value = { ...like.value, [one]: on };
  void compare();
}

const isSeveral = computed(() => (keyed.value?.report?.several.own ?? 0) > 0);
const isCompared = computed(() => !looking.value && (placed.value !== null || (keyed.value?.report ?? null) !== null));
const extra = computed(() => {
  const called = (table.value?.name ?? '').toLowerCase().replaceAll(/[^\p{L}\p{N}]+/gu, '_');
  if (by.value === 'keys') return { title: 'How many rows there are', name: `${called}_rows` };
  return by.value === 'nearest' ? { title: 'How far it is, in metres', name: `${called}_m` } : null;
});
const isReady = computed(
  () => isCompared.value && taken.value.length > 0 && taken.value.every((one) => problemOf(one, taken.value, props.source.columns) === ''),
);

const keeping = ref(false);
async function put(): Promise<void> {
  const { id, name: called } = table.value!;
  keeping.value = true;
  try {
    const columns = taken.value.map((one) => ({ ...one, name: one.name.trim() }));
    if (by.value === 'keys') {
      // Where no key stands in several rows, one that does later is told rather than passed over.
      const settled = columns.map((one) => ({
        ...one,
        several: one.column === null || isSeveral.value ? one.several : ('refuse' as const),
      }));
      await keep(props.source, { table: id, pairs: pairs.value, like: like.value, columns: settled });
    } else {
      const named = columns.map(({ column, name }) => ({ column, name }));
      await keepPlaced(props.source, { table: id, by: by.value, most: farthest.value, columns: named });
    }
    const names = columns.map(({ name }) => name);
    notices.say(`${names.join(', ')} of ${called} now ${names.length === 1 ? 'stands' : 'stand'} beside ${props.source.name}.`);
    emit('done', names[0]);
  } catch (error) {
    notices.complain(error);
  }
  keeping.value = false;
}
</script>

<template>
  <ColumnPanel data-test="join-panel" @submit="put">
    <p v-if="others.length === 0" class="soft">
      There is no other source to join. Bring in a table: a CSV without coordinates can be taken as a table without geometry.
    </p>
    <v-select
      v-else
      v-model="tableId"
      :items="others.map(({ id, name, rows }) => ({ value: id, title: `${name} (${counted(rows)} rows)` }))"
      label="Take columns from"
      data-test="join-source"
    />
    <p v-if="others.length > 0 && !table" class="soft">Choose the source whose columns are to stand beside {{ source.name }}.</p>
    <div v-if="table && ways.length > 1" class="pair">
      <v-select v-model="by" :items="ways" label="Of the one that …" data-test="join-by" />
      <template v-if="by === 'nearest'">
        <span class="soft">no farther than</span>
        <v-text-field v-model.lazy="most" type="number" min="0" label="Metres (empty: however far)" data-test="join-most" />
      </template>
    </div>
    <template v-if="table && by === 'keys'">
      <div v-for="(pair, i) in pairs" :key="i" class="pair">
        <v-autocomplete
          v-model="pair.own"
          :items="titled(source.columns)"
          :label="`Key in ${source.name}`"
          data-test="own-key"
          @update:model-value="compare"
        />
        <span aria-hidden="true">=</span>
        <v-autocomplete
          v-model="pair.other"
          :items="titled(table.columns)"
          :label="`Key in ${table.name}`"
          data-test="other-key"
          @update:model-value="compare"
        />
        <button v-if="pairs.length > 1" class="plain" type="button" :aria-label="`Without key ${i + 1}`" @click="withoutKey(i)">
          <v-icon :icon="mdiClose" size="18" />
        </button>
      </div>
      <button v-if="pairs.length > 0" class="plain link more" type="button" @click="pairs.push({ own: '', other: '' })">
        and by another key
      </button>
    </template>
    <p v-if="trouble" class="trouble" role="alert" data-test="join-problem">{{ sentence(trouble) }}</p>
    <p v-else-if="looking" class="soft" role="status">{{ progress || 'Comparing the two' }} …</p>
    <template v-else-if="table">
      <p v-if="by === 'keys' && keyed && !keyed.report" class="soft" data-test="join-problem">
        No columns of the two hold the same values. Choose the keys by hand{{ ways.length > 1 ? ', or go by place' : '' }}.
      </p>
      <p v-if="placed" class="told" data-test="placed-report">
        <b>{{ counted(placed.found) }}</b> of {{ plural(placed.rows, 'feature') }}
        {{ by === 'within' ? `lie in a zone of ${table.name}` : `have one of ${table.name} near`
        }}<template v-if="placed.several > 0">; {{ counted(placed.several) }} lie in several, of which the first counts</template
        ><template v-if="placed.farthest">; the farthest is {{ measured(placed.farthest) }} m away</template>.
      </p>
      <KeyReport
        v-if="keyed?.report"
        :source="source.name"
        :table="table.name"
        :report="keyed.report"
        :offers="keyed.offers"
        :like="like"
        @alike="alike"
      />
      <TakenColumns
        v-if="isCompared"
        v-model="taken"
        :source="source"
        :table="table"
        :keys="by === 'keys' ? pairs.map(({ other }) => other) : []"
        :extra="extra"
        :is-several="isSeveral"
      />
    </template>
    <template #foot>
      <span class="soft">{{ source.name }} stays as it is; joined columns stand beside it.</span>
      <v-btn variant="text" @click="emit('done', null)">Cancel</v-btn>
      <v-btn color="primary" type="submit" :loading="keeping" :disabled="!isReady" data-test="join-keep">{{
        taken.length < 2 ? 'Join the column' : `Join ${taken.length} columns`
      }}</v-btn>
    </template>
  </ColumnPanel>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
}
.more {
  align-self: flex-start;
}
.told {
  padding-left: 12px;
  border-left: 3px solid var(--copper);
}
</style>
