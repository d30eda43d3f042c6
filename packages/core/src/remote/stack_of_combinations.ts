import { exprKey } from '../filters/expr_key.ts';
import { exprOfTree, nodesIn, type Group, type TreeNode } from '../filters/tree.ts';
import type { StackRow } from '../sifting/stack.ts';

type Truth = boolean | null;

/** So many features for which the conditions of a tree are true, false or unknown (null), in the order of `conditionsIn`. */
export interface Combination {
  truths: Truth[];
  count: number;
}

export interface StackOfCombinations {
  total: number;
  kept: number;
  unknown: number;
  rows: StackRow[];
  /** Features that would be kept without this condition or group, by its id. */
  without: Record<string, number>;
  /** Features that only this condition leaves out, by its id. */
  nearMisses: Record<string, number>;
}

/** The conditions at work in a tree, those that say the same once. */
export function conditionsIn(tree: Group): (TreeNode & { kind: 'condition' })[] {
  const found = new Map<string, TreeNode & { kind: 'condition' }>();
  for (const { node } of nodesIn(tree))
    if (node.kind === 'condition' && isAtWork(tree, node)) found.set(exprKey(node.expr), found.get(exprKey(node.expr)) ?? node);
  return [...found.values()];
}

function isAtWork(group: Group, wanted: TreeNode): boolean {
  if (group.off) return false;
  return group.children.some((child) => (child === wanted ? !child.off : child.kind === 'group' && isAtWork(child, wanted)));
}

/**
 * The numbers along a stack, of how often each combination of verdicts on its conditions occurs: there are few, however many features
 * there are. They are what `siftTree` and `withoutEach` count one by one.
 */
export function stackOfCombinations(tree: Group, combinations: readonly Combination[]): StackOfCombinations {
  const places = new Map(conditionsIn(tree).map(({ expr }, i) => [exprKey(expr), i]));
  /** Undefined for what is switched off, which leaves everything in. */
  const truth = (node: TreeNode, truths: Truth[], off: TreeNode | null): Truth | undefined => {
    if (node === off || exprOfTree(node) === null) return undefined;
    if (node.kind === 'condition') return truths[places.get(exprKey(node.expr))!];
    const members = node.children.map((child) => truth(child, truths, off)).filter((one) => one !== undefined);
    if (members.length === 0) return undefined;
    const decisive = node.combine !== 'all';
    const joined = members.includes(decisive) ? decisive : members.includes(null) ? null : !decisive;
    return node.combine === 'none' && joined !== null ? !joined : joined;
  };
  type Holds = (truths: Truth[]) => boolean;
  const keeps =
    (node: TreeNode, off: TreeNode | null = null): Holds =>
    (truths) =>
      truth(node, truths, off) === true || truth(node, truths, off) === undefined;
  const isUnknown =
    (node: TreeNode): Holds =>
    (truths) =>
      truth(node, truths, null) === null;
  const both =
    (a: Holds, b: Holds): Holds =>
    (truths) =>
      a(truths) && b(truths);
  const counted = (holds: Holds) => combinations.reduce((sum, { truths, count }) => sum + (holds(truths) ? count : 0), 0);
  const rows: StackRow[] = [];
  const without: Record<string, number> = {};
  const missed: Record<string, number> = {};
  const isLeftOut: Holds = (truths) => !keeps(tree)(truths);
  const walk = (node: TreeNode, reaches: Holds): void => {
    if (exprOfTree(node) === null) return;
    rows.push({
      id: node.id,
      reach: counted(reaches),
      left: counted(both(reaches, keeps(node))),
      unknown: counted(both(reaches, isUnknown(node))),
      alone: counted(keeps(node)),
    });
    if (node !== tree) without[node.id] = counted(keeps(tree, node));
    if (node.kind === 'condition') {
      missed[node.id] = counted(both(keeps(tree, node), isLeftOut));
      return;
    }
    let running = reaches;
    for (const child of node.children) {
      walk(child, running);
      // Members of "any of" and "none of" stand side by side; only "all of" narrows from one to the next.
      if (node.combine === 'all') running = both(running, keeps(child));
    }
  };
  walk(tree, () => true);
  return { total: counted(() => true), kept: counted(keeps(tree)), unknown: counted(isUnknown(tree)), rows, without, nearMisses: missed };
}
