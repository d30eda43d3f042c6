<script setup lang="ts">
import { pastedParts, pastedValues, type Form, type PastedValues, type ValueCount } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { useVirtualizer } from '@tanstack/vue-virtual';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../../api/client.ts';
import { useNotices } from '../../stores/notices.ts';
import { isSample } from '../../sources/state.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { counted, plural } from '../../words/numbers.ts';

type ValuesForm = Extract<Form, { kind: 'values' }>;
const props = defineProps<{ form: ValuesForm; column: ColumnInfo }>();
const emit = defineEmits<{ change: [form: Form] }>();
const workspace = useWorkspace();
const sifting = useSifting();
const notices = useNotices();

const values = shallowRef<ValueCount[] | null>(null);
const search = ref('');
const scroller = ref<HTMLElement | null>(null);

/** Resolves when the values are counted, or when it was said why they are not. */
let counting: Promise<void> = Promise.resolve();
async function countAll(name: string): Promise<void> {
  values.value = null;
  try {
    values.value = await api.aggregate(workspace.activeSource!.id, { tree: sifting.shownTree }, { kind: 'values', column: name });
  } catch (error) {
    notices.complain(error);
  }
}
watch(
  () => props.column.name,
  (name) => {
    counting = countAll(name);
  },
  { immediate: true },
);

const meaning = (value: string | number | boolean) => workspace.meaningOf(props.column, value);
const chosen = computed(() => new Set<unknown>(props.form.values));
/** Values in the condition that no feature has are listed too, so that they can be taken out. */
const listed = computed(() => {
  const known = values.value ?? [];
  const present = new Set<unknown>(known.map((entry) => entry.value));
  const absent = props.form.values.filter((value) => !present.has(value)).map((value) => ({ value, count: 0, kept: 0 }));
  const wanted = search.value.trim().toLowerCase();
  return [...absent, ...known].filter(({ value }) => `${value} ${meaning(value) ?? ''}`.toLowerCase().includes(wanted));
});
const virtual = useVirtualizer(
  computed(() => ({
    count: listed.value.length,
    getScrollElement: () => scroller.value,
    estimateSize: () => 26,
    overscan: 10,
  })),
);

function toggle(value: string | number | boolean): void {
  if (typeof value === 'boolean') return;
  const next = chosen.value.has(value) ? props.form.values.filter((v) => v !== value) : [...props.form.values, value];
  emit('change', { ...props.form, values: next });
}
/** What of a pasted list is there, and what is not. */
const pasted = shallowRef<PastedValues | null>(null);
/** A list in the search field is no search: its values are ticked, once it is known which there are. */
async function paste(event: ClipboardEvent): Promise<void> {
  const text = event.clipboardData?.getData('text/plain') ?? '';
  if (pastedParts(text).length < 2) return;
  event.preventDefault();
  await counting;
  const known = (values.value ?? []).map(({ value }) => value);
  // One value can hold a comma itself.
  const one = text.trim().toLowerCase();
  if (values.value === null || known.some((value) => String(value).toLowerCase().includes(one))) {
    search.value = text.trim();
    return;
  }
  pasted.value = pastedValues(
    text,
    known.filter((value) => typeof value !== 'boolean'),
  );
  tick(pasted.value.found);
}
function tick(more: readonly (number | string)[]): void {
  emit('change', { ...props.form, values: [...new Set([...props.form.values, ...more])] });
}
/** Takes what was probably meant. */
function take(text: string, value: number | string): void {
  tick([value]);
  const { found, missing } = pasted.value!;
  pasted.value = { found: [...found, value], missing: missing.filter((one) => one.text !== text) };
}
/** In all that there is there can be more values than in a sample. */
const inSample = computed(() => isSample(workspace.activeSource!));
const asValue = (text: string) => (props.column.type === 'number' && Number.isFinite(Number(text)) ? Number(text) : text);
function all(on: boolean): void {
  const shown = listed.value.map(({ value }) => value).filter((value) => typeof value !== 'boolean');
  const without = props.form.values.filter((value) => !shown.includes(value));
  emit('change', { ...props.form, values: on ? [...without, ...shown] : without });
}
</script>

<template>
  <div class="values">
    <input
      v-model="search"
      class="entry-field search"
      type="search"
      :placeholder="`Find in ${plural(values?.length ?? 0, 'value')}, or paste a list`"
      aria-label="Find a value, or paste a list of them"
      @paste="paste"
    />
    <div ref="scroller" class="list" :style="{ '--values': listed.length }" role="group" :aria-label="`Values of ${column.name}`">
      <div v-if="values === null" class="soft pad">Counting the values …</div>
      <div v-else-if="listed.length === 0" class="soft pad">No value has this in it</div>
      <div v-else :style="{ height: `${virtual.getTotalSize()}px`, position: 'relative' }">
        <label
          v-for="item in virtual.getVirtualItems()"
          :key="item.index"
          class="value"
          :style="{ transform: `translateY(${item.start}px)` }"
        >
          <input type="checkbox" :checked="chosen.has(listed[item.index].value)" @change="toggle(listed[item.index].value)" />
          <span class="text" :class="{ odd: listed[item.index].value === '' }"
            >{{ listed[item.index].value === '' ? 'empty text' : listed[item.index].value
            }}<span v-if="meaning(listed[item.index].value)" class="soft"> · {{ meaning(listed[item.index].value) }}</span></span
          >
          <span class="count">{{ listed[item.index].count === 0 ? 'does not occur' : counted(listed[item.index].count) }}</span>
        </label>
      </div>
    </div>
    <div v-if="pasted" class="pasted" role="status" data-test="pasted">
      <p>
        {{ plural(pasted.found.length, 'value') }} of the list found and ticked<template v-if="pasted.missing.length > 0"
          >, {{ counted(pasted.missing.length) }} not {{ inSample ? 'in the sample' : 'found' }}:</template
        >
        <button class="plain link" type="button" @click="pasted = null">clear this</button>
      </p>
      <ul v-if="pasted.missing.length > 0">
        <li v-for="{ text, near } in pasted.missing" :key="text">
          {{ text }}
          <template v-if="near.length > 0"
            >– meant
            <button v-for="value in near" :key="value" class="plain link" type="button" @click="take(text, value)">
              {{ value }}
            </button></template
          >
          <button v-if="inSample" class="plain link" type="button" @click="take(text, asValue(text))">tick it</button>
        </li>
      </ul>
    </div>
    <div class="foot">
      <span class="soft">{{ form.values.length === 0 ? 'Tick at least one value' : `${counted(form.values.length)} ticked` }}</span>
      <button class="plain link" type="button" @click="all(true)">tick {{ search ? 'these' : 'all' }}</button>
      <button class="plain link" type="button" @click="all(false)">none</button>
    </div>
  </div>
</template>

<style scoped>
.search {
  width: 100%;
  border-radius: 8px 8px 0 0;
}
.pasted {
  padding: 6px 10px;
  font-size: 13px;
}
.pasted p,
.pasted ul {
  margin: 0;
}
.pasted ul {
  max-height: 92px;
  overflow-y: auto;
  padding-left: 16px;
}
.list {
  height: min(176px, calc(var(--values) * 26px + 4px));
  min-height: 56px;
  overflow-y: auto;
  border: 1px solid var(--line);
  border-top: 0;
  border-radius: 0 0 8px 8px;
}
.value {
  position: absolute;
  inset: 0 0 auto 0;
  height: 26px;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 10px;
  cursor: pointer;
}
.value:hover {
  background: var(--paper);
}
input[type='checkbox'] {
  accent-color: var(--spruce);
}
.text {
  flex: 1;
  overflow: hidden;
  white-space: pre;
  text-overflow: ellipsis;
}
.text.odd {
  font-style: italic;
}
.count {
  color: var(--soft);
  font-size: 12.5px;
}
.foot {
  display: flex;
  gap: 12px;
  font-size: 12.5px;
  margin-top: 5px;
}
.foot span {
  flex: 1;
}
.pad {
  padding: 8px 10px;
}
</style>
