import { CHUNK_ROWS, type Column, type ColumnChunk } from './column.ts';
import type { GeometryChunk } from './geometry.ts';
import { GeometryBuilder } from './geometry_builder.ts';
import { clearTail, emptyMask, has, put, type Mask } from './mask.ts';
import { geometryAt, type FeatureTable } from './table.ts';

/** A new table with these rows of another, in the order given; types, dictionaries and roles stay. */
export function takeRows(table: FeatureTable, rows: Uint32Array): FeatureTable {
  return {
    rows: rows.length,
    columns: takeColumns(table.columns, rows),
    geometry: inChunks(rows).map((rowsOfChunk) => takeGeometry(table, rowsOfChunk)),
    crs: table.crs,
  };
}

/** The same of columns alone. @param rows -1 for a row that is blank in all of them */
export function takeColumns(columns: readonly Column[], rows: Uint32Array | Int32Array): Column[] {
  const chunksOfRows = inChunks(rows);
  return columns.map((column) => ({ ...column, chunks: chunksOfRows.map((rowsOfChunk) => takeChunk(column, rowsOfChunk)) }));
}

function inChunks<T extends Uint32Array | Int32Array>(rows: T): T[] {
  const chunksOfRows: T[] = [];
  for (let from = 0; from < rows.length; from += CHUNK_ROWS) chunksOfRows.push(rows.subarray(from, from + CHUNK_ROWS) as T);
  return chunksOfRows;
}

function takeGeometry(table: FeatureTable, rows: Uint32Array): GeometryChunk {
  const builder = new GeometryBuilder();
  for (const row of rows) builder.add(geometryAt(table, row));
  return builder.finish();
}

/** A chunk and a place in it are the upper and the lower bits of a row. */
const CHUNK_BITS = Math.log2(CHUNK_ROWS);
const IN_CHUNK = CHUNK_ROWS - 1;

function takeChunk(column: Column, rows: Uint32Array | Int32Array): ColumnChunk {
  const validity = emptyMask(rows.length);
  let nulls = 0;
  const validities = column.chunks.map((chunk) => chunk.validity);
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i];
    const known = row < 0 ? undefined : validities[row >>> CHUNK_BITS];
    if (known === null || (known && has(known, row & IN_CHUNK))) put(validity, i);
    else nulls++;
  }
  clearTail(validity, rows.length);
  const base = { rows: rows.length, nulls, validity: nulls === 0 ? null : validity };
  /** Nothing is allocated a row: this is gone through for millions of them. */
  const gather = <T extends { [index: number]: number }>(out: T, arrayOf: (chunk: ColumnChunk) => ArrayLike<number> | null): T => {
    const arrays = column.chunks.map(arrayOf);
    for (let i = 0; i < rows.length; i++) {
      const row = rows[i];
      if (row < 0) continue;
      const array = arrays[row >>> CHUNK_BITS];
      if (array) out[i] = array[row & IN_CHUNK];
    }
    return out;
  };
  switch (column.type) {
    case 'number': {
      const values = gather(new Float64Array(rows.length), (chunk) => (chunk.type === 'number' ? chunk.values : null));
      return { ...base, type: 'number', values, ...rangeOf(values, base.validity) };
    }
    case 'text':
      return {
        ...base,
        type: 'text',
        codes: gather(new Uint32Array(rows.length), (chunk) => (chunk.type === 'text' ? chunk.codes : null)),
      };
    case 'boolean': {
      const values = emptyMask(rows.length);
      for (let i = 0; i < rows.length; i++) {
        const chunk = rows[i] < 0 ? null : column.chunks[Math.floor(rows[i] / CHUNK_ROWS)];
        if (chunk?.type === 'boolean' && has(chunk.values, rows[i] % CHUNK_ROWS)) put(values, i);
      }
      return { ...base, type: 'boolean', values };
    }
    case 'date': {
      const days = gather(new Int32Array(rows.length), (chunk) => (chunk.type === 'date' ? chunk.days : null));
      const precision = gather(new Uint8Array(rows.length), (chunk) => (chunk.type === 'date' ? chunk.precision : null));
      return {
        ...base,
        type: 'date',
        days,
        precision: precision.some((p) => p > 0) ? precision : null,
        ...rangeOf(days, base.validity),
      };
    }
    case 'datetime': {
      const millis = gather(new Float64Array(rows.length), (chunk) => (chunk.type === 'datetime' ? chunk.millis : null));
      const offsets = gather(new Int16Array(rows.length), (chunk) => (chunk.type === 'datetime' ? chunk.offsets : null));
      return { ...base, type: 'datetime', millis, offsets, ...rangeOf(millis, base.validity) };
    }
  }
}

/** Smallest and largest of the values present; +∞, −∞ when there are none. */
export function rangeOf(values: Float64Array | Int32Array, validity: Mask | null): { min: number; max: number } {
  let [min, max] = [Infinity, -Infinity];
  for (let i = 0; i < values.length; i++) {
    if (validity && !has(validity, i)) continue;
    if (values[i] < min) min = values[i];
    if (values[i] > max) max = values[i];
  }
  return { min, max };
}
