import { GROUP_ROWS, valueAt, type Column } from './column.ts';
import { has } from './mask.ts';

const encoder = new TextEncoder();
const NONE = new Uint8Array(0);

/** A reader of one column's values as UTF-8: texts straight from the dictionary, others as they are spelled; null where missing. */
export function textBytesOf(column: Column): (row: number) => Uint8Array | null {
  const { dictionary } = column;
  if (!dictionary)
    return (row) => {
      const value = valueAt(column, row);
      return value === null ? null : encoder.encode(String(value));
    };
  const { bytes, offsets } = dictionary;
  return (row) => {
    const chunk = column.chunks[Math.floor(row / GROUP_ROWS)];
    const i = row % GROUP_ROWS;
    if (chunk.type !== 'text' || (chunk.validity && !has(chunk.validity, i))) return null;
    const code = chunk.codes[i];
    return offsets[code] === offsets[code + 1] ? NONE : bytes.subarray(offsets[code], offsets[code + 1]);
  };
}
