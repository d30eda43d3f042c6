import type { ColumnType } from '../features/column.ts';
import type { Expr } from '../filters/ast.ts';
import { FilterError } from '../filters/filter_error.ts';
import type { BlockForm, Checking, Operator } from './operator.ts';
import type { Scalar } from './scalar.ts';

/** What an argument of a function can be. */
export type Argument = ColumnType | 'any';

export interface FunctionOf {
  name: string;
  /** The types of its arguments, and of those at the end that may be left out or come again and again. */
  takes: readonly Argument[];
  optional?: readonly Argument[];
  more?: Argument;
  result: ColumnType;
  usage: string;
  meaning: string;
  prose: (args: readonly string[]) => string;
  apply: (args: Scalar[], asOf: number) => Scalar | null;
  /** Why it has no value where all that it is given is there, as in “is no number”; not said: it always has one. */
  fails?: string;
  dated?: true;
  asOf?: true;
  /** How many rows are computed at once; of functions of numbers alone it is known. */
  block?: BlockForm;
  check?: (call: Checking) => void;
}

const SCALARS: readonly ColumnType[] = ['number', 'text', 'boolean', 'date', 'datetime'];

/** A function of values under the standard's own rule for functions: a blank among its arguments makes it blank. */
export function functionOf(of: FunctionOf): Operator {
  const { takes, optional = [], more } = of;
  const isOfNumbers = of.result === 'number' && [...takes, ...optional, more ?? 'number'].every((type) => type === 'number');
  const block: BlockForm | undefined = of.block ?? (isOfNumbers ? { kind: 'each', apply: of.apply } : undefined);
  const typeAt = (i: number): Argument => [...takes, ...optional][i] ?? more!;
  return {
    name: of.name,
    syntax: { kind: 'function' },
    arity: [takes.length, more ? Infinity : takes.length + optional.length],
    standard: false,
    result: of.result,
    ...(of.fails ? { fails: of.fails } : {}),
    ...(of.asOf ? { asOf: of.asOf } : {}),
    help: { usage: of.usage, meaning: of.meaning, ...(of.dated ? { dated: true as const } : {}) },
    check: (call) => {
      for (const [i, arg] of call.args.entries()) {
        const wanted = typeAt(i);
        const types = wanted === 'any' ? SCALARS : wanted === 'date' ? (['date', 'datetime'] as const) : [wanted];
        call.expect(arg, types, call.at(i), call.args.length === 1 ? `The argument of ${of.name}` : `Argument ${i + 1} of ${of.name}`);
      }
      of.check?.(call);
    },
    prose: (args: readonly Expr[], { say }) => of.prose(args.map((arg) => say(arg, true))),
    evaluation: { by: 'value', apply: of.apply, ...(block && { block }) },
  };
}

/** Checks that an argument, if it is there, is one of some words. Throws a FilterError. */
export function checkWord({ name, args, at }: Checking, i: number, words: readonly string[]): void {
  const word = args[i];
  if (word === undefined || (typeof word === 'string' && words.includes(word))) return;
  const quoted = words.map((one) => `'${one}'`);
  throw new FilterError(`Argument ${i + 1} of ${name} is ${quoted.join(' or ')}`, at(i), `Write ${quoted[0]}`);
}

/** Checks that an argument, if it is written out, is a whole number in a range. Throws a FilterError. */
export function checkWhole({ name, args, at }: Checking, i: number, least: number, most: number): void {
  const number = args[i];
  if (typeof number !== 'number' || (Number.isInteger(number) && number >= least && number <= most)) return;
  throw new FilterError(`Argument ${i + 1} of ${name} is a whole number from ${least} to ${most}`, at(i));
}
