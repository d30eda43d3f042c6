import type { Dictionary } from './dictionary.ts';
import { has, type Mask } from './mask.ts';
import { formatDay, formatInstant, type DatePrecision, PRECISIONS } from '../time/calendar.ts';

/** Features are stored and evaluated in chunks of this many rows; a multiple of 32 so that chunks meet at mask words. */
export const CHUNK_ROWS = 65_536;

export const COLUMN_TYPES = ['number', 'text', 'boolean', 'date', 'datetime'] as const;
export type ColumnType = (typeof COLUMN_TYPES)[number];

/** What a column is, without its values. */
export interface ColumnSchema {
  name: string;
  type: ColumnType;
  /** `id`: the identifier that the file format keeps outside the attributes; `lon`, `lat`: the columns that the points came from. */
  role?: 'id' | 'lon' | 'lat';
}

interface ChunkBase {
  rows: number;
  nulls: number;
  /** Bit set = value present; `null` when nothing is missing. */
  validity: Mask | null;
}
export interface NumberChunk extends ChunkBase {
  type: 'number';
  values: Float64Array<ArrayBuffer>;
  min: number;
  max: number;
}
export interface BooleanChunk extends ChunkBase {
  type: 'boolean';
  values: Mask;
}
export interface TextChunk extends ChunkBase {
  type: 'text';
  /** Codes into the column's dictionary; 0 where the value is missing. */
  codes: Uint32Array<ArrayBuffer>;
}
export interface DateChunk extends ChunkBase {
  type: 'date';
  /** Days since 1970-01-01 of the first day that the value can mean. */
  days: Int32Array<ArrayBuffer>;
  /** Index into PRECISIONS a row; `null` when all are known to the day. */
  precision: Uint8Array<ArrayBuffer> | null;
  min: number;
  max: number;
}
export interface InstantChunk extends ChunkBase {
  type: 'datetime';
  /** Milliseconds since 1970-01-01T00:00:00Z. */
  millis: Float64Array<ArrayBuffer>;
  /** Offset from UTC in minutes as written; NO_OFFSET where none was written (taken as UTC). */
  offsets: Int16Array<ArrayBuffer>;
  min: number;
  max: number;
}
export type ColumnChunk = NumberChunk | BooleanChunk | TextChunk | DateChunk | InstantChunk;

export const NO_OFFSET = -32_768;

/** One attribute of all features: its chunks in chunk order, and for text the dictionary they share. */
export interface Column extends ColumnSchema {
  chunks: ColumnChunk[];
  dictionary: Dictionary | null;
}

export type Value = number | string | boolean | null;

/** Value of one row: numbers, texts and booleans as they are, dates and date-times as ISO 8601 text. */
export function valueAt(column: Column, row: number): Value {
  const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
  const i = row % CHUNK_ROWS;
  if (chunk.validity && !has(chunk.validity, i)) return null;
  switch (chunk.type) {
    case 'number':
      return chunk.values[i];
    case 'boolean':
      return has(chunk.values, i);
    case 'text':
      return column.dictionary!.at(chunk.codes[i]);
    case 'date':
      return formatDay(chunk.days[i], datePrecision(chunk, i));
    case 'datetime':
      return formatInstant(chunk.millis[i], chunk.offsets[i] === NO_OFFSET ? null : chunk.offsets[i]);
  }
}

/** How closely the date in a row of a chunk is known. */
export function datePrecision(chunk: DateChunk, i: number): DatePrecision {
  return chunk.precision ? PRECISIONS[chunk.precision[i]] : 'day';
}

/** A number that sorts as the value does (text by dictionary code, false before true); NaN where missing. */
export function sortKeyAt(column: Column, row: number): number {
  const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
  const i = row % CHUNK_ROWS;
  if (chunk.validity && !has(chunk.validity, i)) return NaN;
  switch (chunk.type) {
    case 'number':
      return chunk.values[i];
    case 'boolean':
      return has(chunk.values, i) ? 1 : 0;
    case 'text':
      return chunk.codes[i];
    case 'date':
      return chunk.days[i];
    case 'datetime':
      return chunk.millis[i];
  }
}

/** Order of rows by a column's values; missing ones come last either way, equal ones stay in source order. */
export function compareRows(column: Column, descending: boolean): (a: number, b: number) => number {
  const sign = descending ? -1 : 1;
  return (a, b) => {
    const [x, y] = [sortKeyAt(column, a), sortKeyAt(column, b)];
    if (Number.isNaN(x) || Number.isNaN(y)) return Number.isNaN(x) === Number.isNaN(y) ? 0 : Number.isNaN(x) ? 1 : -1;
    return x === y ? 0 : sign * (x < y ? -1 : 1);
  };
}
