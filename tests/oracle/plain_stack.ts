import type { Group, TreeNode } from '@clean-sieve/core';
import type { Random } from './random_lists.ts';
import type { Truth } from './plain_truth.ts';

/** What the plain evaluator says of a condition, one truth a feature. */
export type Answers = (node: TreeNode & { kind: 'condition' }) => Truth[];

/** A node as it is when everything switched off, and every group with nothing in it, is left out. */
function working(node: TreeNode, off: string | null): TreeNode | null {
  if (node.off || node.id === off) return null;
  if (node.kind === 'condition') return node;
  const children = node.children.map((child) => working(child, off)).filter((child) => child !== null);
  return children.length === 0 ? null : { ...node, children };
}

function truthsOf(node: TreeNode, rows: number, answers: Answers): Truth[] {
  if (node.kind === 'condition') return answers(node);
  const parts = node.children.map((child) => truthsOf(child, rows, answers));
  return Array.from({ length: rows }, (_, row) => {
    const each = parts.map((part) => part[row]);
    if (node.combine === 'all') return each.includes(false) ? false : each.includes(null) ? null : true;
    const any = each.includes(true) ? true : each.includes(null) ? null : false;
    return node.combine === 'any' || any === null ? any : !any;
  });
}

/** The truths of a whole tree; without a working condition everything is kept. @param off a node to be left out */
export function treeTruths(tree: Group, rows: number, answers: Answers, off: string | null = null): Truth[] {
  const node = working(tree, off);
  return node ? truthsOf(node, rows, answers) : Array.from({ length: rows }, () => true);
}

export interface PlainRow {
  id: string;
  reach: number;
  left: number;
  unknown: number;
  alone: number;
}

/** The numbers of the stack, by going through it with lists of rows. */
export function plainStack(tree: Group, rows: number, answers: Answers): PlainRow[] {
  const found: PlainRow[] = [];
  const walk = (node: TreeNode, reach: number[]): number[] => {
    const truths = truthsOf(node, rows, answers);
    const left = reach.filter((row) => truths[row] === true);
    const unknown = reach.filter((row) => truths[row] === null).length;
    const alone = truths.filter((truth) => truth === true).length;
    found.push({ id: node.id, reach: reach.length, left: left.length, unknown, alone });
    if (node.kind === 'group') {
      let through = reach;
      for (const child of node.children) {
        const passed = walk(child, through);
        if (node.combine === 'all') through = passed;
      }
    }
    return left;
  };
  const node = working(tree, null);
  if (node) walk(node, [...Array(rows).keys()]);
  return found;
}

/** The tree with some of its nodes switched off. */
export function someOff(random: Random, node: TreeNode): TreeNode {
  const off = node.id !== 'root' && random.chance(0.12) ? { off: true } : {};
  return node.kind === 'condition'
    ? { ...node, ...off }
    : { ...node, ...off, children: node.children.map((child) => someOff(random, child)) };
}
