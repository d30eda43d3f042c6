import { and, andNot, count, countAnd, fullMask, type Mask } from '../features/mask.ts';
import type { Group, TreeNode } from '../filters/tree.ts';
import { exprOfTree } from '../filters/tree.ts';
import { unknownOf, type Sifter } from './sifter.ts';

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
  walk(sifter, root, fullMask(total), rows);
  const expr = exprOfTree(root);
  const verdict = expr === null ? sifter.everything() : sifter.verdict(expr);
  return { total, kept: count(verdict.yes), unknown: count(unknownOf(verdict)), rows, mask: verdict.yes };
}

function walk(sifter: Sifter, node: TreeNode, reach: Mask, rows: StackRow[]): void {
  const expr = exprOfTree(node);
  if (expr === null) return;
  const verdict = sifter.verdict(expr);
  rows.push({
    id: node.id,
    reach: count(reach),
    left: countAnd(reach, verdict.yes),
    unknown: countAnd(reach, unknownOf(verdict)),
    alone: count(verdict.yes),
  });
  if (node.kind === 'condition') return;
  let running = reach;
  for (const child of node.children) {
    const childExpr = exprOfTree(child);
    if (childExpr === null) continue;
    walk(sifter, child, running, rows);
    // Members of "any of" and "none of" stand side by side; only "all of" narrows from one to the next.
    if (node.combine === 'all') running = and(running, sifter.verdict(childExpr).yes);
  }
}

/** How many features would be kept without this condition or group. */
export function keptWithout(sifter: Sifter, root: Group, id: string): number {
  const expr = exprOfTree(switchedOff(root, id));
  return count((expr === null ? sifter.everything() : sifter.verdict(expr)).yes);
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
