import type { BlockForm, Operator, Syntax } from './operator.ts';

type Level = Extract<Syntax, { kind: 'infix' }>['level'];
type Loop = Extract<BlockForm, { kind: 'numbers' }>['loop'];

const FAILS: Record<string, string> = { '/': 'is divided by zero', '%': 'is divided by zero', div: 'is divided by zero' };

/**
 * @param apply one row; what is not finite, as a division by zero, is unknown
 * @param loop the same of many; of a finite value v, v - v is 0, and of Infinity and NaN it is NaN
 */
function arithmetic(
  name: string,
  level: Level,
  meaning: string,
  prose: (a: string, b: string) => string,
  apply: (a: number, b: number) => number,
  loop: Loop,
): Operator {
  const sign = name.toUpperCase();
  return {
    name,
    syntax: { kind: 'infix', sign, level },
    arity: [2, 2],
    standard: true,
    result: 'number',
    help: { usage: `column ${sign} 2`, meaning },
    check: ({ args, at, expect }) => {
      for (const [i, arg] of args.entries()) expect(arg, ['number'], at(i), `Each side of ${name}`);
    },
    prose: ([a, b], { say }) => prose(say(a, true), say(b, true)),
    evaluation: {
      by: 'value',
      apply: ([a, b]) => {
        const value = apply(a as number, b as number);
        return Number.isFinite(value) ? value : null;
      },
      block: { kind: 'numbers', loop },
    },
    fails: FAILS[name] ?? 'gives no number that is finite',
  };
}

// The loops are written out: one that calls a function for each row is several times slower.
const PLUS: Loop = (a, b, out, rows) => {
  let odd = 0;
  for (let i = 0; i < rows; i++) {
    const value = a[i] + b[i];
    out[i] = value;
    odd += value - value;
  }
  return odd;
};
const MINUS: Loop = (a, b, out, rows) => {
  let odd = 0;
  for (let i = 0; i < rows; i++) {
    const value = a[i] - b[i];
    out[i] = value;
    odd += value - value;
  }
  return odd;
};
const TIMES: Loop = (a, b, out, rows) => {
  let odd = 0;
  for (let i = 0; i < rows; i++) {
    const value = a[i] * b[i];
    out[i] = value;
    odd += value - value;
  }
  return odd;
};
const OVER: Loop = (a, b, out, rows) => {
  let odd = 0;
  for (let i = 0; i < rows; i++) {
    const value = a[i] / b[i];
    out[i] = value;
    odd += value - value;
  }
  return odd;
};
const REMAINDER: Loop = (a, b, out, rows) => {
  let odd = 0;
  for (let i = 0; i < rows; i++) {
    const value = a[i] % b[i];
    out[i] = value;
    odd += value - value;
  }
  return odd;
};
const WHOLE: Loop = (a, b, out, rows) => {
  let odd = 0;
  for (let i = 0; i < rows; i++) {
    const value = Math.trunc(a[i] / b[i]);
    out[i] = value;
    odd += value - value;
  }
  return odd;
};
const POWER: Loop = (a, b, out, rows) => {
  let odd = 0;
  for (let i = 0; i < rows; i++) {
    const value = a[i] ** b[i];
    out[i] = value;
    odd += value - value;
  }
  return odd;
};

/** Arithmetic expressions of OGC 21-065r2. */
export const ARITHMETIC_OPERATORS: readonly Operator[] = [
  arithmetic(
    '+',
    'sum',
    'The sum.',
    (a, b) => `${a} + ${b}`,
    (a, b) => a + b,
    PLUS,
  ),
  arithmetic(
    '-',
    'sum',
    'The difference.',
    (a, b) => `${a} − ${b}`,
    (a, b) => a - b,
    MINUS,
  ),
  arithmetic(
    '*',
    'product',
    'The product.',
    (a, b) => `${a} × ${b}`,
    (a, b) => a * b,
    TIMES,
  ),
  arithmetic(
    '/',
    'product',
    'The quotient; unknown where it is divided by zero.',
    (a, b) => `${a} ÷ ${b}`,
    (a, b) => a / b,
    OVER,
  ),
  arithmetic(
    '%',
    'product',
    'The remainder of a division, with the sign of the first number.',
    (a, b) => `the remainder of ${a} ÷ ${b}`,
    (a, b) => a % b,
    REMAINDER,
  ),
  arithmetic(
    'div',
    'product',
    'The whole part of a division.',
    (a, b) => `the whole part of ${a} ÷ ${b}`,
    (a, b) => Math.trunc(a / b),
    WHOLE,
  ),
  arithmetic(
    '^',
    'power',
    'The power.',
    (a, b) => `${a} to the power of ${b}`,
    (a, b) => a ** b,
    POWER,
  ),
];
