/**
 * Case folding for CASEI (OGC 21-065r2, "Case-insensitive Comparison": Unicode full case folding, without the mappings
 * for Turkic languages). Upper-casing expands what full folding expands (ß → ss); lower-casing character by character
 * keeps sigma free of its final form. The dotless i has capital I for its upper case and yet folds to itself.
 */
export function foldCase(text: string): string {
  return text
    .split(DOTLESS_I)
    .map((part) => lowerEach(lowerEach(part).toUpperCase()))
    .join(DOTLESS_I);
}

const DOTLESS_I = '\u0131';

function lowerEach(text: string): string {
  let lower = '';
  for (const character of text) lower += character.toLowerCase();
  return lower;
}

/** Removes accents for ACCENTI: canonical decomposition (NFD), then all combining marks left out. */
export function foldAccents(text: string): string {
  return text.normalize('NFD').replace(/\p{M}/gu, '').normalize('NFC');
}

const ANY = Symbol('any text');
const ONE = Symbol('one character');
type PatternItem = string | typeof ANY | typeof ONE;

function patternItems(pattern: string): PatternItem[] {
  const items: PatternItem[] = [];
  const characters = [...pattern];
  for (let i = 0; i < characters.length; i++) {
    const character = characters[i];
    if (character === '\\' && i + 1 < characters.length) items.push(characters[++i]);
    else if (character === '%') items.push(ANY);
    else items.push(character === '_' ? ONE : character);
  }
  return items;
}

/**
 * Matcher for a LIKE pattern: % any text, _ one character (code point), \ takes the next character as it is.
 * Each piece between two % is looked for once, leftmost first, without going back over earlier pieces, and by a
 * search whose time does not grow with text times piece (see `finder`).
 */
export function likeMatcher(pattern: string): (text: string) => boolean {
  const items = patternItems(pattern);
  const pieces: PatternItem[][] = [[]];
  for (const item of items) {
    if (item === ANY) pieces.push([]);
    else pieces[pieces.length - 1].push(item);
  }
  if (!items.includes(ONE) && pieces.every((piece) => piece.length <= SHORT)) return plainMatcher(pieces.map((piece) => piece.join('')));
  return pieceMatcher(pieces);
}

/** Pieces up to this length are looked for by the engine's own search, whose worst case is text times piece. */
const SHORT = 16;

function plainMatcher(pieces: string[]): (text: string) => boolean {
  if (pieces.length === 1) return (text) => text === pieces[0];
  const [first, last] = [pieces[0], pieces[pieces.length - 1]];
  const inner = pieces.slice(1, -1);
  return (text) => {
    if (text.length < first.length + last.length || !text.startsWith(first) || !text.endsWith(last)) return false;
    let at = first.length;
    for (const piece of inner) {
      at = text.indexOf(piece, at);
      if (at < 0) return false;
      at += piece.length;
    }
    return at <= text.length - last.length;
  };
}

function pieceMatcher(pieces: PatternItem[][]): (text: string) => boolean {
  const [first, last] = [pieces[0], pieces[pieces.length - 1]];
  const finders = pieces.slice(1, -1).map(finder);
  return (whole) => {
    const text = [...whole];
    const fits = (piece: PatternItem[], at: number) => piece.every((item, i) => item === ONE || item === text[at + i]);
    if (pieces.length === 1) return text.length === first.length && fits(first, 0);
    const end = text.length - last.length;
    if (end < first.length || !fits(first, 0) || !fits(last, end)) return false;
    let at = first.length;
    for (const find of finders) {
      at = find(text, at, end);
      if (at < 0) return false;
    }
    return true;
  };
}

/** Looks for a piece in `text[from, to)`; where it ends, or -1. */
type Finder = (text: string[], from: number, to: number) => number;

/**
 * Without open characters by Knuth, Morris and Pratt (SIAM J. Comput. 6, 1977): linear. With them by the bit-parallel
 * Shift-And of Baeza-Yates and Gonnet (CACM 35, 1992): one step a character for each 32 characters of the piece.
 */
function finder(piece: PatternItem[]): Finder {
  if (piece.length === 0) return (_text, from) => from;
  return piece.includes(ONE) ? shiftAnd(piece) : knuthMorrisPratt(piece as string[]);
}

function knuthMorrisPratt(piece: string[]): Finder {
  const border = new Int32Array(piece.length);
  for (let i = 1, k = 0; i < piece.length; i++) {
    while (k > 0 && piece[i] !== piece[k]) k = border[k - 1];
    if (piece[i] === piece[k]) k++;
    border[i] = k;
  }
  return (text, from, to) => {
    for (let i = from, k = 0; i < to; i++) {
      while (k > 0 && text[i] !== piece[k]) k = border[k - 1];
      if (text[i] === piece[k]) k++;
      if (k === piece.length) return i + 1;
    }
    return -1;
  };
}

function shiftAnd(piece: PatternItem[]): Finder {
  const words = (piece.length + 31) >>> 5;
  const open = new Uint32Array(words);
  const masks = new Map<string, Uint32Array>();
  piece.forEach((item, i) => {
    if (item === ONE) open[i >>> 5] |= 1 << (i & 31);
    else if (typeof item === 'string' && !masks.has(item)) masks.set(item, new Uint32Array(words));
  });
  for (const [character, mask] of masks)
    piece.forEach((item, i) => {
      if (item === ONE || item === character) mask[i >>> 5] |= 1 << (i & 31);
    });
  const goal = 1 << ((piece.length - 1) & 31);
  return (text, from, to) => {
    const state = new Uint32Array(words);
    for (let i = from; i < to; i++) {
      const mask = masks.get(text[i]) ?? open;
      let carry = 1;
      for (let w = 0; w < words; w++) {
        const next = state[w] >>> 31;
        state[w] = ((state[w] << 1) | carry) & mask[w];
        carry = next;
      }
      if (state[words - 1] & goal) return i + 1;
    }
    return -1;
  };
}

/** A LIKE pattern in which the text stands for itself. */
export function escapeLike(text: string): string {
  return text.replace(/[\\%_]/g, '\\$&');
}

/** The text that a pattern without open wildcards stands for; null when it has one. */
export function unescapeLike(pattern: string): string | null {
  const items = patternItems(pattern);
  return items.every((item) => typeof item === 'string') ? items.join('') : null;
}
