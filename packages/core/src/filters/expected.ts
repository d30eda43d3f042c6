import { tokens, type Token } from './lexer.ts';

/** What can stand at a place in a filter text, for completion. */
export type Expected =
  | { kind: 'term' }
  | { kind: 'operator'; column: string }
  | { kind: 'joint' }
  /** A value to compare a column with; `pattern` after LIKE. */
  | { kind: 'value'; column: string; pattern: boolean };

/** What is expected at the end of a text, and where the word begins that is being written there. */
export interface Completion {
  /** Offset at which the unfinished word begins; the end of the text when none does. */
  from: number;
  /** The unfinished word, without its opening quote. */
  written: string;
  expected: Expected;
}

const COMPARES = /^(=|<>|<|<=|>|>=)$/;

/** @param before the text up to the cursor; it need not be a whole filter */
export function expectedAt(before: string): Completion {
  const open = openQuote(before);
  const from = open ?? wordStart(before);
  const written = before.slice(open === null ? from : from + 1);
  let known: Token[] = [];
  try {
    known = tokens(before.slice(0, from)).filter(({ kind }) => kind !== 'end');
  } catch {
    // What stands before is not a filter; a term is as good a guess as any.
  }
  return { from, written, expected: open !== null && before[open] === '"' ? { kind: 'term' } : after(known) };
}

/** Where the quoted text or name begins that the text leaves open; null when it leaves none open. */
function openQuote(text: string): number | null {
  for (let i = 0; i < text.length; i++) {
    const quote = text[i];
    if (quote !== "'" && quote !== '"') continue;
    const from = i;
    for (i++; i < text.length; i++) {
      if (text[i] === '\\' && quote === "'" && text[i + 1] === "'") i++;
      else if (text[i] === quote && text[i + 1] === quote) i++;
      else if (text[i] === quote) break;
    }
    if (i >= text.length) return from;
  }
  return null;
}

function wordStart(text: string): number {
  return text.length - (/[\p{L}\p{N}_.:]*$/u.exec(text)?.[0].length ?? 0);
}

function after(known: Token[]): Expected {
  const last = known.at(-1);
  if (!last) return { kind: 'term' };
  const word = (token: Token | undefined) => (token?.kind === 'name' ? token.value.toUpperCase() : (token?.value ?? ''));
  const at = (back: number) => known.at(-1 - back);
  const columnBefore = (back: number) => {
    const token = word(at(back)) === 'NOT' ? at(back + 1) : at(back);
    return isName(token) ? token!.value : null;
  };
  if (last.kind === 'symbol' && COMPARES.test(last.value)) return value(columnBefore(1));
  if (word(last) === 'LIKE') return value(columnBefore(1), true);
  if (word(last) === 'BETWEEN') return value(columnBefore(1));
  if (word(last) === 'AND' && word(at(2)) === 'BETWEEN') return value(columnBefore(3));
  const list = openList(known);
  if (list !== null && (last.value === '(' || last.value === ',')) return value(list);
  if (isName(last) && !KEYWORDS.has(word(last))) return { kind: 'operator', column: last.value };
  if (last.kind === 'text' || last.kind === 'number' || last.value === ')' || /^(NULL|TRUE|FALSE)$/.test(word(last)))
    return { kind: 'joint' };
  return { kind: 'term' };
}

const KEYWORDS = new Set(['AND', 'OR', 'NOT', 'IN', 'IS', 'LIKE', 'BETWEEN', 'NULL', 'DIV', 'TRUE', 'FALSE']);

function isName(token: Token | undefined): boolean {
  return token?.kind === 'quoted-name' || (token?.kind === 'name' && !KEYWORDS.has(token.value.toUpperCase()));
}

function value(column: string | null, pattern = false): Expected {
  return column === null ? { kind: 'term' } : { kind: 'value', column, pattern };
}

/** The column of `column IN (` that is still open, or null. */
function openList(known: Token[]): string | null {
  let depth = 0;
  for (let i = known.length - 1; i >= 2; i--) {
    if (known[i].value === ')' && known[i].kind === 'symbol') depth++;
    if (known[i].value !== '(' || known[i].kind !== 'symbol') continue;
    if (depth-- > 0) continue;
    if (known[i - 1].kind !== 'name' || known[i - 1].value.toUpperCase() !== 'IN') return null;
    const column = known[i - 2].value.toUpperCase() === 'NOT' ? known[i - 3] : known[i - 2];
    return isName(column) ? column.value : null;
  }
  return null;
}
