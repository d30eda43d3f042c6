import { digitsSpelled, type Decimal } from './spellings.ts';

/** What may stand in front of a number or behind it. */
export interface UnitSpelled {
  /** As it is written, such as m or €. */
  text: string;
  /** How many of the column's own unit one is, as a decimal: of a column in metres cm is 0.01. */
  times: string;
}

/** A number with or without a unit. */
export interface NumberWithUnit {
  value: number;
  /** Which of the units it was written with; -1: none. */
  unit: number;
}

/** Reads numbers with units; a number without one is in the column's own. */
export class UnitReader {
  /** The longest first: mm is not m behind an m. */
  readonly #units: { unit: number; text: string; times: string }[];

  /** @param units as they are told apart, upper and lower case included */
  constructor(units: readonly UnitSpelled[]) {
    this.#units = units
      .map(({ text, times }, unit) => ({ unit, text: text.trim(), times }))
      .filter(({ text }) => text !== '')
      .sort((a, b) => b.text.length - a.text.length);
  }

  /** The number that a text spells, in the column's own unit; null when it is none. */
  read(text: string, decimal: Decimal): NumberWithUnit | null {
    const trimmed = text.trim();
    const plain = digitsSpelled(trimmed, decimal);
    if (plain !== null) return finite(Number(plain), -1);
    for (const { unit, text: around, times } of this.#units) {
      const rest = trimmed.endsWith(around)
        ? trimmed.slice(0, -around.length)
        : trimmed.startsWith(around)
          ? trimmed.slice(around.length)
          : null;
      const digits = rest === null ? null : digitsSpelled(rest, decimal);
      if (digits !== null) return finite(decimalProduct(digits, times), unit);
    }
    return null;
  }
}

const finite = (value: number, unit: number): NumberWithUnit | null => (Number.isFinite(value) ? { value, unit } : null);

/** The double nearest to the product of two decimals: 57 × 0.01 is 0.57. @param a as in "-12.5" or "1e3" */
export function decimalProduct(a: string, b: string): number {
  const [x, y] = [decimalOf(a), decimalOf(b)];
  return Number(`${x.digits * y.digits}e${x.exponent + y.exponent}`);
}

function decimalOf(text: string): { digits: bigint; exponent: number } {
  const parts = /^([+-]?)(\d*)\.?(\d*)(?:[eE]([+-]?\d+))?$/.exec(text);
  if (!parts) throw new Error(`${text} is no decimal`);
  const [, sign, whole, fraction, exponent = '0'] = parts;
  const digits = BigInt(`${whole}${fraction}` || '0');
  return { digits: sign === '-' ? -digits : digits, exponent: Number(exponent) - fraction.length };
}

/** A factor as it can be written: a decimal that is no zero. */
export const isFactor = (text: string): boolean => /^\d+(\.\d+)?(e[+-]?\d{1,2})?$/.test(text) && Number(text) > 0;

/** Texts around numbers, the most frequent first, with how many rows have each. @param values texts that are no plain number */
export function unitsAround(values: Iterable<{ value: string; count: number }>, decimal: Decimal): { text: string; rows: number }[] {
  const rows = new Map<string, number>();
  for (const { value, count } of values) {
    const parts = /^([^\d+\-−.,]*)([+\-−]?[\d.,'\u00a0\u202f\u2009 ]*\d)\s*([^\d]*)$/u.exec(value.trim());
    const around = parts && (parts[1] === '' ? parts[3] : parts[3] === '' ? parts[1] : '').trim();
    if (!parts || !around || around.length > 12 || digitsSpelled(parts[2], decimal) === null) continue;
    // A letter that a number follows at once, or a zero in front, is that of a code: T-0012.
    if (/\p{L}$/u.test(parts[1]) || /^[+\-−]?0\d/.test(parts[2])) continue;
    rows.set(around, (rows.get(around) ?? 0) + count);
  }
  return [...rows].map(([text, of]) => ({ text, rows: of })).sort((a, b) => b.rows - a.rows || (a.text < b.text ? -1 : 1));
}
