import { acceptCompletion, autocompletion, completionKeymap, type CompletionSource } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import type { Extension } from '@codemirror/state';
import { EditorView, keymap, placeholder, type KeyBinding } from '@codemirror/view';
import { coloured } from './language.ts';

/** What every field of the filter language has: undo, keys, colours, completion, a hint while it is empty, a label. */
export function writing(field: {
  label: string;
  hint: string;
  completion: CompletionSource;
  /** Whether taking one completion asks for the next. */
  activateOnCompletion?: boolean;
  keys?: KeyBinding[];
}): Extension {
  const { label, hint, completion, activateOnCompletion = false, keys = [] } = field;
  return [
    history(),
    keymap.of([{ key: 'Tab', run: acceptCompletion }, ...keys, ...completionKeymap, ...defaultKeymap, ...historyKeymap]),
    coloured,
    autocompletion({ override: [completion], icons: false, activateOnCompletion: () => activateOnCompletion }),
    placeholder(hint),
    EditorView.theme({ '.cm-placeholder': { color: 'var(--soft)' } }),
    EditorView.lineWrapping,
    EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'false' }),
  ];
}
