import { expectedAt, FilterError, OPERATORS, textName, tokens, type Operator } from '@clean-sieve/core';
import { cellText, columnText, labelOf } from '../../words/cells.ts';
import { counted, plural } from '../../words/numbers.ts';
import type { Known } from './completion.ts';

/** What there is to say of a word in the filter. */
export interface Help {
  from: number;
  to: number;
  title: string;
  lines: string[];
}

/** Words that are no operators by themselves. */
const KEYWORDS: Record<string, string> = {
  DATE: "A day: DATE('2024-05-31').",
  TIMESTAMP: "An instant: TIMESTAMP('2024-05-31T08:30:00Z').",
  INTERVAL: "A time from … to; '..' leaves an end open: INTERVAL('2024-01-01', '..').",
};

/** Help on the word at an offset of the text; null where there is none. */
export function helpAt(text: string, offset: number, known: Known): Help | null {
  let found;
  try {
    found = tokens(text).find(({ from, to }) => from <= offset && offset < to);
  } catch (error) {
    if (error instanceof FilterError) return null;
    throw error;
  }
  if (!found || found.kind === 'end' || found.kind === 'symbol') return null;
  const { from, to, value } = found;
  if (found.kind === 'text' || found.kind === 'number') return valueHelp(text, found, known);
  const column = known.columns.find(({ name }) => name === value);
  if (column) return { from, to, ...columnHelp(column) };
  if (value === 'geometry') return { from, to, title: 'geometry', lines: ['The shape of the feature'] };
  const word = value.toUpperCase();
  const named = OPERATORS.find((operator) => standsBy(operator, word));
  if (named) {
    const { usage, meaning } = named.help;
    return { from, to, title: named.syntax.kind === 'function' ? usage : word, lines: [meaning] };
  }
  return Object.hasOwn(KEYWORDS, word) ? { from, to, title: word, lines: [KEYWORDS[word]] } : null;
}

/** Whether an operator stands by this word in the text. */
function standsBy(operator: Operator, word: string): boolean {
  const { syntax } = operator;
  return ('word' in syntax ? syntax.word : textName(operator)) === word;
}

function columnHelp(column: Known['columns'][number]): Pick<Help, 'title' | 'lines'> {
  const { min, max, nulls, empty, distinct } = column;
  const type = { text: 'Text', number: 'Number', boolean: 'Yes or no', date: 'Date', datetime: 'Date and time' }[column.type];
  const lines = [`${type} · ${plural(distinct, 'different value')}`];
  if (min !== null && max !== null && column.type !== 'boolean')
    lines.push(`From ${columnText(column, min)} to ${columnText(column, max)}`);
  lines.push(nulls + empty === 0 ? 'Nowhere blank' : `${counted(nulls + empty)} blank`);
  if (column.description !== null) lines.push(column.description);
  const label = labelOf(column);
  return { title: label.toLowerCase() === column.name ? column.name : `${column.name} · ${label}`, lines };
}

/** A code with what it means. */
function valueHelp(text: string, token: { from: number; to: number; value: string }, known: Known): Help | null {
  const { expected } = expectedAt(text.slice(0, token.from));
  const column = expected.kind === 'value' && known.columns.find(({ name }) => name === expected.column);
  if (!column) return null;
  const value = column.type === 'number' ? Number(token.value) : token.value;
  const meaning = known.meaning(column, value);
  if (meaning === undefined) return null;
  return { from: token.from, to: token.to, title: `${cellText(value)} · ${meaning}`, lines: [`in ${labelOf(column)}`] };
}
