<script setup lang="ts">
import {
  acceptCompletion,
  autocompletion,
  completionKeymap,
  type Completion,
  type CompletionContext,
} from '@codemirror/autocomplete';
import { defaultKeymap, history as textHistory, historyKeymap } from '@codemirror/commands';
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import {
  checkFilter,
  exprOfTree,
  FilterError,
  FUNCTIONS,
  parseFilter,
  printFilter,
  printName,
  sameExpr,
  treeOfExpr,
  type Expr,
} from '@clean-sieve/core';
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { newId } from '../stack/tree_editing.ts';
import { useWorkspace } from '../stores/workspace.ts';

const workspace = useWorkspace();
const host = ref<HTMLElement>();
const problem = ref('');
let view: EditorView | null = null;
/** What the text last said, so that the stack's own changes can be told from the text's. */
let said: Expr | null = null;

const expr = computed(() => exprOfTree(workspace.activeTree));
const silent = computed(() => JSON.stringify(workspace.activeTree).includes('"off":true'));

const language = StreamLanguage.define<{ inName: boolean }>({
  startState: () => ({ inName: false }),
  token(stream) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^'(?:[^'\\]|''|\\.)*'?/)) return 'string';
    if (stream.match(/^"(?:[^"]|"")*"?/)) return 'propertyName';
    if (stream.match(/^(?:and|or|not|like|between|in|is|null|div)\b/i)) return 'keyword';
    if (stream.match(/^(?:true|false)\b/i)) return 'bool';
    if (stream.match(/^\d+(?:\.\d*)?(?:e[+-]?\d+)?/i)) return 'number';
    if (stream.match(/^[\p{L}_:][\p{L}\p{N}_:.]*(?=\s*\()/u)) return 'typeName';
    if (stream.match(/^[\p{L}_:][\p{L}\p{N}_:.]*/u)) return 'propertyName';
    if (stream.match(/^[=<>+\-*/%^]+/)) return 'operator';
    stream.next();
    return null;
  },
});
const colours = HighlightStyle.define([
  { tag: tags.keyword, fontWeight: '600', color: 'var(--spruce)' },
  { tag: tags.string, color: 'var(--copper-text)' },
  { tag: tags.number, color: 'var(--copper-text)' },
  { tag: tags.bool, color: 'var(--copper-text)' },
  { tag: tags.typeName, color: 'var(--violet)' },
  { tag: tags.operator, color: 'var(--soft)' },
]);

function complete(context: CompletionContext) {
  const word = context.matchBefore(/[\p{L}_"][\p{L}\p{N}_.]*/u);
  if (!word && !context.explicit) return null;
  const options: Completion[] = [
    ...workspace.activeSource!.columns.map((column): Completion => ({
      label: printName(column.name),
      type: 'property',
      detail: column.type,
      boost: 2,
    })),
    ...FUNCTIONS.map((f): Completion => ({ label: f.name, type: 'function', detail: f.meaning, apply: `${f.name}(` })),
    ...[
      'AND',
      'OR',
      'NOT',
      'BETWEEN',
      'IN',
      'LIKE',
      'IS NULL',
      'IS NOT NULL',
      'TRUE',
      'FALSE',
      'DATE(',
      'TIMESTAMP(',
      'INTERVAL(',
    ].map((label): Completion => ({ label, type: 'keyword' })),
  ];
  return { from: word?.from ?? context.pos, options };
}

/** Takes over what the text says once it is right; until then the conditions stay as they are. */
function onText(text: string): void {
  const source = workspace.activeSource!;
  try {
    let next: Expr | null = null;
    if (text.trim() !== '') {
      const parsed = parseFilter(text);
      checkFilter(parsed, source.columns);
      next = parsed.expr;
    }
    problem.value = '';
    mark(null);
    said = next;
    apply(next);
  } catch (error) {
    if (!(error instanceof FilterError)) throw error;
    problem.value = error.line;
    mark(error);
  }
}

function apply(next: Expr | null): void {
  const { activeSieve, activeSource } = workspace;
  const current = expr.value;
  if (next === null ? current === null : current !== null && sameExpr(next, current)) return;
  const tree = treeOfExpr(next, workspace.activeTree, newId);
  if (activeSieve) workspace.changeSieve(activeSieve.id, { tree }, 'edit text', 'text');
  else if (activeSource) void workspace.addSieve(activeSource.id, tree);
}

function mark(error: FilterError | null): void {
  if (!view) return;
  const length = view.state.doc.length;
  const from = Math.min(error?.span?.from ?? 0, Math.max(0, length - 1));
  const to = Math.min(Math.max(error?.span?.to ?? length, from + 1), length);
  view.dispatch(setDiagnostics(view.state, error ? [{ from, to, severity: 'error', message: error.line }] : []));
}

onMounted(() => {
  view = new EditorView({
    parent: host.value,
    state: EditorState.create({
      doc: expr.value === null ? '' : printFilter(expr.value),
      extensions: [
        textHistory(),
        keymap.of([{ key: 'Tab', run: acceptCompletion }, ...completionKeymap, ...defaultKeymap, ...historyKeymap]),
        language,
        syntaxHighlighting(colours),
        autocompletion({ override: [complete] }),
        placeholder('Every feature is kept. Write a filter in CQL2, for example: height_m > 12'),
        EditorView.lineWrapping,
        EditorView.contentAttributes.of({ 'aria-label': 'Filter text', spellcheck: 'false' }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged && update.view.hasFocus) onText(update.state.doc.toString());
        }),
      ],
    }),
  });
  said = expr.value;
});
onBeforeUnmount(() => view?.destroy());

watch(expr, (next) => {
  if (!view || (next === null ? said === null : said !== null && sameExpr(next, said))) return;
  said = next;
  problem.value = '';
  view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: next === null ? '' : printFilter(next) } });
  mark(null);
});
</script>

<template>
  <div class="text" data-test="filter-text">
    <div ref="host" class="host" />
    <p v-if="problem" class="problem" role="alert" data-test="text-problem">{{ problem }}</p>
    <p v-else class="soft">
      CQL2 text (OGC 21-065r2) of the conditions at work<template v-if="silent"
        >; what is switched off is kept beside it</template
      >. Changes act as soon as the text is right.
    </p>
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
.host :deep(.cm-placeholder) {
  color: var(--soft);
}
.host :deep(.cm-tooltip) {
  border: 1px solid var(--line);
  border-radius: 8px;
  background: var(--surface);
  color: var(--ink);
  box-shadow: var(--shadow);
}
.host :deep(.cm-tooltip-autocomplete > ul > li[aria-selected]) {
  background: var(--tint);
  color: var(--ink);
}
p {
  flex: none;
  margin: 0;
  padding: 6px 14px 8px;
  font-size: 13px;
}
.problem {
  color: var(--copper-text);
  font-weight: 600;
}
</style>
