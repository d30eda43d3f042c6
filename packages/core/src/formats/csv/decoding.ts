import { headOf, type Input } from '../input.ts';

/** How a table's text is encoded: a byte order mark decides, then whether all of it is UTF-8; else it is windows-1252. */
export async function encodingOf(input: Input): Promise<string> {
  const utf8 = new TextDecoder('utf-8', { fatal: true });
  let first = true;
  try {
    for await (const chunk of input.stream()) {
      if (first && chunk[0] === 0xff && chunk[1] === 0xfe) return 'utf-16le';
      if (first && chunk[0] === 0xfe && chunk[1] === 0xff) return 'utf-16be';
      first = false;
      utf8.decode(chunk, { stream: true });
    }
    utf8.decode();
    return 'utf-8';
  } catch {
    return 'windows-1252';
  }
}

/** Text of a table that uses a decimal comma: more of the sample's numbers are written with one than with a point. */
export function usesDecimalComma(rows: string[][], delimiter: string): boolean {
  if (delimiter === ',') return false;
  let [commas, points] = [0, 0];
  for (const row of rows) {
    for (const cell of row) {
      if (/^\s*[+-]?\d+,\d+\s*$/.test(cell)) commas++;
      else if (/^\s*[+-]?\d+\.\d+\s*$/.test(cell)) points++;
    }
  }
  return commas > points;
}

/** Lines that are looked at to tell a table from a text. */
const LOOKED_AT = 50;

/** Whether most lines of a text have as many cells as the first, and that more than one: a table rather than a letter. */
export async function looksLikeRows(input: Input): Promise<boolean> {
  const decoder = new TextDecoder(await encodingOf(input));
  const text = decoder.decode(await headOf(input, 65_536), { stream: true });
  const lines = text
    .split(/\r?\n/)
    .filter((line) => line.trim() !== '')
    .slice(0, LOOKED_AT);
  if (lines.length < 2) return false;
  const delimiter = delimiterOf(lines[0]);
  const cells = lines.map((line) => line.replaceAll(/"(?:[^"]|"")*"/g, '').split(delimiter).length);
  const alike = cells.filter((count) => count === cells[0]).length;
  return cells[0] > 1 && alike >= 0.9 * lines.length;
}

const DELIMITERS = [',', ';', '\t', '|'];

/** The delimiter that splits the header into the most names; marks inside quotes do not count. */
export function delimiterOf(text: string): string {
  const header = /^(?:"(?:[^"]|"")*"|[^"\r\n])*/.exec(text)![0].replaceAll(/"(?:[^"]|"")*"/g, '');
  const counts = DELIMITERS.map((delimiter) => header.split(delimiter).length);
  return DELIMITERS[counts.indexOf(Math.max(...counts))];
}
