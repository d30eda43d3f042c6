import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { tags } from '@lezer/highlight';

const cql2 = StreamLanguage.define<null>({
  startState: () => null,
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
  { tag: [tags.string, tags.number, tags.bool], color: 'var(--copper-text)' },
  { tag: tags.typeName, color: 'var(--violet)' },
  { tag: tags.operator, color: 'var(--soft)' },
]);

/** CQL2 Text in colours. */
export const coloured = [cql2, syntaxHighlighting(colours)];
