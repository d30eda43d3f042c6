import { CHUNK_ROWS, NO_OFFSET, valueAt, type Column } from '../features/column.ts';
import { has } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { fileTypeOf, hasHeights, typesIn, type WrittenLayer } from './writing.ts';

/** What a file does not hold as the layer has it: said before it is written, and in its note. */
export interface Loss {
  text: string;
  /** Something is gone, rather than only written in another way. */
  lost: boolean;
}

/** A number with what it counts, as in “1 text is” and “2 texts are”. */
export const counted = (count: number, one: string, many: string) => `${count.toLocaleString('en-GB')} ${count === 1 ? one : many}`;
/** Something that a format holds another way. */
export const changed = (text: string): Loss => ({ text, lost: false });
/** Something that a format does not hold. */
export const lost = (text: string): Loss => ({ text, lost: true });

/** Rows of a text column in which a test of its distinct texts holds. */
export function textsThat(column: Column, rows: Uint32Array, test: (text: string) => boolean): number {
  const { dictionary } = column;
  if (!dictionary) return 0;
  const wanted = Array.from({ length: dictionary.size }, (_, code) => test(dictionary.at(code)));
  if (!wanted.includes(true)) return 0;
  let count = 0;
  for (const row of rows) {
    const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
    const i = row % CHUNK_ROWS;
    if (chunk.type === 'text' && (!chunk.validity || has(chunk.validity, i)) && wanted[chunk.codes[i]]) count++;
  }
  return count;
}

/** Empty texts, for a format in which they are the same as missing values. */
export function emptyTextLosses({ table, rows }: WrittenLayer): Loss[] {
  const count = table.columns.reduce((sum, column) => sum + textsThat(column, rows, (text) => text === ''), 0);
  return count > 0 ? [changed(counted(count, 'empty text becomes a missing value', 'empty texts become missing values'))] : [];
}

/** Times of which the offset from UTC is not kept, and such as have none and are taken for UTC. */
export function offsetLosses({ table, rows }: WrittenLayer, plainTimes: 'kept' | 'utc'): Loss[] {
  return table.columns.flatMap((column) => {
    let [moved, plain] = [0, 0];
    for (const row of rows) {
      const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
      const i = row % CHUNK_ROWS;
      if (chunk.type !== 'datetime' || (chunk.validity && !has(chunk.validity, i))) continue;
      if (chunk.offsets[i] === NO_OFFSET) plain++;
      else if (chunk.offsets[i] !== 0) moved++;
    }
    return [
      ...(moved > 0
        ? [changed(`${counted(moved, 'time', 'times')} of ${column.name} ${moved === 1 ? 'is' : 'are'} written in UTC, without the offset`)]
        : []),
      ...(plain > 0 && plainTimes === 'utc'
        ? [changed(`${counted(plain, 'time', 'times')} of ${column.name} without an offset ${plain === 1 ? 'is' : 'are'} taken for UTC`)]
        : []),
    ];
  });
}

/** Dates known to the month or year only, for a format that knows days: their column is one of texts. */
export function vagueDateLosses({ table, rows }: WrittenLayer): Loss[] {
  const names = table.columns.filter((column) => column.type === 'date' && fileTypeOf(column, rows) === 'text').map(({ name }) => name);
  return names.length > 0 ? [changed(`Dates of ${names.join(', ')} are written as texts: some are known to the month or year only`)] : [];
}

/** Dates, for a format that has none and takes the midnight that begins them. */
export function midnightLosses({ table, rows }: WrittenLayer): Loss[] {
  const names = table.columns
    .filter((column) => fileTypeOf(column, rows) === 'date' && rows.some((row) => valueAt(column, row) !== null))
    .map(({ name }) => name);
  return names.length > 0 ? [changed(`Dates of ${names.join(', ')} are written as the midnights that begin them`)] : [];
}

/** How many of the rows have heights at some of their corners and not at others. */
export function partlyWithHeights(table: FeatureTable, rows: Uint32Array): number {
  let count = 0;
  for (const row of rows) {
    const { z, vertexRange } = rangesOf(table, row);
    if (z.length === 0) continue;
    const [from, to] = vertexRange;
    const heights = z.subarray(from, to);
    if (heights.some(Number.isNaN) && !heights.every(Number.isNaN)) count++;
  }
  return count;
}

function rangesOf(table: FeatureTable, row: number): { z: Float64Array; vertexRange: [number, number] } {
  const chunk = table.geometry[Math.floor(row / CHUNK_ROWS)];
  return { z: chunk.z, vertexRange: chunk.vertexRange(row % CHUNK_ROWS) };
}

/** Shapes as well-known text, which has heights everywhere or nowhere in a shape. */
export function heightLossesOfText({ table, rows }: WrittenLayer): Loss[] {
  const count = partlyWithHeights(table, rows);
  return count > 0
    ? [
        lost(
          `${counted(count, 'shape has a height at some corners only, and is', 'shapes have heights at some corners only, and are')} written without`,
        ),
      ]
    : [];
}

/** Lines and polygons that share corners share one height there. */
export function sharedHeightLosses(layer: WrittenLayer): Loss[] {
  const { table, rows, shapes } = layer;
  const types = typesIn(table, rows);
  const shared = ['LineString', 'MultiLineString', 'Polygon', 'MultiPolygon', 'GeometryCollection'] as const;
  return shapes && shared.some((type) => types.has(type)) && hasHeights(table, rows)
    ? [lost('Where shapes share corners, one height is kept for all of them')]
    : [];
}
