<script setup lang="ts">
import CopyButton from '../../clipboard/CopyButton.vue';
import { nextDiagnostic, previousDiagnostic, setDiagnostics } from '@codemirror/lint';
import { EditorState, StateEffect, StateField } from '@codemirror/state';
import { Decoration, EditorView, hoverTooltip, type DecorationSet } from '@codemirror/view';
import {
  checkFilter,
  exprOfTree,
  FilterError,
  layOutFilter,
  parseFilter,
  sameExpr,
  treeOfExpr,
  type Expr,
  type Amount,
} from '@clean-sieve/core';
import { mdiFormatAlignLeft } from '@mdi/js';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { api } from '../../api/client.ts';
import { newId, useTreeEditing } from '../../stack/tree_editing.ts';
import { useFocus } from '../../stores/focus.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { completionOf, type Known } from './completion.ts';
import { helpAt } from './help.ts';
import { hintOfError, hintOfReadings, hintsOfFindings, mixedIn, treesOf, type Hint } from './hints.ts';
import { changesTo, placesOf, type Change } from './keeping_text.ts';
import { writing } from './writing.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const editing = useTreeEditing();
const host = ref<HTMLElement>();
const text = ref('');
const error = shallowRef<FilterError | null>(null);
let view: EditorView | null = null;
/** What the text last said, so that the stack's own changes can be told from the text's. */
let said: Expr | null = null;

const expr = computed(() => exprOfTree(workspace.activeTree));
const silent = computed(() => JSON.stringify(workspace.activeTree).includes('"off":true'));

const countedValues = new Map<string, ReturnType<Known['values']>>();
watch(
  () => [workspace.activeSource?.id, sifting.version],
  () => countedValues.clear(),
);
const known = (): Known => ({
  columns: workspace.activeSource!.columns,
  areas: [...workspace.areaShapes.keys()],
  operands: workspace.operandNames,
  meaning: workspace.meaningOf,
  values: (column) => {
    let values = countedValues.get(column);
    if (!values) {
      values = api.aggregate(workspace.activeSource!.id, { tree: sifting.shownTree }, { kind: 'values', column });
      values.catch(() => countedValues.delete(column));
      countedValues.set(column, values);
    }
    return values;
  },
});

/** Takes over what the text says once it is right; until then the conditions stay as they are. */
function onText(): void {
  const source = workspace.activeSource!;
  try {
    let next: Expr | null = null;
    if (text.value.trim() !== '') {
      const parsed = parseFilter(text.value);
      checkFilter(parsed, source.columns, workspace.checkOptions);
      next = parsed.expr;
    }
    error.value = null;
    said = next;
    apply(next);
  } catch (thrown) {
    if (!(thrown instanceof FilterError)) throw thrown;
    error.value = thrown;
  }
}

function apply(next: Expr | null): void {
  const current = expr.value;
  if (next === null ? current === null : current !== null && sameExpr(next, current)) return;
  workspace.putTree(treeOfExpr(next, workspace.activeTree, newId), 'edit text', 'text');
}

/** Changes the text by a click, as if it had been typed. */
function write(changes: Change[]): void {
  view?.dispatch({ changes, userEvent: 'input' });
  onText();
  view?.focus();
}

function layOut(): boolean {
  if (error.value || text.value.trim() === '') return true;
  const laidOut = layOutFilter(parseFilter(text.value).expr);
  if (laidOut !== text.value) write([{ from: 0, to: text.value.length, insert: laidOut }]);
  return true;
}

/** Both readings of mixed AND and OR, counted once the writing pauses. */
const mixed = computed(() => (error.value ? [] : mixedIn(text.value)));
const keptOfReadings = shallowRef<Amount[] | null>(null);
let counting: ReturnType<typeof setTimeout> | undefined;
watch(
  [mixed, () => workspace.activeSource?.id],
  ([readings]) => {
    clearTimeout(counting);
    keptOfReadings.value = null;
    const source = workspace.activeSource;
    if (readings.length === 0 || !source) return;
    counting = setTimeout(() => {
      api.counts(source.id, readings.flatMap(treesOf)).then(
        (kept) => {
          if (mixed.value === readings) keptOfReadings.value = kept;
        },
        // The hint says what it can without the counts; what is wrong with the filter is said by the sifting itself.
        () => (keptOfReadings.value = null),
      );
    }, 250);
  },
  { immediate: true },
);

const hints = computed<Hint[]>(() => {
  if (error.value) return [hintOfError(error.value, text.value.length)];
  const readings = mixed.value.map((reading, i) =>
    hintOfReadings(text.value, reading, keptOfReadings.value?.slice(2 * i, 2 * i + 2) ?? null),
  );
  const result = sifting.active;
  return [...readings, ...(result ? hintsOfFindings(text.value, result.tree, result.head.findings) : [])];
});

function take(fix: Hint['fixes'][number]): void {
  if (fix.replace) write([fix.replace]);
  else if (fix.mend) void editing.mend(fix.mend);
}

watch(hints, () => mark(), { flush: 'post' });
function mark(): void {
  if (!view) return;
  const length = view.state.doc.length;
  const diagnostics = hints.value
    .filter(({ to }) => to <= length)
    .map(({ from, to, severity, message, fixes }) => ({
      from,
      to,
      severity,
      message,
      actions: fixes.map((fix) => ({ name: fix.label, apply: () => take(fix) })),
    }));
  view.dispatch(setDiagnostics(view.state, diagnostics));
}

/** The condition that the stack points at, or that is edited there, is marked in the text. */
const tell = StateEffect.define<{ from: number; to: number } | null>();
const told = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(marks, transaction) {
    for (const effect of transaction.effects)
      if (effect.is(tell))
        return effect.value && effect.value.to > effect.value.from
          ? Decoration.set(Decoration.mark({ class: 'cm-told' }).range(effect.value.from, effect.value.to))
          : Decoration.none;
    return marks.map(transaction.changes);
  },
  provide: (field) => EditorView.decorations.from(field),
});
watch(
  () => focus.pointed ?? focus.editing,
  (id) => {
    const place = id === null ? undefined : placesOf(text.value, workspace.activeTree).find((one) => one.id === id);
    view?.dispatch({ effects: tell.of(place?.span ?? null) });
  },
);

/** The condition that the cursor stands in is marked in the stack. */
function tellStack(state: EditorState): void {
  const at = state.selection.main.head;
  const places = placesOf(state.doc.toString(), workspace.activeTree);
  focus.inText = places.find(({ span }) => span.from <= at && at <= span.to)?.id ?? null;
}

const help = hoverTooltip((hovered, offset) => {
  const found = helpAt(hovered.state.doc.toString(), offset, known());
  if (!found) return null;
  return {
    pos: found.from,
    end: found.to,
    create() {
      const dom = document.createElement('div');
      dom.className = 'cm-help';
      const [title, ...lines] = [found.title, ...found.lines].map((line, i) => {
        const element = document.createElement(i === 0 ? 'b' : 'div');
        element.textContent = line;
        return element;
      });
      dom.append(title, ...lines);
      return { dom };
    },
  };
});

onMounted(() => {
  text.value = expr.value === null ? '' : layOutFilter(expr.value);
  said = expr.value;
  view = new EditorView({
    parent: host.value,
    state: EditorState.create({
      doc: text.value,
      extensions: [
        writing({
          label: 'Filter text',
          hint: 'Every feature is kept. Write a filter in CQL2, for example: height_m > 12',
          completion: completionOf(known),
          activateOnCompletion: true,
          keys: [
            { key: 'Shift-Alt-f', run: layOut },
            { key: 'F8', run: nextDiagnostic, shift: previousDiagnostic },
          ],
        }),
        told,
        help,
        EditorView.updateListener.of((update) => {
          if (update.docChanged) {
            text.value = update.state.doc.toString();
            if (update.view.hasFocus) onText();
          }
          if (!update.view.hasFocus) focus.inText = null;
          else if (update.docChanged || update.selectionSet || update.focusChanged) tellStack(update.state);
        }),
      ],
    }),
  });
  mark();
});
onBeforeUnmount(() => {
  view?.destroy();
  focus.inText = null;
});

watch(expr, (next) => {
  if (!view || (next === null ? said === null : said !== null && sameExpr(next, said))) return;
  said = next;
  error.value = null;
  view.dispatch({ changes: changesTo(text.value, workspace.activeTree) });
});
</script>

<template>
  <div class="text" data-test="filter-text">
    <div ref="host" class="host" />
    <div class="foot">
      <ul v-if="hints.length > 0" class="hints" :role="error ? 'alert' : 'status'" data-test="hints">
        <li v-for="(hint, i) in hints" :key="i" :class="hint.severity" :data-test="error ? 'text-problem' : 'hint'">
          {{ hint.message }}
          <template v-for="fix in hint.fixes" :key="fix.label">
            <button class="plain link" type="button" @click="take(fix)">{{ fix.label }}</button>{{ ' ' }}
          </template>
        </li>
      </ul>
      <p v-else class="soft">
        CQL2 text (OGC 21-065r2) of the conditions at work<template v-if="silent">; what is switched off is kept beside it</template>.
        Changes act as soon as the text is right.
      </p>
      <CopyButton v-if="text.trim() !== ''" :text="text" label="Copy the text" />
      <button class="plain link lay" type="button" :disabled="error !== null || text.trim() === ''" @click="layOut">
        <v-icon :icon="mdiFormatAlignLeft" size="16" /> Lay out
        <v-tooltip activator="parent" location="top" text="A line for each condition (Shift + Alt + F)" />
      </button>
    </div>
  </div>
</template>

<style scoped>
.text {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
}
.host {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.host :deep(.cm-editor) {
  height: 100%;
  font-size: 13px;
  color: var(--ink);
}
.host :deep(.cm-editor.cm-focused) {
  outline: none;
}
.host :deep(.cm-content) {
  font-family: var(--mono);
  padding: 10px 14px;
  caret-color: var(--ink);
}
.host :deep(.cm-cursor) {
  border-left-color: var(--ink);
}
.host :deep(.cm-placeholder) {
  color: var(--soft);
}
.host :deep(.cm-told) {
  border-radius: 3px;
  background: var(--tint);
}
.host :deep(.cm-lintRange-error),
.host :deep(.cm-lintRange-warning) {
  background-image: none;
  text-decoration: underline wavy var(--copper) 1px;
  text-underline-offset: 3px;
}
.host :deep(.cm-lintRange-warning) {
  text-decoration-style: dotted;
  text-decoration-thickness: 2px;
}
.host :deep(.cm-tooltip) {
  border: 1px solid var(--line);
  border-radius: 8px;
  background: var(--surface);
  color: var(--ink);
  box-shadow: var(--shadow);
  overflow: hidden;
}
.host :deep(.cm-help) {
  max-width: 420px;
  padding: 7px 11px 8px;
  font-size: 12.5px;
}
.host :deep(.cm-help b) {
  font-family: var(--mono);
  font-weight: 600;
}
.host :deep(.cm-diagnostic) {
  max-width: 440px;
  padding: 7px 11px;
  border-left: 3px solid var(--copper);
  font-size: 12.5px;
}
.host :deep(.cm-diagnosticAction) {
  margin: 0 10px 0 0;
  padding: 0;
  background: none;
  color: var(--spruce);
  font: inherit;
  text-decoration: underline;
  cursor: pointer;
}
.host :deep(.cm-tooltip-autocomplete > ul) {
  font-family: var(--mono);
  font-size: 12.5px;
}
.host :deep(.cm-tooltip-autocomplete > ul > li) {
  display: flex;
  justify-content: space-between;
  gap: 18px;
  padding: 3px 10px;
}
.host :deep(.cm-tooltip-autocomplete > ul > li[aria-selected]) {
  background: var(--tint);
  color: var(--ink);
}
.host :deep(.cm-completionMatchedText) {
  text-decoration: none;
  font-weight: 700;
}
.host :deep(.cm-completionDetail) {
  margin: 0;
  font-family: var(--sans);
  font-style: normal;
  color: var(--soft);
  overflow: hidden;
  text-overflow: ellipsis;
}
.foot {
  display: flex;
  flex: none;
  align-items: flex-start;
  gap: 16px;
  max-height: 96px;
  overflow-y: auto;
  padding: 6px 14px 8px;
  font-size: 13px;
}
.foot p,
.hints {
  flex: 1;
  margin: 0;
}
.hints {
  padding: 0;
  list-style: none;
}
.hints li {
  padding-left: 9px;
  border-left: 3px solid var(--copper);
  color: var(--copper-text);
}
.hints li + li {
  margin-top: 3px;
}
.hints li.error {
  font-weight: 600;
}
.hints button {
  margin-left: 6px;
}
.lay {
  white-space: nowrap;
}
</style>
