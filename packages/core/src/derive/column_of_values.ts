import { CHUNK_ROWS, NO_OFFSET, type Column, type ColumnChunk, type ColumnType } from '../features/column.ts';
import { compareCodePoints, Dictionary } from '../features/dictionary.ts';
import { emptyMask, put, type Mask } from '../features/mask.ts';
import { rangeOf } from '../features/subset.ts';
import { isTime, precisionOf } from '../operators/plain_value.ts';
import type { Scalar } from '../operators/scalar.ts';
import { DAY_MILLIS, PRECISIONS } from '../time/calendar.ts';

/** Numbers as a column; what is not finite is blank. */
export function columnOfNumbers(name: string, values: Float64Array<ArrayBuffer>): Column {
  const chunks: ColumnChunk[] = [];
  for (let from = 0; from < values.length || from === 0; from += CHUNK_ROWS) {
    const some = values.slice(from, from + CHUNK_ROWS);
    const validity = emptyMask(some.length);
    let nulls = 0;
    for (let i = 0; i < some.length; i++) {
      // Of a finite value v, v - v is 0.
      if (some[i] - some[i] === 0) validity[i >>> 5] |= 1 << (i & 31);
      else {
        nulls++;
        some[i] = 0;
      }
    }
    chunks.push({
      type: 'number',
      rows: some.length,
      nulls,
      validity: nulls === 0 ? null : validity,
      values: some,
      ...rangeOf(some, validity),
    });
  }
  return { name, type: 'number', chunks: values.length === 0 ? [] : chunks, dictionary: null };
}

/**
 * A column of values one after another.
 * @param valueAt of each row once, ascending; null is blank
 * @throws where a value is not of the type
 */
export function columnOfValues(name: string, type: ColumnType, rows: number, valueAt: (row: number) => Scalar | null): Column {
  const codes = type === 'text' ? new Codes() : null;
  const chunks: ColumnChunk[] = [];
  for (let from = 0; from < rows; from += CHUNK_ROWS)
    chunks.push(chunkOf(type, Math.min(CHUNK_ROWS, rows - from), (i) => checked(type, valueAt(from + i)), codes));
  return { name, type, chunks, dictionary: codes && codes.finish(chunks) };
}

function checked(type: ColumnType, value: Scalar | null): Scalar | null {
  if (value === null) return null;
  const fits =
    type === 'number'
      ? typeof value === 'number'
      : type === 'text'
        ? typeof value === 'string'
        : type === 'boolean'
          ? typeof value === 'boolean'
          : isTime(value);
  if (!fits) throw new Error(`A value of another type than ${type}`);
  return typeof value === 'number' && !Number.isFinite(value) ? null : value;
}

/** Texts as they come; numbered in their order at the end. */
class Codes {
  readonly #of = new Map<string, number>();

  code(text: string): number {
    let code = this.#of.get(text);
    if (code === undefined) this.#of.set(text, (code = this.#of.size));
    return code;
  }

  finish(chunks: readonly ColumnChunk[]): Dictionary {
    const texts = [...this.#of.keys()].sort(compareCodePoints);
    const rank = new Uint32Array(texts.length);
    texts.forEach((text, i) => (rank[this.#of.get(text)!] = i));
    for (const chunk of chunks) if (chunk.type === 'text') for (let i = 0; i < chunk.rows; i++) chunk.codes[i] = rank[chunk.codes[i]] ?? 0;
    return Dictionary.of(texts);
  }
}

function chunkOf(type: ColumnType, rows: number, valueAt: (i: number) => Scalar | null, codes: Codes | null): ColumnChunk {
  const all: Mask = emptyMask(rows);
  let nulls = 0;
  const fill = (take: (value: Scalar, i: number) => void) => {
    for (let i = 0; i < rows; i++) {
      const value = valueAt(i);
      if (value === null) nulls++;
      else {
        put(all, i);
        take(value, i);
      }
    }
    return { rows, nulls, validity: nulls === 0 ? null : all };
  };
  switch (type) {
    case 'number': {
      const values = new Float64Array(rows);
      const base = fill((value, i) => (values[i] = value as number));
      return { ...base, type, values, ...rangeOf(values, base.validity) };
    }
    case 'boolean': {
      const values = emptyMask(rows);
      return { ...fill((value, i) => value === true && put(values, i)), type, values };
    }
    case 'text': {
      const own = new Uint32Array(rows);
      return { ...fill((value, i) => (own[i] = codes!.code(value as string))), type, codes: own };
    }
    case 'date': {
      const [days, precision] = [new Int32Array(rows), new Uint8Array(rows)];
      const base = fill((value, i) => {
        const known = isTime(value) ? precisionOf(value) : null;
        if (!isTime(value) || !known) throw new Error('A time that is no date');
        [days[i], precision[i]] = [value.start / DAY_MILLIS, PRECISIONS.indexOf(known)];
      });
      return { ...base, type, days, precision: precision.some((one) => one > 0) ? precision : null, ...rangeOf(days, base.validity) };
    }
    case 'datetime': {
      const millis = new Float64Array(rows);
      const base = fill((value, i) => (millis[i] = isTime(value) ? value.start : NaN));
      return { ...base, type, millis, offsets: new Int16Array(rows).fill(NO_OFFSET), ...rangeOf(millis, base.validity) };
    }
  }
}
