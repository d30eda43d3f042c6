import { nearestName } from './nearest_name.ts';

type Value = number | string;

/** A list of values as someone pasted it, beside those that a column has. */
export interface PastedValues {
  /** Values of the column, as they stand in it, each once. */
  found: Value[];
  /** What none is, as it was pasted, with the values that it is probably meant to be. */
  missing: { text: string; near: Value[] }[];
}

/** Values looked at for one that is spelled nearly so. */
const MOST_COMPARED = 2000;
const MOST_NEAR = 3;
const NUMBER = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i;

/** The parts of a pasted list: its lines and cells; without any, what stands between commas or semicolons. Quotes round one go. */
export function pastedParts(text: string): string[] {
  const separator = /[\n\t]/.test(text) ? /[\r\n\t]+/ : /;/.test(text) ? /;/ : /,/;
  return text
    .split(separator)
    .map((part) =>
      part
        .trim()
        .replace(/^(["'])(.*)\1[,;]?$/s, '$2')
        .replace(/[,;]$/, ''),
    )
    .filter((part) => part !== '');
}

/**
 * Finds the values of a pasted list among those of a column: exactly, or, of a column of numbers, as the same number.
 * @param known values of the column, most frequent first
 */
export function pastedValues(text: string, known: readonly Value[]): PastedValues {
  const exact = new Map<string, Value>(known.map((value) => [String(value), value]));
  const alike = new Map<string, Value[]>();
  for (const value of known) alike.set(plain(String(value)), [...(alike.get(plain(String(value))) ?? []), value]);
  const names = known.slice(0, MOST_COMPARED).map(String);
  const [found, missing] = [new Set<Value>(), new Map<string, PastedValues['missing'][number]>()];
  for (const part of pastedParts(text)) {
    const digits = part.replace(/\s/g, '');
    const number = typeof known[0] === 'number' && NUMBER.test(digits) ? exact.get(String(Number(digits))) : undefined;
    const value = exact.get(part) ?? number;
    if (value !== undefined) {
      found.add(value);
      continue;
    }
    const spelled = nearestName(part, names);
    const near = alike.get(plain(part)) ?? (spelled === null ? [] : [exact.get(spelled)!]);
    missing.set(part, { text: part, near: near.slice(0, MOST_NEAR) });
  }
  return { found: [...found], missing: [...missing.values()] };
}

/** A text without what people write one way or another: case, accents, kinds of quotes and dashes, blanks, zeros in front. */
function plain(text: string): string {
  return text
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .replace(/[‘’‚‛′`´]/g, "'")
    .replace(/[“”„‟″]/g, '"')
    .replace(/\p{Pd}/gu, '-')
    .replace(/\s+/g, ' ')
    .trim()
    .toLowerCase()
    .replace(/^0+(?=\d)/, '');
}
