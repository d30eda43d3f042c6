import { sortKeyAt, valueAt, type Column } from '../features/column.ts';
import { foldAccents, foldCase } from './text_matching.ts';

/** A text without what does not matter when one is looked for: case and accents. */
export const bareText = (text: string): string => foldCase(foldAccents(text));

/** Whether the value of a row holds a text, whatever its case and accents; each distinct text is looked at once. */
export function holding(column: Column, text: string): (row: number) => boolean {
  const wanted = bareText(text);
  const { dictionary } = column;
  if (!dictionary) {
    return (row) => {
      const value = valueAt(column, row);
      return value !== null && bareText(String(value)).includes(wanted);
    };
  }
  const known = new Int8Array(dictionary.size);
  return (row) => {
    const code = sortKeyAt(column, row);
    if (Number.isNaN(code)) return false;
    if (known[code] === 0) known[code] = bareText(dictionary.at(code)).includes(wanted) ? 1 : -1;
    return known[code] === 1;
  };
}
