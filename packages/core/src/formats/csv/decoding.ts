import type { Input } from '../input.ts';

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

const DELIMITERS = [',', ';', '\t', '|'];

/** The delimiter that splits the header into the most names; marks inside quotes do not count. */
export function delimiterOf(text: string): string {
  const header = /^(?:"(?:[^"]|"")*"|[^"\r\n])*/.exec(text)![0].replaceAll(/"(?:[^"]|"")*"/g, '');
  const counts = DELIMITERS.map((delimiter) => header.split(delimiter).length);
  return DELIMITERS[counts.indexOf(Math.max(...counts))];
}
