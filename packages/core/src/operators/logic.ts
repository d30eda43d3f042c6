import type { Expr } from '../filters/ast.ts';
import type { Operator } from './operator.ts';
import { folded } from './text.ts';

function joint(word: 'AND' | 'OR', usage: string, meaning: string): Operator {
  const name = word.toLowerCase();
  return {
    name,
    syntax: { kind: 'joint', word },
    arity: [2, Infinity],
    standard: true,
    result: 'boolean',
    help: { usage, meaning },
    check: ({ args, at, expect }) => {
      for (const [i, arg] of args.entries()) expect(arg, ['boolean'], at(i), `Each side of ${word}`);
    },
    prose: (args, { say }) => args.map((arg) => say(arg, true)).join(` ${name} `),
    evaluation: { by: 'logic' },
  };
}

const NOT: Operator = {
  name: 'not',
  syntax: { kind: 'prefix', word: 'NOT' },
  arity: [1, 1],
  standard: true,
  result: 'boolean',
  help: {
    usage: 'NOT condition',
    meaning: 'The contrary. What is unknown because of a blank stays unknown, and is not kept.',
  },
  check: ({ args, at, expect }) => void expect(args[0], ['boolean'], at(0), 'Each side of NOT'),
  prose: ([inner], { say }) => `not so that ${say(inner, true)}`,
  evaluation: { by: 'logic' },
};

const IS_NULL: Operator = {
  name: 'isNull',
  syntax: { kind: 'phrase', word: 'NULL', print: ([subject], _, not) => `${subject} IS ${not}NULL` },
  arity: [1, 1],
  standard: true,
  result: 'boolean',
  deniable: true,
  help: {
    usage: 'column IS NULL',
    meaning: "No value. An empty text is a value: compare with '' for it.",
  },
  check: ({ args, at, typeOf }) => void typeOf(args[0], at(0)),
  prose: ([subject], { say }) => `${say(subject)} is blank`,
  evaluation: { by: 'logic' },
};

const IN: Operator = {
  name: 'in',
  syntax: { kind: 'phrase', word: 'IN', print: ([subject], list, not) => `${subject} ${not}IN (${list.join(', ')})` },
  arity: [2, 2],
  standard: true,
  result: 'boolean',
  deniable: true,
  help: { usage: "column IN ('one', 'other')", meaning: 'One of the values in the brackets.' },
  check: ({ args: [subject, list], at, inList, comparable }) => {
    for (const [i, item] of (list as Expr[]).entries()) comparable('IN', [subject, item], (k) => (k === 0 ? at(0) : inList(list, i)));
  },
  prose: ([subject, list], { say, list: listed }) =>
    folded([subject, ...(list as Expr[])], ([a, ...rest]) => `${say(a)} is one of ${listed(rest.map((item) => say(item)))}`),
  evaluation: { by: 'logic' },
};

const BETWEEN: Operator = {
  name: 'between',
  syntax: { kind: 'phrase', word: 'BETWEEN', print: ([subject, low, high], _, not) => `${subject} ${not}BETWEEN ${low} AND ${high}` },
  arity: [3, 3],
  standard: true,
  result: 'boolean',
  deniable: true,
  help: {
    usage: 'column BETWEEN lowest AND highest',
    meaning: 'From the first to the second value, both included.',
  },
  check: ({ args: [subject, low, high], at, comparable }) => {
    comparable('BETWEEN', [subject, low], (i) => at(i));
    comparable('BETWEEN', [subject, high], (i) => at(i === 0 ? 0 : 2));
  },
  prose: ([subject, low, high], { say }) => `${say(subject)} is between ${say(low)} and ${say(high)}`,
  evaluation: { by: 'logic' },
};

export const LOGIC: readonly Operator[] = [
  joint('AND', 'condition AND condition', 'Both sides hold. AND is taken before OR where no brackets say otherwise.'),
  joint('OR', 'condition OR condition', 'One side holds at least.'),
  NOT,
  IS_NULL,
  BETWEEN,
  IN,
];
