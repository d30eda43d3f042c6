import { refuseTooLong } from '../formats/limits.ts';
import { printJson } from './exact_json.ts';
import { parseDate, parseInstant, PRECISIONS } from '../time/calendar.ts';
import { CHUNK_ROWS, NO_OFFSET, type Column, type ColumnChunk, type ColumnSchema } from './column.ts';
import { compareCodePoints, Dictionary } from './dictionary.ts';
import { emptyMask, put, type Mask } from './mask.ts';
import { rangeOf } from './subset.ts';

const PLAIN_NUMBER = /^[+-]?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$|^[+-]?\.\d+(?:[eE][+-]?\d+)?$/;

/**
 * The number that a text spells, or null when it is none or would not survive as one: leading zeros ("0142"
 * is a code), a plus sign, more digits than a double holds.
 */
export function plainNumber(text: string): number | null {
  if (!PLAIN_NUMBER.test(text) || text[0] === '+') return null;
  const value = Number(text);
  if (!Number.isFinite(value)) return null;
  const digits = text
    .replace(/[eE].*$/, '')
    .replace(/[-.]/g, '')
    .replace(/^0+/, '').length;
  return digits > 15 && String(value) !== text ? null : value;
}

function groupSizes(rows: number): number[] {
  return Array.from({ length: Math.ceil(rows / CHUNK_ROWS) }, (_, g) => Math.min(CHUNK_ROWS, rows - g * CHUNK_ROWS));
}

/**
 * Takes the values of one column in row order and decides its type from all of them: number, yes/no, date or
 * date-time when every value present is one, else text. Texts are kept as written until the end, so a late
 * exception loses nothing.
 */
export class ColumnBuilder {
  readonly schema: Omit<ColumnSchema, 'type'>;
  #rows = 0;
  #kind: 'none' | 'number' | 'boolean' | 'text' = 'none';
  #validity: Mask[] = [];
  #numbers: Float64Array<ArrayBuffer>[] = [];
  #booleans: Mask[] = [];
  #codes: Uint32Array<ArrayBuffer>[] = [];
  #codeOf = new Map<string, number>();
  /** Spellings that the number alone does not give back ("1.50"), by row. */
  #spellings = new Map<number, string>();
  /** Rows with an empty text, which is blank in any column; only a text column keeps it apart from a missing value. */
  #empties: number[] = [];
  /** Whether a text that looks like a number was ever given as text by a typed format, and so stays text. */
  #typedText = false;
  /** The column is of texts by what is known of it, whatever those look like. */
  #isText = false;
  #beyond = false;

  constructor(schema: Omit<ColumnSchema, 'type'>) {
    this.schema = schema;
  }

  /** Whether a whole number came as a BigInt that a double would round, so that the column became text. */
  get beyond(): boolean {
    return this.#beyond;
  }

  /** Says that the column is of texts, also where all of them look like dates. */
  keepText(): void {
    this.#isText = true;
  }

  /** A value from a typed format (JSON): numbers, booleans and texts stay what they are. */
  addTyped(row: number, value: unknown): void {
    if (value === null || value === undefined) return;
    if (value === '') {
      this.#empties.push(row);
    } else if (typeof value === 'number') {
      // What is no number (IEEE 754) is a missing value, as in formats that cannot write it.
      if (Number.isNaN(value)) return;
      if (this.#kind === 'none' || this.#kind === 'number') this.#addNumber(row, value);
      else this.#addText(row, String(value));
    } else if (typeof value === 'bigint') {
      if (Number.isSafeInteger(Number(value))) return this.addTyped(row, Number(value));
      this.#beyond = true;
      this.#addText(row, String(value));
    } else if (typeof value === 'boolean') {
      if (this.#kind === 'none' || this.#kind === 'boolean') this.#addBoolean(row, value);
      else this.#addText(row, String(value));
    } else {
      this.#typedText = true;
      this.#addText(row, typeof value === 'string' ? value : printJson(value));
    }
  }

  /**
   * A cell of an untyped format (CSV); an empty cell is missing.
   * @param plain the cell with a point for its decimal comma
   */
  addCell(row: number, cell: string, plain = cell): void {
    if (cell === '') return;
    if (this.#kind === 'none' || this.#kind === 'number') {
      const number = plainNumber(plain);
      if (number !== null) {
        this.#addNumber(row, number);
        if (String(number) !== cell) this.#spellings.set(row, cell);
        return;
      }
    }
    this.#addText(row, cell);
  }

  #addNumber(row: number, value: number): void {
    this.#kind = 'number';
    const chunkNumber = this.#present(row);
    const i = row % CHUNK_ROWS;
    const values = this.#numbers[chunkNumber];
    if (!values || i >= values.length) this.#numbers[chunkNumber] = grownTo(values ?? new Float64Array(0), i);
    this.#numbers[chunkNumber][i] = value;
  }

  #addBoolean(row: number, value: boolean): void {
    this.#kind = 'boolean';
    const chunkNumber = this.#present(row);
    const bits = (this.#booleans[chunkNumber] ??= emptyMask(CHUNK_ROWS));
    if (value) put(bits, row % CHUNK_ROWS);
  }

  #addText(row: number, text: string): void {
    if (this.#kind !== 'text') this.#turnToText();
    const chunkNumber = this.#present(row);
    let code = this.#codeOf.get(text);
    if (code === undefined) {
      refuseTooLong(text, this.schema.name);
      this.#codeOf.set(text, (code = this.#codeOf.size));
    }
    const i = row % CHUNK_ROWS;
    const codes = this.#codes[chunkNumber];
    if (!codes || i >= codes.length) this.#codes[chunkNumber] = grownTo(codes ?? new Uint32Array(0), i);
    this.#codes[chunkNumber][i] = code;
  }

  #present(row: number): number {
    const chunkNumber = Math.floor(row / CHUNK_ROWS);
    put((this.#validity[chunkNumber] ??= emptyMask(CHUNK_ROWS)), row % CHUNK_ROWS);
    this.#rows = row + 1;
    return chunkNumber;
  }

  #turnToText(): void {
    const before = this.#kind;
    this.#kind = 'text';
    if (before === 'none') return;
    const rows = this.#rows;
    for (let row = 0; row < rows; row++) {
      const chunkNumber = Math.floor(row / CHUNK_ROWS);
      const i = row % CHUNK_ROWS;
      if (((this.#validity[chunkNumber]?.[i >>> 5] ?? 0) >>> (i & 31)) % 2 === 0) continue;
      if (before === 'number') this.#addText(row, this.#spellings.get(row) ?? String(this.#numbers[chunkNumber][i]));
      else this.#addText(row, String(((this.#booleans[chunkNumber][i >>> 5] >>> (i & 31)) & 1) === 1));
    }
    this.#numbers = [];
    this.#booleans = [];
    this.#spellings.clear();
  }

  /** @param rows total number of features; rows that were never given a value are missing */
  /** The column as texts, whatever they look like. */
  finishAsText(rows: number): Column {
    return this.#finishText(groupSizes(rows));
  }

  finish(rows: number): Column {
    const sizes = groupSizes(rows);
    if (this.#isText) return this.#finishText(sizes);
    const base = this.#bases(sizes);
    if (this.#kind === 'number') {
      const chunks = sizes.map((size, g): ColumnChunk => {
        const values = (this.#numbers[g] ?? new Float64Array(0)).slice(0, size);
        return { ...base[g], type: 'number', values: sized(values, size), ...rangeOf(values, base[g].validity) };
      });
      return { ...this.schema, type: 'number', chunks, dictionary: null };
    }
    if (this.#kind === 'boolean') {
      const chunks = sizes.map((size, g): ColumnChunk => {
        const values = (this.#booleans[g] ?? emptyMask(size)).slice(0, (size + 31) >>> 5);
        return { ...base[g], type: 'boolean', values };
      });
      return { ...this.schema, type: 'boolean', chunks, dictionary: null };
    }
    const known = [...this.#codeOf.keys()];
    const codes = this.#textCodes(sizes);
    const special = this.#asTemporal(known, codes, base) ?? (this.#typedText ? null : this.#asBoolean(known, codes, base));
    return special ?? this.#finishText(sizes);
  }

  #bases(sizes: number[]): Presence[] {
    return sizes.map((size, chunkNumber) => presenceOf(this.#validity[chunkNumber], size));
  }

  #textCodes(sizes: number[]): Uint32Array<ArrayBuffer>[] {
    return sizes.map((size, g) => sized((this.#codes[g] ?? new Uint32Array(0)).slice(0, size), size));
  }

  #finishText(sizes: number[]): Column {
    for (const row of this.#empties) this.#addText(row, '');
    const base = this.#bases(sizes);
    const texts = [...this.#codeOf.keys()];
    const codes = this.#textCodes(sizes);
    const order = texts.map((_, code) => code).sort((a, b) => compareCodePoints(texts[a], texts[b]));
    const newCode = new Uint32Array(texts.length);
    order.forEach((old, code) => (newCode[old] = code));
    const chunks = codes.map((chunk, g): ColumnChunk => {
      for (let i = 0; i < chunk.length; i++) chunk[i] = newCode[chunk[i]];
      const { validity } = base[g];
      if (validity) for (let i = 0; i < chunk.length; i++) if (((validity[i >>> 5] >>> (i & 31)) & 1) === 0) chunk[i] = 0;
      return { ...base[g], type: 'text', codes: chunk };
    });
    return { ...this.schema, type: 'text', chunks, dictionary: Dictionary.of(order.map((old) => texts[old])) };
  }

  /** CSV spells yes/no as text. */
  #asBoolean(texts: string[], codes: Uint32Array[], base: Presence[]): Column | null {
    if (texts.length === 0 || !texts.every((text) => /^(true|false)$/i.test(text))) return null;
    const chunks = codes.map((chunk, g): ColumnChunk => {
      const values = emptyMask(chunk.length);
      const { validity } = base[g];
      for (let i = 0; i < chunk.length; i++) {
        const present = !validity || ((validity[i >>> 5] >>> (i & 31)) & 1) === 1;
        if (present && /^true$/i.test(texts[chunk[i]])) put(values, i);
      }
      return { ...base[g], type: 'boolean', values };
    });
    return { ...this.schema, type: 'boolean', chunks, dictionary: null };
  }

  #asTemporal(texts: string[], codes: Uint32Array<ArrayBuffer>[], base: Presence[]): Column | null {
    if (texts.length === 0) return null;
    const dates = allOf(texts, parseDate);
    // A column of bare years is numbers or codes; it takes one full date to make the years dates too.
    if (dates?.some((date) => date.precision === 'day')) {
      const exact = dates.every((date) => date.precision === 'day');
      const chunks = codes.map((chunk, g): ColumnChunk => {
        const days = Int32Array.from(chunk, (code) => dates[code]?.day ?? 0);
        const precision = exact ? null : Uint8Array.from(chunk, (code) => PRECISIONS.indexOf(dates[code]?.precision ?? 'day'));
        return { ...base[g], type: 'date', days, precision, ...rangeOf(days, base[g].validity) };
      });
      return { ...this.schema, type: 'date', chunks, dictionary: null };
    }
    const instants = allOf(texts, parseInstant);
    if (!instants) return null;
    const chunks = codes.map((chunk, g): ColumnChunk => {
      const millis = Float64Array.from(chunk, (code) => instants[code]?.millis ?? 0);
      const offsets = Int16Array.from(chunk, (code) => instants[code]?.offset ?? NO_OFFSET);
      return { ...base[g], type: 'datetime', millis, offsets, ...rangeOf(millis, base[g].validity) };
    });
    return { ...this.schema, type: 'datetime', chunks, dictionary: null };
  }
}

function allOf<T>(texts: string[], parse: (text: string) => T | null): T[] | null {
  const out: T[] = [];
  for (const text of texts) {
    const parsed = parse(text);
    if (parsed === null) return null;
    out.push(parsed);
  }
  return out;
}

function sized<T extends Float64Array<ArrayBuffer> | Uint32Array<ArrayBuffer>>(values: T, size: number): T {
  if (values.length === size) return values;
  const out = new (values.constructor as new (length: number) => T)(size);
  out.set(values);
  return out;
}

/** A longer copy that has a place `i`; short at first, because a table can have thousands of columns and few rows. */
function grownTo<T extends Float64Array<ArrayBuffer> | Uint32Array<ArrayBuffer>>(values: T, i: number): T {
  const size = Math.min(CHUNK_ROWS, Math.max(256, 2 * values.length, i + 1));
  const longer = new (values.constructor as new (size: number) => T)(size);
  longer.set(values);
  return longer;
}

interface Presence {
  rows: number;
  nulls: number;
  validity: Mask | null;
}

function presenceOf(mask: Mask | undefined, rows: number): Presence {
  const validity = (mask ?? emptyMask(rows)).slice(0, (rows + 31) >>> 5);
  let present = 0;
  for (let row = 0; row < rows; row++) present += (validity[row >>> 5] >>> (row & 31)) & 1;
  return { rows, nulls: rows - present, validity: present === rows ? null : validity };
}
