<script setup lang="ts">
import type { TypedLook } from '@clean-sieve/server/api';
import { computed, ref, watch } from 'vue';
import CopyButton from '../clipboard/CopyButton.vue';
import { counted, plural } from '../words/numbers.ts';
import { pairsIn } from './read_draft.ts';

/** Texts that cannot be read, with how many rows each has, and what is read instead: one by one, or by a list. */
const props = defineProps<{ look: TypedLook; instead: ReadonlyMap<string, string> }>();
const emit = defineEmits<{ replace: [pairs: [text: string, other: string | null][]] }>();

/** Texts in the order in which they came: one that is read now stays where it was. */
const order = ref<string[]>([]);
const rowsOf = new Map<string, number>();
watch(
  () => props.look,
  ({ misfits }) => {
    for (const { value, count } of misfits) rowsOf.set(value, count);
    const failing = new Set(misfits.map(({ value }) => value));
    const known = order.value.filter((text) => failing.has(text) || props.instead.has(text));
    const added = [...props.instead.keys(), ...failing].filter((text) => !known.includes(text));
    order.value = [...known, ...new Set(added)];
  },
  { immediate: true },
);
const shown = computed(() => {
  const failing = new Set(props.look.misfits.map(({ value }) => value));
  return order.value.map((text) => ({
    text,
    rows: rowsOf.get(text) ?? null,
    other: props.instead.get(text) ?? null,
    fails: failing.has(text),
  }));
});
const more = computed(() => props.look.misfitTexts - shown.value.filter(({ fails }) => fails).length);

function typed(text: string, { target }: Event): void {
  if (target instanceof HTMLInputElement && target.value !== '') emit('replace', [[text, target.value]]);
}

const pasting = ref(false);
const list = ref('');
const failing = computed(() => shown.value.filter(({ fails, other }) => fails && other === null));
function leaveRest(): void {
  emit(
    'replace',
    failing.value.map(({ text }) => [text, '']),
  );
}
const asList = computed(() => shown.value.map(({ text, other }) => `${text}\t${other ?? ''}`).join('\n'));
function take(): void {
  emit('replace', pairsIn(list.value));
  [pasting.value, list.value] = [false, ''];
}
</script>

<template>
  <section v-if="shown.length > 0" class="misfits" data-test="misfits">
    <ul aria-label="Texts that cannot be read">
      <li v-for="one in shown" :key="one.text">
        <span class="mono text" :title="one.text">{{ one.text }}</span>
        <span class="soft rows">{{ one.rows === null ? '' : plural(one.rows, 'row') }}</span>
        <input
          class="entry-field small"
          :class="{ wrong: one.other !== null && one.other.trim() !== '' && one.fails }"
          :value="one.other ?? ''"
          :placeholder="one.other === null ? 'read it as …' : 'left blank'"
          :aria-label="`Read ${one.text} as`"
          @change="typed(one.text, $event)"
          @keydown.enter.prevent="typed(one.text, $event)"
        />
        <button v-if="one.other === null" class="plain link" type="button" @click="emit('replace', [[one.text, '']])">leave blank</button>
        <button v-else class="plain link" type="button" @click="emit('replace', [[one.text, null]])">as it was</button>
      </li>
    </ul>
    <p v-if="more > 0" class="soft">{{ counted(more) }} more, less frequent ones; they come as these are mended.</p>
    <div v-if="pasting" class="pasting">
      <textarea
        v-model="list"
        class="entry-field"
        rows="4"
        aria-label="A text and what it is read as in each line"
        placeholder="a text, a tab, and what it is read as: a pair in each line"
        data-test="misfit-list"
      />
      <v-btn size="small" variant="tonal" :disabled="list.trim() === ''" data-test="take-list" @click="take">Take the list</v-btn>
    </div>
    <p v-else class="lists">
      <button class="plain link" type="button" data-test="paste-list" @click="pasting = true">Paste a list of pairs</button>
      <button v-if="failing.length > 0" class="plain link" type="button" data-test="leave-rest" @click="leaveRest">
        Leave the rest blank
      </button>
      <CopyButton :text="asList" label="Copy these texts, to fill in beside them what they are read as" />
    </p>
  </section>
</template>

<style scoped>
ul {
  margin: 0;
  padding: 0;
  max-height: 172px;
  overflow-y: auto;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 84px minmax(0, 1fr) 86px;
  gap: 10px;
  align-items: center;
  padding: 2px 4px;
}
.text {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}
.rows {
  text-align: right;
}
.wrong {
  border-color: var(--copper);
}
p {
  margin: 4px 0 0;
}
.lists {
  display: flex;
  gap: 16px;
  align-items: center;
}
.pasting {
  display: flex;
  gap: 10px;
  align-items: flex-end;
  margin-top: 6px;
}
.pasting textarea {
  flex: 1;
}
</style>
