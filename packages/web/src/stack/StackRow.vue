<script setup lang="ts">
import { mdiContentDuplicate, mdiDrag, mdiTrashCanOutline } from '@mdi/js';
import { conditionInWords, exprOfForm, formOfExpr, type Condition, numberOf, amountBetween, nearInWords } from '@clean-sieve/core';
import { computed, defineAsyncComponent, nextTick, ref, watch } from 'vue';
import { goTo } from '../shell/parts.ts';
import { isSample } from '../sources/state.ts';
import { useFocus } from '../stores/focus.ts';
import { useNearAsks } from '../stores/near_asks.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWholeCounts } from '../stores/whole_counts.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';
import { answeredInWords } from './answered.ts';
import DecidedMark from './DecidedMark.vue';
import { sideNumber } from './side_number.ts';
import { useTreeEditing } from './tree_editing.ts';

const ConditionEditor = defineAsyncComponent(() => import('./ConditionEditor.vue'));

const props = defineProps<{ condition: Condition; off?: boolean; nested?: boolean }>();
const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const editing = useTreeEditing();
const whole = useWholeCounts();
const near = useNearAsks();
const element = ref<HTMLElement>();

const source = computed(() => workspace.activeSource!);
const words = computed(() => conditionInWords(props.condition.expr, workspace.wording(source.value)));
const form = computed(() => formOfExpr(props.condition.expr, source.value.columns));
const numbers = computed(() => sifting.active?.head.rows.find((row) => row.id === props.condition.id) ?? null);
const missed = computed(() => sifting.active?.head.nearMisses[props.condition.id] ?? 0);
/** Features that reach the condition and that it has no value of; none where that is not known. */
const unknown = computed(() => numberOf(numbers.value?.unknown ?? 0) ?? 0);
const takesOut = computed(() => numbers.value && amountBetween(numbers.value.reach, numbers.value.left) !== 0);
const silent = computed(() => props.off === true || props.condition.off === true);
const open = computed(() => focus.editing === props.condition.id);
/** What is probably not meant here. Numbers that lag behind an edit say nothing of it; blanks have their own line above. */
const finding = computed(() => {
  const { active } = sifting;
  if (silent.value || !active || JSON.stringify(active.tree) !== JSON.stringify(workspace.activeTree)) return null;
  return active.head.findings.find(({ id, kind }) => id === props.condition.id && kind !== 'blanks-out') ?? null;
});
/** The number at the side and what it is beside: what the row takes out, its share, what it costs. */
const side = computed(() => {
  const head = sifting.active?.head;
  return head && !silent.value ? sideNumber(head, props.condition.id, focus.numbers) : null;
});
/** Where it was decided, once all that there is was counted elsewhere. */
const decided = computed(() =>
  isSample(source.value) && whole.state === 'counted' && !silent.value ? whole.decided[props.condition.id] : undefined,
);
/** What of a source was asked for to decide it, where a sample is held of that. */
const asked = computed(() => (silent.value ? null : near.toldOf(props.condition.expr)));
const canKeepBlanks = computed(() => 'column' in form.value && form.value.kind !== 'blank' && !form.value.blanks && unknown.value > 0);

/** Why the unknown ones are: blank, or a date that is known to the month or year only. */
const unknownWord = computed(() => {
  const { value } = form;
  if (!['day', 'days', 'recent', 'calendar'].includes(value.kind) || value.could) return 'blank';
  if (value.blanks) return 'unsure';
  const column = 'column' in value ? source.value.columns.find(({ name }) => name === value.column) : undefined;
  return column && unknown.value > column.nulls ? 'blank or unsure' : 'blank';
});

function keepBlanks(): void {
  editing.setExpr(props.condition.id, exprOfForm({ ...form.value, blanks: true }));
}

function toggleEditor(): void {
  focus.editing = open.value ? null : props.condition.id;
}

/** Removes it; the row that comes after it, or else the one before, has the keyboard then. */
function remove(): void {
  const rows = [...document.querySelectorAll<HTMLElement>('[data-row]')];
  const at = rows.indexOf(element.value!);
  const next: HTMLElement | undefined = rows[at + 1] ?? rows[at - 1];
  editing.remove(props.condition.id);
  void nextTick(() => (next ? next.focus() : goTo('add')));
}

function onKey(event: KeyboardEvent): void {
  if (event.target !== element.value) return;
  const step = event.key === 'ArrowUp' ? -1 : event.key === 'ArrowDown' ? 1 : 0;
  if (step !== 0 && event.altKey) {
    editing.shift(props.condition.id, step);
    void nextTick(() => element.value?.focus());
  } else if (step !== 0) {
    const rows = [...document.querySelectorAll<HTMLElement>('[data-row]')];
    rows[rows.indexOf(element.value) + step]?.focus();
  } else if (event.key === 'Enter') toggleEditor();
  else if (event.key === ' ') editing.toggle(props.condition.id);
  else if (event.key === 'Delete' || event.key === 'Backspace') remove();
  else return;
  event.preventDefault();
}

watch([open, () => focus.inText === props.condition.id], ([now, told]) => {
  if (now || told) void nextTick(() => element.value?.scrollIntoView({ block: 'nearest' }));
});
</script>

<template>
  <div
    ref="element"
    class="row"
    :class="{ silent, nested, open, told: focus.inText === condition.id }"
    data-row
    :data-mesh="silent || nested ? undefined : condition.id"
    tabindex="0"
    :aria-label="`Condition: ${words.subject} ${words.rest}${silent ? ', switched off' : ''}`"
    @keydown="onKey"
    @pointerenter="focus.pointed = condition.id"
    @pointerleave="focus.pointed = null"
    @focus="focus.pointed = condition.id"
    @blur="focus.pointed = null"
  >
    <div class="line" @click="toggleEditor">
      <span class="drag" aria-hidden="true" @click.stop><v-icon :icon="mdiDrag" size="16" /></span>
      <div class="say">
        <div class="sentence">{{ words.subject }} {{ words.rest }}</div>
        <div class="under">
          <template v-if="silent">switched off</template>
          <template v-else>
            <DecidedMark v-if="decided" :by="decided" kind="database" data-test="decided-by" />
            <span v-if="words.note">{{ words.note }}</span>
            <span v-if="asked" :title="nearInWords(asked)" data-test="near-told"
              >{{ counted(asked.features) }} in reach, {{ answeredInWords(asked.askedAt, workspace.today) }}</span
            >
            <span v-if="unknown > 0">
              {{ counted(numbers!.unknown) }} {{ unknownWord }}, left out<template v-if="canKeepBlanks">
                · <button class="plain link" type="button" @click.stop="keepBlanks">keep blanks</button></template
              >
            </span>
            <button
              v-if="missed !== 0 && !nested && takesOut"
              class="plain link misses"
              type="button"
              @click.stop="focus.nearMissesOf = focus.nearMissesOf === condition.id ? null : condition.id"
            >
              {{ counted(missed) }} {{ missed === 1 ? 'fails' : 'fail' }} only here
              <v-tooltip activator="parent" location="bottom" text="Show the features that every other condition keeps" />
            </button>
          </template>
        </div>
      </div>
      <div class="side">
        <template v-if="side">
          <b class="count" data-test="left">{{ counted(side.count) }}</b>
          <span class="less">{{ side.note }}</span>
        </template>
      </div>
      <div class="actions" @click.stop>
        <button
          class="plain"
          type="button"
          :aria-label="condition.off ? 'Switch the condition on' : 'Switch the condition off'"
          @click="editing.toggle(condition.id)"
        >
          <span class="toggle" :class="{ on: !condition.off }" />
          <v-tooltip activator="parent" location="top" :text="condition.off ? 'Switch on (Space)' : 'Switch off (Space)'" />
        </button>
        <button class="plain" type="button" aria-label="Repeat the condition" @click="editing.duplicate(condition.id)">
          <v-icon :icon="mdiContentDuplicate" size="16" />
          <v-tooltip activator="parent" location="top" text="Repeat it below" />
        </button>
        <button class="plain" type="button" aria-label="Remove the condition" @click="remove">
          <v-icon :icon="mdiTrashCanOutline" size="17" />
          <v-tooltip activator="parent" location="top" text="Remove (Delete)" />
        </button>
      </div>
    </div>
    <p v-if="finding" class="finding" data-test="finding">
      {{ finding.message }}
      <button v-if="finding.fix" class="plain link" type="button" data-test="mend" @click.stop="editing.mend(finding.fix)">
        {{ finding.fix.label }}
      </button>
    </p>
    <ConditionEditor v-if="open" :id="condition.id" :form="form" :shows="condition.shows ?? []" @close="focus.editing = null" />
  </div>
</template>

<style scoped>
.row {
  position: relative;
  padding: 9px 16px 10px;
}
.row:not(.nested):not(.silent)::before {
  content: '';
  position: absolute;
  left: 0;
  right: 0;
  top: -1px;
  border-top: 2px dashed var(--spruce-2);
}
.row.nested {
  padding: 2px 0 3px 10px;
}
.row.told {
  box-shadow: inset 4px 0 0 var(--violet);
}
.finding {
  margin: 3px 0 0;
  padding-left: 9px;
  border-left: 3px solid var(--copper);
  font-size: 12.5px;
  color: var(--copper-text);
}
.line {
  position: relative;
  display: flex;
  gap: 8px;
  cursor: pointer;
}
.say {
  flex: 1;
  min-width: 0;
}
.sentence {
  font-weight: 650;
  overflow-wrap: anywhere;
}
.under {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  font-size: 12.5px;
  color: var(--soft);
}
.side {
  text-align: right;
  min-width: 44px;
}
.count {
  font-size: 16px;
}
.nested .count {
  font-size: 14px;
  font-weight: 600;
}
.less {
  display: block;
  font-size: 12.5px;
  color: var(--soft);
}
.nested .less {
  font-size: 11.5px;
}
.silent .sentence,
.silent .under {
  color: var(--soft);
}
.silent .sentence {
  text-decoration: line-through;
  text-decoration-color: var(--line);
}
.drag {
  position: absolute;
  left: -15px;
  top: 2px;
  cursor: grab;
  color: var(--soft);
  opacity: 0;
}
.row:hover > .line > .drag {
  opacity: 1;
}
.actions {
  display: none;
  position: absolute;
  right: -6px;
  bottom: -8px;
  align-items: center;
  gap: 9px;
  padding: 2px 8px;
  border: 1px solid var(--line);
  border-radius: 13px;
  background: var(--surface);
  color: var(--soft);
  z-index: 2;
}
.row:hover > .line > .actions,
.row:focus-visible > .line > .actions,
.actions:focus-within {
  display: flex;
}
.actions button:hover {
  color: var(--ink);
}
.toggle {
  display: inline-block;
  width: 24px;
  height: 13px;
  border-radius: 7px;
  background: var(--line);
  position: relative;
  vertical-align: -1px;
}
.toggle::after {
  content: '';
  position: absolute;
  top: 2px;
  left: 2px;
  width: 9px;
  height: 9px;
  border-radius: 5px;
  background: var(--surface);
}
.toggle.on {
  background: var(--spruce-2);
}
.toggle.on::after {
  left: 13px;
}
</style>
