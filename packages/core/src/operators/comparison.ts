import type { Comparison } from '../filters/ast.ts';
import type { Operator } from './operator.ts';
import { folded } from './text.ts';

/** @param verb in a sentence; of times, where they are said another way, the second */
function comparison(name: Comparison, meaning: string, verb: string, ofTimes = verb): Operator {
  return {
    name,
    syntax: { kind: 'infix', sign: name, level: 'comparison' },
    arity: [2, 2],
    standard: true,
    result: 'boolean',
    help: { usage: `column ${name} value`, meaning },
    check: ({ args, at, comparable }) => comparable(name, args, at),
    prose: (args, { say, timed }) => {
      const said = args.some(timed) ? ofTimes : verb;
      return folded(args, ([a, b]) => `${say(a)} ${said} ${say(b)}`);
    },
    evaluation: { by: 'comparison' },
  };
}

/** Comparison operators of OGC 21-065r2, "Basic CQL2". */
export const COMPARING: readonly Operator[] = [
  comparison('=', 'is the same value', 'is'),
  comparison('<>', 'is another value', 'is not'),
  comparison('<', 'is less', 'is below', 'is before'),
  comparison('<=', 'is less or the same', 'is at most', 'is not after'),
  comparison('>', 'is more', 'is above', 'is after'),
  comparison('>=', 'is more or the same', 'is at least', 'is not before'),
];
