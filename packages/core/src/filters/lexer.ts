import { FilterError, type Span } from './filter_error.ts';

export type TokenKind = 'name' | 'quoted-name' | 'text' | 'number' | 'symbol' | 'end';
export interface Token extends Span {
  kind: TokenKind;
  /** Name without quotes, text without quotes and escapes, otherwise as written. */
  value: string;
}

// OGC 21-065r2, BNF "identifierStart" and "identifierPart".
const START =
  ':_a-zA-Z\\u00C0-\\u00D6\\u00D8-\\u00F6\\u00F8-\\u02FF\\u0370-\\u037D\\u037F-\\u1FFE\\u200C\\u200D\\u2070-\\u218F\\u2C00-\\u2FEF\\u3001-\\uD7FF\\uF900-\\uFDCF\\uFDF0-\\uFFFD\\u{10000}-\\u{EFFFF}';
const NAME = new RegExp(`[${START}][${START}.0-9\\u00B7\\u0300-\\u036F\\u203F\\u2040]*`, 'uy');
const NUMBER = /(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?/y;
const SYMBOL = /<>|<=|>=|[=<>(),+\-*/%^]/y;
const SPACE = /\s+/y;
const WHOLE_NAME = new RegExp(`^[${START}][${START}.0-9\\u00B7\\u0300-\\u036F\\u203F\\u2040]*$`, 'u');

/** Whether a name can stand in CQL2 text without quotes (OGC 21-065r2, BNF "identifier"). */
export function isPlainName(name: string): boolean {
  return WHOLE_NAME.test(name);
}

/** Cuts CQL2 text into tokens; the last one is of kind `end`. Throws a FilterError at what cannot start a token. */
export function tokens(text: string): Token[] {
  const out: Token[] = [];
  let at = 0;
  const take = (pattern: RegExp): string | null => {
    pattern.lastIndex = at;
    return pattern.exec(text)?.[0] ?? null;
  };
  const push = (kind: TokenKind, value: string, length: number) => {
    out.push({ kind, value, from: at, to: at + length });
    at += length;
  };
  while (at < text.length) {
    const space = take(SPACE);
    if (space) {
      at += space.length;
      continue;
    }
    if (text[at] === "'") {
      const { value, length } = quotedText(text, at);
      push('text', value, length);
      continue;
    }
    if (text[at] === '"') {
      const { value, length } = quotedName(text, at);
      push('quoted-name', value, length);
      continue;
    }
    const name = take(NAME);
    const number = name ? null : take(NUMBER);
    const symbol = name || number ? null : take(SYMBOL);
    if (name) push('name', name, name.length);
    else if (number) push('number', number, number.length);
    else if (symbol) push('symbol', symbol, symbol.length);
    else throw unexpectedCharacter(text, at);
  }
  out.push({ kind: 'end', value: '', from: text.length, to: text.length });
  return out;
}

/**
 * A character literal: `''` and `\'` stand for a quote (BNF "escapeQuote"). A backslash before the closing quote
 * is ambiguous in the grammar; it is taken as an escape unless that would leave the literal open.
 */
function quotedText(text: string, from: number): { value: string; length: number } {
  let value = '';
  let fallback: { value: string; length: number } | null = null;
  for (let i = from + 1; i < text.length; i++) {
    const c = text[i];
    if (c === '\\' && text[i + 1] === "'") {
      if (text[i + 2] !== "'") fallback = { value: `${value}\\`, length: i + 2 - from };
      value += "'";
      i++;
    } else if (c !== "'") {
      value += c;
    } else if (text[i + 1] === "'") {
      value += "'";
      i++;
    } else {
      return { value, length: i + 1 - from };
    }
  }
  if (fallback) return fallback;
  throw new FilterError(
    'The text that starts here has no closing quote',
    { from, to: text.length },
    "Texts stand in single quotes: 'oak'; a quote inside is doubled: 'O''Hara'",
  );
}

function quotedName(text: string, from: number): { value: string; length: number } {
  let value = '';
  for (let i = from + 1; i < text.length; i++) {
    if (text[i] !== '"') value += text[i];
    else if (text[i + 1] === '"') {
      value += '"';
      i++;
    } else return { value, length: i + 1 - from };
  }
  throw new FilterError('The column name that starts here has no closing double quote', { from, to: text.length });
}

function unexpectedCharacter(text: string, at: number): FilterError {
  const character = String.fromCodePoint(text.codePointAt(at)!);
  const span = { from: at, to: at + character.length };
  if (character === '!') {
    const whole = { from: at, to: at + (text[at + 1] === '=' ? 2 : 1) };
    return new FilterError('“!” is not an operator here', whole, 'Not equal is written <>', text[at + 1] === '=' ? '<>' : null);
  }
  if (/[‘’“”„«»]/.test(character))
    return new FilterError(`${character} is a typographic quote`, span, "Texts stand in straight single quotes: 'oak'");
  return new FilterError(`Unexpected character ${character}`, span);
}
