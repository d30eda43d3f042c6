import { checkWhole, functionOf, type FunctionOf } from './functions.ts';
import type { Operator } from './operator.ts';

const finite = (value: number): number | null => (Number.isFinite(value) ? value + 0 : null);

/** Half is rounded away from zero, as in school: by the decimal digits that the number is written with, not by its binary value. */
export function rounded(value: number, digits: number): number | null {
  const quick = soonRounded(value, digits);
  return quick === null ? roundedAsWritten(value, digits) : finite(quick);
}

/** Products beyond this are not sure to the half. */
const SURE = 2 ** 50;
/** Powers of ten that a double holds exactly. */
const TENS = Array.from({ length: 16 }, (_, i) => Number(`1e${i}`));

/**
 * The same by arithmetic where that is sure: the power of ten is exact, so the product is off by less than 2⁻⁵¹ of itself from what is
 * written, and the way back is the one double nearest to the decimal. Null near a half.
 */
function soonRounded(value: number, digits: number): number | null {
  const ten = TENS[Math.abs(digits)];
  const size = Math.abs(value);
  const product = digits < 0 ? size / ten : size * ten;
  if (!(product < SURE)) return null;
  const below = Math.floor(product);
  const rest = product - below;
  if (Math.abs(rest - 0.5) <= product * 2 ** -50) return null;
  const whole = rest < 0.5 ? below : below + 1;
  const result = digits < 0 ? whole * ten : whole / ten;
  return value < 0 ? -result : result;
}

/** By the digits that the number is written with. */
export function roundedAsWritten(value: number, digits: number): number | null {
  const [mantissa, exponent = '0'] = String(Math.abs(value)).split('e');
  const whole = Math.round(Number(`${mantissa}e${Number(exponent) + digits}`));
  const result = Number(`${whole}e${-digits}`);
  // Where there are no more digits than that, it is round already.
  if (!Number.isFinite(whole) || !Number.isFinite(result)) return value;
  return finite(Math.sign(value) * result);
}

const ofOne = (
  name: string,
  meaning: string,
  prose: (x: string) => string,
  compute: (x: number) => number,
  fails?: string,
): FunctionOf => ({
  name,
  takes: ['number'],
  result: 'number',
  usage: `${name}(12.5)`,
  meaning,
  prose: ([x]) => prose(x),
  apply: (args) => finite(compute(args[0] as number)),
  ...(fails ? { fails } : {}),
});

const ofSeveral = (name: string, which: string, choose: (a: number, b: number) => number): FunctionOf => ({
  ...{ name, takes: ['number'], more: 'number', result: 'number' },
  usage: `${name}(3, 12)`,
  meaning: `the ${which} of several numbers`,
  prose: (args) => `the ${which} of ${args.join(', ')}`,
  apply: (args) => {
    let chosen = args[0] as number;
    for (let i = 1; i < args.length; i++) chosen = choose(chosen, args[i] as number);
    return chosen;
  },
});

export const NUMBER_FUNCTIONS: readonly Operator[] = [
  functionOf({
    name: 'ROUND',
    takes: ['number'],
    optional: ['number'],
    result: 'number',
    usage: 'ROUND(12.345, 1)',
    meaning: 'rounded to a whole number, or to so many digits behind the point (negative: before it); half away from zero',
    prose: ([x, digits]) => `${x} rounded${digits === undefined ? '' : ` to ${digits} digits`}`,
    check: (call) => checkWhole(call, 1, -15, 15),
    apply: (args) => rounded(args[0] as number, args.length > 1 ? (args[1] as number) : 0),
  }),
  functionOf(ofOne('FLOOR', 'the whole number that is not above it', (x) => `${x} rounded down`, Math.floor)),
  functionOf(ofOne('CEILING', 'the whole number that is not below it', (x) => `${x} rounded up`, Math.ceil)),
  functionOf(ofOne('ABS', 'the number without its sign', (x) => `${x} without its sign`, Math.abs)),
  functionOf(ofOne('SQRT', 'the square root', (x) => `the square root of ${x}`, Math.sqrt, 'is a root of a number below zero')),
  functionOf(
    ofOne('LOG10', 'the logarithm to base 10', (x) => `the logarithm of ${x}`, Math.log10, 'is a logarithm of no number above zero'),
  ),
  functionOf(ofSeveral('LEAST', 'smallest', Math.min)),
  functionOf(ofSeveral('GREATEST', 'largest', Math.max)),
  functionOf({
    name: 'CLASS_OF',
    takes: ['number', 'number'],
    more: 'number',
    result: 'number',
    usage: 'CLASS_OF(12, 10, 20)',
    meaning: 'the number of the class between bounds that ascend, from 1: a number that is a bound is of the class above it',
    prose: ([x, ...bounds]) => `the class of ${x} between ${bounds.join(', ')}`,
    apply: (args) => {
      const x = args[0];
      let number = 1;
      for (let i = 1; i < args.length; i++) {
        if (i > 1 && args[i] <= args[i - 1]) return null;
        if (args[i] <= x) number++;
      }
      return number;
    },
    fails: 'has bounds that do not ascend',
  }),
];
