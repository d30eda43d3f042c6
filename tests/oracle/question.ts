import { emptyTree, treeOfExpr, type Expr, type Group } from '@clean-sieve/core';
import type { Case } from './agree.ts';
import { plainStack, someOff, treeTruths, type Answers } from './plain_stack.ts';
import type { Truth } from './plain_truth.ts';
import type { Random } from './random_lists.ts';

/** A filter of which every truth is told, as a tree and as the API wants it. */
export interface Question {
  tree: Group;
  truths: Truth[];
  answers: Answers;
}

/** Null where the other libraries cannot tell every truth. */
export function questionOf(made: Case, expr: Expr, random: Random): Question | null {
  let id = 0;
  const { rows } = made.table;
  const tree = someOff(
    random,
    treeOfExpr(expr, emptyTree(), () => `n${id++}`),
  ) as Group;
  const known = new Map<string, Truth[]>();
  const answers: Answers = ({ id: of, expr: test }) => {
    if (!known.has(of))
      known.set(
        of,
        made.records.rows.map((_, row) => told(made.truth(test, row))),
      );
    return known.get(of)!;
  };
  try {
    plainStack(tree, rows, answers);
    return { tree, truths: treeTruths(tree, rows, answers), answers };
  } catch (error) {
    if (error instanceof Untold) return null;
    throw error;
  }
}

class Untold extends Error {}
function told(truth: Truth | undefined): Truth {
  if (truth === undefined) throw new Untold();
  return truth;
}

export const keptRows = (truths: readonly Truth[]) => truths.flatMap((truth, row) => (truth === true ? [row] : []));
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
export const differs = (where: string, said: unknown, plain: unknown) =>
  same(said, plain) ? null : `${where} says ${JSON.stringify(said)}, plainly it is ${JSON.stringify(plain)}`;
