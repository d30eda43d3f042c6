import { CHUNK_ROWS, valueAt, type Column } from './column.ts';
import { has } from './mask.ts';

const encoder = new TextEncoder();
const NONE = new Uint8Array(0);

/** A reader of one column's values as UTF-8: texts straight from the dictionary, others as they are spelled; null where missing. */
export function textBytesOf(column: Column): (row: number) => Uint8Array | null {
  const { dictionary } = column;
  if (!dictionary) {
    const spelled = (row: number) => {
      const value = valueAt(column, row);
      return value === null ? null : encoder.encode(String(value));
    };
    return column.type === 'date' ? eachDayOnce(column, spelled) : spelled;
  }
  const { bytes, offsets } = dictionary;
  return (row) => {
    const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
    const i = row % CHUNK_ROWS;
    if (chunk.type !== 'text' || (chunk.validity && !has(chunk.validity, i))) return null;
    const code = chunk.codes[i];
    return offsets[code] === offsets[code + 1] ? NONE : bytes.subarray(offsets[code], offsets[code + 1]);
  };
}

const MOST_DAYS = 100_000;

/** Days come again and again, and spelling one takes longer than looking it up. */
function eachDayOnce(column: Column, spelled: (row: number) => Uint8Array | null): (row: number) => Uint8Array | null {
  const known = new Map<number, Uint8Array>();
  return (row) => {
    const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
    const i = row % CHUNK_ROWS;
    if (chunk.type !== 'date' || (chunk.validity && !has(chunk.validity, i))) return null;
    if (chunk.precision) return spelled(row);
    let bytes = known.get(chunk.days[i]);
    if (!bytes) {
      bytes = spelled(row)!;
      if (known.size < MOST_DAYS) known.set(chunk.days[i], bytes);
    }
    return bytes;
  };
}
