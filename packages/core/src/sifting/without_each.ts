import { and, not, or } from '../features/mask.ts';
import { exprOfTree, type Group, type TreeNode } from '../filters/tree.ts';
import type { Sifter, Verdict } from './sifter.ts';

/** What a node's verdict makes of the whole tree; null: the node is switched off. */
type Whole = (verdict: Verdict | null) => Verdict | null;

/**
 * Calls, for every condition and group at work below the root, with what the tree would keep with it switched off. The verdicts of the members
 * of a group are combined in halves, from the whole group down to each member: of n members that takes n·log n steps, while one
 * tree after the other would take n².
 */
export function withoutEach(sifter: Sifter, root: Group, visit: (node: TreeNode, without: Verdict) => void): void {
  const { rows } = sifter.table;

  const inner = (node: TreeNode, whole: Whole): void => {
    if (exprOfTree(node) === null) return;
    if (node !== root) visit(node, whole(null) ?? sifter.everything());
    if (node.kind === 'condition') return;
    const both = node.combine === 'all' ? bothOf(and) : bothOf(or);
    const closed = (verdict: Verdict | null) => (verdict && node.combine === 'none' ? denied(verdict, rows) : verdict);
    const members = node.children.flatMap((child) => {
      const expr = exprOfTree(child);
      return expr === null ? [] : [{ child, verdict: sifter.verdict(expr) }];
    });
    const together = (from: number, to: number): Verdict | null => {
      let verdict: Verdict | null = null;
      for (let i = from; i < to; i++) verdict = both(verdict, members[i].verdict);
      return verdict;
    };
    /** @param others the members outside of the range together */
    const split = (from: number, to: number, others: Verdict | null): void => {
      if (to - from === 1) return inner(members[from].child, (verdict) => whole(closed(both(others, verdict))));
      const middle = (from + to) >> 1;
      split(from, middle, both(others, together(middle, to)));
      split(middle, to, both(others, together(from, middle)));
    };
    split(0, members.length, null);
  };
  inner(root, (verdict) => verdict);
}

const bothOf =
  (combine: typeof and) =>
  (a: Verdict | null, b: Verdict | null): Verdict | null => {
    if (!a || !b) return a ?? b;
    const yes = combine(a.yes, b.yes);
    return { yes, possible: a.possible === a.yes && b.possible === b.yes ? yes : combine(a.possible, b.possible) };
  };

function denied({ yes, possible }: Verdict, rows: number): Verdict {
  const sure = not(possible, rows);
  return { yes: sure, possible: possible === yes ? sure : not(yes, rows) };
}
