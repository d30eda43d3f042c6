import { COLUMN_TYPES, type ColumnType } from '../features/column.ts';
import { FilterError } from '../filters/filter_error.ts';
import { compare } from './compare.ts';
import type { Checking, ExprType, Operator } from './operator.ts';

/** The one type of several arguments. Throws a FilterError where they are of several types, or of one that is no value. */
function commonType({ name, args, at, expect, typeOf }: Checking, which: readonly number[]): ExprType {
  const types = which.map((i) => expect(args[i], COLUMN_TYPES, at(i), `Argument ${i + 1} of ${name}`) as ColumnType);
  // A day and a moment are not the same kind of column.
  const other = types.findIndex((type) => type !== types[0]);
  if (other > 0)
    throw new FilterError(
      `All that ${name} can give is of one type, but argument ${which[0] + 1} is ${words(types[0])} and argument ${which[other] + 1} is ${words(types[other])}`,
      at(which[other]),
      'TO_TEXT makes a text of any value',
    );
  return typeOf(args[which[0]], at(which[0]));
}
const words = (type: ColumnType) => (type === 'boolean' ? 'yes or no' : `a ${type}`);

const IF: Operator = {
  name: 'IF',
  syntax: { kind: 'function' },
  arity: [3, 3],
  standard: false,
  result: null,
  help: {
    usage: "IF(column = 'oak', 1, 2)",
    meaning: 'the second where the condition holds, the third where it does not; blank where that is unknown',
  },
  check: (call) => {
    call.expect(call.args[0], ['boolean'], call.at(0), 'The first argument of IF');
    return commonType(call, [1, 2]);
  },
  prose: ([condition, yes, no], { say }) => `${say(yes, true)} if ${say(condition, true)}, else ${say(no, true)}`,
  evaluation: {
    by: 'choice',
    choose: ([condition, yes, no]) => (condition === null ? null : condition === true ? yes : no),
    branches: true,
  },
  fails: 'depends on what is unknown',
};

const COALESCE: Operator = {
  name: 'COALESCE',
  syntax: { kind: 'function' },
  arity: [1, Infinity],
  standard: false,
  result: null,
  help: { usage: "COALESCE(column, 'none')", meaning: 'the first that is not blank' },
  check: (call) =>
    commonType(
      call,
      call.args.map((_, i) => i),
    ),
  prose: (args, { say }) => `the first of ${args.map((arg) => say(arg, true)).join(', ')} that is not blank`,
  evaluation: { by: 'choice', choose: (values) => values.find((value) => value !== null) ?? null },
};

const LOOKUP: Operator = {
  name: 'LOOKUP',
  syntax: { kind: 'function' },
  arity: [3, Infinity],
  standard: false,
  result: null,
  help: {
    usage: "LOOKUP(column, 'a', 'Ash', 'o', 'Oak', 'other')",
    meaning: 'what stands beside the value in a list of pairs; with one more argument at the end, that for all other values',
  },
  check: (call) => {
    const { args, at } = call;
    const pairs = Math.floor((args.length - 1) / 2);
    for (let i = 0; i < pairs; i++) call.comparable('LOOKUP', [args[0], args[1 + 2 * i]], (side) => at(side === 0 ? 0 : 1 + 2 * i));
    const results = Array.from({ length: pairs }, (_, i) => 2 + 2 * i);
    return commonType(call, args.length % 2 === 0 ? [...results, args.length - 1] : results);
  },
  prose: ([value, ...list], { say }) => `what ${say(value, true)} stands for in a list of ${Math.floor(list.length / 2)}`,
  evaluation: {
    by: 'choice',
    choose: ([value, ...list]) => {
      if (value === null) return null;
      for (let i = 0; i + 1 < list.length; i += 2) if (compare('=', value, list[i])) return list[i + 1];
      return list.length % 2 === 1 ? list[list.length - 1] : null;
    },
  },
  fails: 'is not in the list',
};

/** Functions that look at what is blank, or give what they are given. */
export const CHOICES: readonly Operator[] = [IF, COALESCE, LOOKUP];
