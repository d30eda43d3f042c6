import { checkpoint } from '../checkpoint.ts';
import { CHUNK_ROWS, valueAt, type Column, type Value } from '../features/column.ts';
import type { Dictionary } from '../features/dictionary.ts';
import { has } from '../features/mask.ts';
import { foldAccents, foldCase } from '../filters/text_matching.ts';

/** What is not looked at when keys are compared. */
export interface Likeness {
  /** Blanks at the ends, and how many there are within. */
  spaces: boolean;
  /** Upper and lower case, by full case folding. */
  case: boolean;
  accents: boolean;
  /** Zeros before another digit at the beginning. */
  zeros: boolean;
}
export const LIKENESSES = ['spaces', 'case', 'accents', 'zeros'] as const satisfies readonly (keyof Likeness)[];
/** What each leaves out of account, as words. */
export const LIKENESS_IN_WORDS: Record<keyof Likeness, string> = {
  spaces: 'spaces',
  case: 'upper and lower case',
  accents: 'accents',
  zeros: 'leading zeros',
};
/** Keys are alike only where they are the same, character by character. */
export const EXACTLY: Likeness = { spaces: false, case: false, accents: false, zeros: false };

/** The keys of the rows of a table: each different key has a number. */
export interface Keys {
  /** The number of the key of each row; -1 where a part of the key is blank. */
  keyOf: Int32Array;
  /** How many different keys there are. */
  size: number;
  /** A key as it is compared, by its number. */
  textOf: (key: number) => string;
  /** Where keys are the texts of one column as they are written, the code of each in its dictionary; null elsewhere. */
  codes: ArrayLike<number> | null;
  /** A row of each key, which has it as it is written. */
  sample: ArrayLike<number>;
  /** The columns that the parts of a key stand in. */
  columns: readonly Column[];
}

/** A key as it is written in the first row that has it, part by part. */
export const keyAsWritten = ({ columns, sample }: Keys, key: number): Value[] => columns.map((column) => valueAt(column, sample[key]));

/** A text as it is compared. */
export function likened(text: string, like: Likeness): string {
  let plain = text;
  if (like.spaces) plain = plain.replace(/\s+/gu, ' ').trim();
  if (like.case) plain = foldCase(plain);
  if (like.accents) plain = foldAccents(plain);
  if (like.zeros) plain = plain.replace(/^0+(?=\d)/, '');
  return plain;
}

/**
 * The keys of a table's rows by one column or several together. Numbers, dates and yes/no are compared as they are written, so
 * that 142 is the text "142"; times as the instant that they are. Null and empty texts are blank: a row with one has no key.
 * @param columns one at least, all of `rows` rows
 * @param blanks whether what is blank is a key too, like what is blank
 */
export function keysOf(columns: readonly Column[], rows: number, like: Likeness, blanks = false): Keys {
  const parts = columns.map((column) => partOf(column, rows, like));
  if (parts.length === 1 && !blanks) return { ...parts[0], columns };
  const numbers = new Map<string, number>();
  const keyOf = new Int32Array(rows).fill(-1);
  const [texts, sample]: [string[], number[]] = [[], []];
  for (let row = 0; row < rows; row++) {
    if ((row & 8191) === 0) checkpoint();
    if (!blanks && parts.some((part) => part.keyOf[row] < 0)) continue;
    // The length in front tells a|bc from ab|c, and a blank from all else.
    const text = parts.map(({ keyOf: own, textOf }) => (own[row] < 0 ? '-' : lengthAndText(textOf(own[row])))).join('');
    let number = numbers.get(text);
    if (number === undefined) {
      numbers.set(text, (number = texts.length));
      texts.push(text);
      sample.push(row);
    }
    keyOf[row] = number;
  }
  return { keyOf, size: texts.length, textOf: (key) => texts[key], codes: null, sample, columns };
}
const lengthAndText = (text: string): string => `${text.length}:${text}`;

/** The keys by one column. */
function partOf(column: Column, rows: number, like: Likeness): Omit<Keys, 'columns'> {
  const numbers = new Map<string, number>();
  const keyOf = new Int32Array(rows).fill(-1);
  const [texts, sample]: [string[], number[]] = [[], []];
  const numberOf = (text: string, row: number): number => {
    let number = numbers.get(text);
    if (number === undefined) {
      numbers.set(text, (number = texts.length));
      texts.push(text);
      sample.push(row);
    }
    return number;
  };
  const { dictionary } = column;
  if (dictionary && LIKENESSES.every((one) => !like[one])) return partAsWritten(column, dictionary, rows);
  if (dictionary) {
    // Each different text is likened once: 0 is not yet, the number of its key is one less.
    const known = new Int32Array(dictionary.size);
    column.chunks.forEach((chunk, c) => {
      checkpoint();
      if (chunk.type !== 'text') return;
      for (let i = 0; i < chunk.rows; i++) {
        if (chunk.validity && !has(chunk.validity, i)) continue;
        const code = chunk.codes[i];
        const row = c * CHUNK_ROWS + i;
        if (known[code] === 0) {
          const text = likened(dictionary.at(code), like);
          known[code] = text === '' ? -1 : numberOf(text, row) + 1;
        }
        if (known[code] > 0) keyOf[row] = known[code] - 1;
      }
    });
    return { keyOf, size: texts.length, textOf: (key) => texts[key], codes: null, sample };
  }
  for (let row = 0; row < rows; row++) {
    if ((row & 8191) === 0) checkpoint();
    const text = keyText(column, row);
    if (text !== null) keyOf[row] = numberOf(text, row);
  }
  return { keyOf, size: texts.length, textOf: (key) => texts[key], codes: null, sample };
}

/** The keys by the texts of one column as they are: each code is one, and nothing is decoded. */
function partAsWritten({ chunks }: Column, dictionary: Dictionary, rows: number): Omit<Keys, 'columns'> {
  const keyOf = new Int32Array(rows).fill(-1);
  const [codes, sample] = [new Uint32Array(dictionary.size), new Uint32Array(dictionary.size)];
  let size = 0;
  // 0 is not yet, the number of its key is one less. The empty text is the first where there is one.
  const known = new Int32Array(dictionary.size);
  if (dictionary.size > 0 && dictionary.offsets[1] === 0) known[0] = -1;
  let row = 0;
  for (const chunk of chunks) {
    checkpoint();
    if (chunk.type !== 'text') throw new Error('A text column has a chunk of another type');
    const { codes: own, validity } = chunk;
    for (let i = 0; i < chunk.rows; i++, row++) {
      if (validity && !has(validity, i)) continue;
      const code = own[i];
      let key = known[code];
      if (key === 0) {
        codes[size] = code;
        sample[size] = row;
        known[code] = key = ++size;
      }
      if (key > 0) keyOf[row] = key - 1;
    }
  }
  return { keyOf, size, textOf: (key) => dictionary.at(codes[key]), codes, sample };
}

/** A value that is no text, as it is compared. */
function keyText(column: Column, row: number): string | null {
  const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
  const value = valueAt(column, row);
  if (value === null) return null;
  // An instant is the same whatever offset it is written with; minus zero is zero.
  if (chunk.type === 'datetime') return new Date(chunk.millis[row % CHUNK_ROWS]).toISOString();
  return String(value);
}
