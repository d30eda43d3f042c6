import type { Expr } from '../filters/ast.ts';
import type { Checking, Operator } from './operator.ts';

/** The members of an array, each once, spelled as JSON. */
export type Members = ReadonlySet<string>;

function covers(outer: Members, inner: Members): boolean {
  if (inner.size > outer.size) return false;
  for (const member of inner) if (!outer.has(member)) return false;
  return true;
}

function shareOne(left: Members, right: Members): boolean {
  const [fewer, more] = left.size < right.size ? [left, right] : [right, left];
  for (const member of fewer) if (more.has(member)) return true;
  return false;
}

function ofArrays(name: string, meaning: string, verb: string, relate: (a: Members, b: Members) => boolean): Operator {
  const text = name.toUpperCase();
  return {
    name,
    syntax: { kind: 'function' },
    arity: [2, 2],
    standard: true,
    result: 'boolean',
    help: { usage: `${text}(column, ('a', 'b'))`, meaning },
    check: (call) => {
      for (const i of call.args.keys()) checkArray(call, call.args[i], i);
    },
    prose: ([a, b], { say }) => `${say(a)} ${verb} ${say(b)}`,
    evaluation: { by: 'arrays', relate },
  };
}

/** A list of values, or a text column whose values are JSON arrays. */
function checkArray(call: Checking, expr: Expr, i: number): void {
  if (!Array.isArray(expr)) call.expect(expr, ['list', 'text'], call.at(i), `Each argument of ${call.name}`);
  else for (const item of expr) if (Array.isArray(item)) checkArray(call, item, i);
}

/** Array functions of OGC 21-065r2, "Array Functions". Members are equal when they are the same value; order does not matter. */
export const ARRAYS: readonly Operator[] = [
  ofArrays('a_contains', 'the array has all of these', 'has all of', covers),
  ofArrays('a_containedBy', 'the array has none but these', 'has none but', (a, b) => covers(b, a)),
  ofArrays('a_equals', 'the array has just these', 'has just', (a, b) => a.size === b.size && covers(a, b)),
  ofArrays('a_overlaps', 'the array has one of these at least', 'has at least one of', shareOne),
];
