import { GROUP_ROWS, type Column, type ColumnChunk } from './column.ts';
import type { GeometryChunk } from './geometry.ts';
import { GeometryBuilder } from './geometry_builder.ts';
import { clearTail, emptyMask, has, put, type Mask } from './mask.ts';
import { geometryAt, type FeatureTable } from './table.ts';

/** A new table with these rows of another, in the order given; types, dictionaries and roles stay. */
export function takeRows(table: FeatureTable, rows: Uint32Array): FeatureTable {
  return {
    rows: rows.length,
    columns: takeColumns(table.columns, rows),
    geometry: inGroups(rows).map((group) => takeGeometry(table, group)),
    crs: table.crs,
  };
}

/** The same of columns alone. */
export function takeColumns(columns: readonly Column[], rows: Uint32Array): Column[] {
  const groups = inGroups(rows);
  return columns.map((column) => ({ ...column, chunks: groups.map((group) => takeChunk(column, group)) }));
}

function inGroups(rows: Uint32Array): Uint32Array[] {
  const groups: Uint32Array[] = [];
  for (let from = 0; from < rows.length; from += GROUP_ROWS) groups.push(rows.subarray(from, from + GROUP_ROWS));
  return groups;
}

function takeGeometry(table: FeatureTable, rows: Uint32Array): GeometryChunk {
  const builder = new GeometryBuilder();
  for (const row of rows) builder.add(geometryAt(table, row));
  return builder.finish();
}

function takeChunk(column: Column, rows: Uint32Array): ColumnChunk {
  const at = (row: number) => [column.chunks[Math.floor(row / GROUP_ROWS)], row % GROUP_ROWS] as const;
  const validity = emptyMask(rows.length);
  let nulls = 0;
  rows.forEach((row, i) => {
    const [chunk, r] = at(row);
    if (!chunk.validity || has(chunk.validity, r)) put(validity, i);
    else nulls++;
  });
  clearTail(validity, rows.length);
  const base = { rows: rows.length, nulls, validity: nulls === 0 ? null : validity };
  const gather = <T extends { [index: number]: number; length: number }>(out: T, read: (chunk: ColumnChunk, r: number) => number): T => {
    rows.forEach((row, i) => (out[i] = read(...at(row))));
    return out;
  };
  switch (column.type) {
    case 'number': {
      const values = gather(new Float64Array(rows.length), (chunk, r) => (chunk.type === 'number' ? chunk.values[r] : 0));
      return { ...base, type: 'number', values, ...rangeOf(values, base.validity) };
    }
    case 'text':
      return {
        ...base,
        type: 'text',
        codes: gather(new Uint32Array(rows.length), (chunk, r) => (chunk.type === 'text' ? chunk.codes[r] : 0)),
      };
    case 'boolean': {
      const values = emptyMask(rows.length);
      rows.forEach((row, i) => {
        const [chunk, r] = at(row);
        if (chunk.type === 'boolean' && has(chunk.values, r)) put(values, i);
      });
      return { ...base, type: 'boolean', values };
    }
    case 'date': {
      const days = gather(new Int32Array(rows.length), (chunk, r) => (chunk.type === 'date' ? chunk.days[r] : 0));
      const precision = gather(new Uint8Array(rows.length), (chunk, r) => (chunk.type === 'date' ? (chunk.precision?.[r] ?? 0) : 0));
      return {
        ...base,
        type: 'date',
        days,
        precision: precision.some((p) => p > 0) ? precision : null,
        ...rangeOf(days, base.validity),
      };
    }
    case 'datetime': {
      const millis = gather(new Float64Array(rows.length), (chunk, r) => (chunk.type === 'datetime' ? chunk.millis[r] : 0));
      const offsets = gather(new Int16Array(rows.length), (chunk, r) => (chunk.type === 'datetime' ? chunk.offsets[r] : 0));
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
