import { isCall, type Expr } from '../filters/ast.ts';
import { FilterError } from '../filters/filter_error.ts';
import { quoted } from '../filters/phrases.ts';
import { foldAccents, foldCase } from '../filters/text_matching.ts';
import type { Operator } from './operator.ts';

/** @param note what it leaves aside, in a sentence */
function folding(name: 'casei' | 'accenti', usage: string, meaning: string, note: string, fold: (text: string) => string): Operator {
  return {
    name,
    syntax: { kind: 'function' },
    arity: [1, 1],
    standard: true,
    result: 'text',
    help: { usage, meaning },
    check: ({ args, at, expect }) => void expect(args[0], ['text'], at(0), `The argument of ${name.toUpperCase()}`),
    prose: ([text], { say }) => `${say(text)} (${note})`,
    evaluation: { by: 'value', apply: ([text]) => fold(text as string) },
  };
}

const NOTES = { casei: 'capitals and small letters alike', accenti: 'accents left aside' };

/** Where every side is folded alike, the folding is said once, at the end. */
export function folded(args: readonly Expr[], tell: (bare: Expr[]) => string): string {
  for (const op of ['casei', 'accenti'] as const) {
    const bare = args.flatMap((arg) => (isCall(arg, op) ? [arg.args[0]] : []));
    if (bare.length === args.length) return `${folded(bare, tell)}, ${NOTES[op]}`;
  }
  return tell([...args]);
}

const LIKE: Operator = {
  name: 'like',
  syntax: { kind: 'phrase', word: 'LIKE', print: ([subject, pattern], _, not) => `${subject} ${not}LIKE ${pattern}` },
  arity: [2, 2],
  standard: true,
  result: 'boolean',
  deniable: true,
  help: {
    usage: "column LIKE 'Oak%'",
    meaning: 'The whole text fits the pattern: % stands for any text, _ for one character, \\% for the sign itself.',
  },
  check: ({ args: [subject, pattern], at, expect }) => {
    expect(subject, ['text'], at(0), 'The left side of LIKE');
    if (typeof pattern !== 'string' && !isCall(pattern, 'casei', 'accenti'))
      throw new FilterError('LIKE needs a quoted pattern', at(1), "% stands for any characters, _ for one: LIKE 'Oak%'");
    expect(pattern, ['text'], at(1), 'The pattern of LIKE');
  },
  prose: (args, { say }) => folded(args, ([a, b]) => `${say(a)} fits the pattern ${say(b)}`),
  evaluation: { by: 'logic' },
};

/** Spells what cannot stand in quotes: a backslash before a quote would be read as its escape. */
const CODEPOINTS: Operator = {
  name: 'CODEPOINTS',
  syntax: { kind: 'function' },
  arity: [0, Infinity],
  standard: false,
  result: 'text',
  help: { usage: 'CODEPOINTS(92, 39)', meaning: 'a text spelled by its Unicode code points' },
  check: ({ args, at }) => {
    for (const [i, arg] of args.entries())
      if (typeof arg !== 'number' || !Number.isInteger(arg) || arg < 0 || arg > 0x10ffff)
        throw new FilterError('A code point is a whole number from 0 to 1114111', at(i));
  },
  prose: (args) => quoted(String.fromCodePoint(...(args as number[]))),
  evaluation: { by: 'value', apply: (args) => String.fromCodePoint(...(args as number[])) },
};

export const TEXT: readonly Operator[] = [
  LIKE,
  folding('casei', "CASEI(column) = CASEI('oak')", 'the text without regard to case', NOTES.casei, foldCase),
  folding('accenti', "ACCENTI(column) = ACCENTI('chêne')", 'the text without regard to accents', NOTES.accenti, foldAccents),
  CODEPOINTS,
];
