import { isCall } from '../filters/ast.ts';
import { FilterError } from '../filters/filter_error.ts';
import { isOperandRef } from '../filters/operands.ts';
import type { Operator } from './operator.ts';

const COULD_BE: Operator = {
  name: 'COULD_BE',
  syntax: { kind: 'function' },
  arity: [1, 1],
  standard: false,
  result: 'boolean',
  help: {
    usage: "COULD_BE(column < DATE('2024-05-31'))",
    meaning: 'is true, or can be as far as a date known only to the month or year tells',
    dated: true,
  },
  check: ({ args, at, expect }) => void expect(args[0], ['boolean'], at(0), 'The argument of COULD_BE'),
  prose: ([inner], { say }) => `it could be that ${say(inner, true)}`,
  evaluation: { by: 'verdict' },
};

const KEPT_BY: Operator = {
  name: 'KEPT_BY',
  syntax: { kind: 'function' },
  arity: [1, 1],
  standard: false,
  result: 'boolean',
  deniable: true,
  help: {
    usage: "KEPT_BY(SIEVE('name'))",
    meaning: 'is kept by another sieve of the same source too, as that is at the moment',
  },
  check: ({ args, at, expect, example }) => {
    if (!isCall(args[0], 'SIEVE')) throw new FilterError('KEPT_BY needs a sieve', at(0), example);
    expect(args[0], ['geometry'], at(0), 'The argument of KEPT_BY');
  },
  prose: ([sieve]) => `the sieve ${isOperandRef(sieve) ? sieve.args[0] : ''} keeps it too`,
  evaluation: { by: 'verdict' },
};

export const VERDICTS: readonly Operator[] = [COULD_BE, KEPT_BY];
