<script setup lang="ts">
import { setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import type { FilterError, ValueCount } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { completionOf } from './completion.ts';
import { writing } from './writing.ts';

/** An expression of the filter language over some columns, with completion. */
const text = defineModel<string>({ required: true });
const props = defineProps<{
  columns: ColumnInfo[];
  /** The values of a column, most frequent first. */
  values: (column: string) => Promise<ValueCount[]>;
  problem: FilterError | null;
  label: string;
  /** What can be written, where nothing is. */
  hint: string;
}>();
const workspace = useWorkspace();
const host = ref<HTMLElement>();
let view: EditorView | null = null;

const known = () => ({
  columns: props.columns,
  areas: [],
  operands: { sources: [], sieves: [] },
  meaning: workspace.meaningOf,
  values: props.values,
});

onMounted(() => {
  view = new EditorView({
    parent: host.value,
    state: EditorState.create({
      doc: text.value,
      extensions: [
        writing({ label: props.label, hint: props.hint, completion: completionOf(known) }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) text.value = update.state.doc.toString();
        }),
      ],
    }),
  });
});
onBeforeUnmount(() => view?.destroy());

watch(text, (now) => {
  if (view && now !== view.state.doc.toString()) view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: now } });
});
watch(
  () => props.problem,
  (problem) => {
    if (!view) return;
    const { length } = view.state.doc;
    const span = problem?.span;
    const at = span && { from: Math.min(span.from, length), to: Math.min(Math.max(span.to, span.from + 1), length) };
    view.dispatch(setDiagnostics(view.state, problem && at ? [{ ...at, severity: 'error', message: problem.message }] : []));
  },
);
</script>

<template>
  <div ref="host" class="field" />
</template>

<style scoped>
.field {
  border: 1px solid var(--line);
  border-radius: 10px;
  background: var(--surface);
  padding: 2px 4px;
}
.field:focus-within {
  outline: 2px solid var(--violet);
}
.field :deep(.cm-editor) {
  min-height: 58px;
  outline: none;
}
.field :deep(.cm-content) {
  font-family: 'IBM Plex Mono', monospace;
  font-size: 13.5px;
}
</style>
