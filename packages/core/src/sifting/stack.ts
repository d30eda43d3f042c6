import { and, andNot, count, countAndNot, fullMask, type Mask } from '../features/mask.ts';
import type { Group, TreeNode } from '../filters/tree.ts';
import { exprOfTree } from '../filters/tree.ts';
import { keptOf, unknownOf, type Sifter } from './sifter.ts';

/** What one row of the stack says. All are counts of features. */
export interface StackRow {
  id: string;
  /** Features that reach the row: kept by what stands above it. */
  reach: number;
  /** Of those, kept by it too. Along an "all of" they only ever fall. */
  left: number;
  /** Of those that reach it, left out because a value it needs is blank. */
  unknown: number;
  /** Kept by it of the whole source. */
  alone: number;
}

/** What a tree keeps, and the numbers along its stack. All are counts of features. */
export interface SiftResult {
  total: number;
  kept: number;
  /** Features for which the whole filter is unknown. */
  unknown: number;
  rows: StackRow[];
  mask: Mask;
}

/** Evaluates a tree and counts along it, row by row, as the stack shows it. Switched-off rows have no numbers. */
export function siftTree(sifter: Sifter, root: Group): SiftResult {
  const rows: StackRow[] = [];
  const total = sifter.table.rows;
  walk(sifter, root, fullMask(total), total, rows, []);
  const expr = exprOfTree(root);
  const verdict = expr === null ? sifter.everything() : sifter.verdict(expr);
  return { total, kept: keptOf(verdict), unknown: count(unknownOf(verdict)), rows, mask: verdict.yes };
}

/**
 * @param reaching number of rows in `reach`
 * @param spare masks to be written over: a new one for every step would cost more than the step
 * @returns the rows of `reach` that the node keeps too
 */
function walk(sifter: Sifter, node: TreeNode, reach: Mask, reaching: number, rows: StackRow[], spare: Mask[]): Mask {
  const expr = exprOfTree(node);
  if (expr === null) return reach;
  const verdict = sifter.verdict(expr);
  const { yes, possible } = verdict;
  const met = and(reach, yes, spare.pop());
  rows.push({
    id: node.id,
    reach: reaching,
    left: count(met),
    unknown: possible === yes ? 0 : countAndNot(reach, possible, yes),
    alone: keptOf(verdict),
  });
  if (node.kind === 'condition') return met;
  let [running, left] = [reach, reaching];
  for (const child of node.children) {
    const childExpr = exprOfTree(child);
    if (childExpr === null) continue;
    const at = rows.length;
    const through = walk(sifter, child, running, left, rows, spare);
    // Members of "any of" and "none of" stand side by side; only "all of" narrows from one to the next.
    const narrows = node.combine === 'all';
    if (!narrows || running !== reach) spare.push(narrows ? running : through);
    if (!narrows) continue;
    running = through;
    ({ left } = rows[at]);
  }
  if (running !== reach) spare.push(running);
  return met;
}

/** How many features would be kept without this condition or group. */
export function keptWithout(sifter: Sifter, root: Group, id: string): number {
  const expr = exprOfTree(switchedOff(root, id));
  return expr === null ? sifter.table.rows : keptOf(sifter.verdict(expr));
}

/** The features that exactly this condition of the tree leaves out: kept if it were switched off. */
export function nearMisses(sifter: Sifter, root: Group, id: string): Mask {
  const without = exprOfTree(switchedOff(root, id));
  const all = without === null ? sifter.everything() : sifter.verdict(without);
  const expr = exprOfTree(root);
  return andNot(all.yes, expr === null ? sifter.everything().yes : sifter.verdict(expr).yes);
}

function switchedOff(node: TreeNode, id: string): TreeNode {
  if (node.id === id) return { ...node, off: true };
  return node.kind === 'group' ? { ...node, children: node.children.map((child) => switchedOff(child, id)) } : node;
}
