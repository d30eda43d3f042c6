import { isSpaceForm, type Form, type MatchColumn } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import type { Component } from 'vue';
import CalendarEditor from './CalendarEditor.vue';
import DayEditor from './DayEditor.vue';
import ExprEditor from './ExprEditor.vue';
import NumberEditor from './NumberEditor.vue';
import SieveEditor from './SieveEditor.vue';
import SpaceEditor from './SpaceEditor.vue';
import SpanEditor from './SpanEditor.vue';
import TextEditor from './TextEditor.vue';
import ValuesEditor from './ValuesEditor.vue';
import VersusEditor from './VersusEditor.vue';

/** The condition that an editor is asked for. */
export interface Edited {
  /** Of the condition. */
  id: string;
  form: Form;
  /** The column that it is about; null for none. */
  column: ColumnInfo | null;
  /** Columns that it shows. */
  shows: readonly MatchColumn[];
  setShows: (shows: MatchColumn[]) => void;
}

/** An editor of conditions: a component that emits `change` with the form as it is to be. */
export interface Editor {
  component: Component;
  /** What it is given; null where it is not for this condition. */
  props: (edited: Edited) => Record<string, unknown> | null;
}

/** Editors of conditions; the first that takes a condition edits it. */
export const EDITORS: readonly Editor[] = [
  {
    component: NumberEditor,
    props: ({ form, column }) => (column?.type === 'number' && ['compare', 'between'].includes(form.kind) ? { form, column } : null),
  },
  { component: ValuesEditor, props: ({ form, column }) => (column && form.kind === 'values' ? { form, column } : null) },
  { component: TextEditor, props: ({ form }) => (['text', 'compare'].includes(form.kind) ? { form } : null) },
  { component: VersusEditor, props: ({ form, column }) => (column && form.kind === 'versus' ? { form, column } : null) },
  {
    component: DayEditor,
    props: ({ form, column }) => (column && ['day', 'days', 'recent'].includes(form.kind) ? { form, column } : null),
  },
  { component: CalendarEditor, props: ({ form, column }) => (column && form.kind === 'calendar' ? { form, column } : null) },
  { component: SpanEditor, props: ({ form }) => (form.kind === 'span' ? { form } : null) },
  { component: SieveEditor, props: ({ id, form }) => (form.kind === 'sieve' ? { id, form } : null) },
  { component: SpaceEditor, props: ({ id, form, shows, setShows }) => (isSpaceForm(form) ? { id, form, shows, onShows: setShows } : null) },
  { component: ExprEditor, props: ({ form }) => (form.kind === 'other' ? { form } : null) },
];
