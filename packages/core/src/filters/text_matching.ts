/**
 * Case folding for CASEI (OGC 21-065r2, "Case-insensitive Comparison": Unicode full case folding). Upper-casing expands
 * what full folding expands (ß → ss); lower-casing character by character keeps sigma free of its final form.
 */
export function foldCase(text: string): string {
  return lowerEach(lowerEach(text).toUpperCase());
}

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
 * Each piece between two % is looked for once, leftmost first, without going back over earlier pieces.
 */
export function likeMatcher(pattern: string): (text: string) => boolean {
  const items = patternItems(pattern);
  const pieces: PatternItem[][] = [[]];
  for (const item of items) {
    if (item === ANY) pieces.push([]);
    else pieces[pieces.length - 1].push(item);
  }
  if (!items.includes(ONE)) return plainMatcher(pieces.map((piece) => piece.join('')));
  return (text) => matchPieces(pieces, [...text]);
}

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

function matchPieces(pieces: PatternItem[][], text: string[]): boolean {
  const fits = (piece: PatternItem[], at: number) =>
    at >= 0 && at + piece.length <= text.length && piece.every((item, i) => item === ONE || item === text[at + i]);
  const [first, last] = [pieces[0], pieces[pieces.length - 1]];
  if (pieces.length === 1) return text.length === first.length && fits(first, 0);
  const end = text.length - last.length;
  if (!fits(first, 0) || end < first.length || !fits(last, end)) return false;
  let at = first.length;
  for (const piece of pieces.slice(1, -1)) {
    while (at + piece.length <= end && !fits(piece, at)) at++;
    if (at + piece.length > end) return false;
    at += piece.length;
  }
  return true;
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
