import { count, countAnd } from '../features/mask.ts';
import { exprOfTree, type Group } from '../filters/tree.ts';
import { nearestBound, type NearestBound } from './bound_curve.ts';
import type { Side } from './movable.ts';
import type { Sifter } from './sifter.ts';
import { withoutEach } from './without_each.ts';

/** Why nothing is kept, and the smallest moves of a bound that would keep something. */
export interface Emptiness {
  /** Members of the stack that keep nothing by themselves. */
  alone: string[];
  /** Pairs of members that have no feature in common; looked for when none is empty alone. */
  pairs: [string, string][];
  /** Conditions without which something would be kept, most first. */
  without: { id: string; kept: number }[];
  bounds: NearestBound[];
}

/** @returns null when something is kept or no condition is at work */
export function emptiness(sifter: Sifter, root: Group): Emptiness | null {
  const expr = exprOfTree(root);
  if (expr === null || count(sifter.verdict(expr).yes) > 0) return null;
  const members = root.children.flatMap((child) => {
    const part = exprOfTree(child);
    return part === null ? [] : [{ id: child.id, mask: sifter.verdict(part).yes }];
  });
  const alone = members.filter(({ mask }) => count(mask) === 0).map(({ id }) => id);
  const pairs: [string, string][] = [];
  if (alone.length === 0)
    members.forEach((a, i) => members.slice(i + 1).forEach((b) => countAnd(a.mask, b.mask) === 0 && pairs.push([a.id, b.id])));
  const without: { id: string; kept: number }[] = [];
  // Nothing is kept: what is kept without a condition fails on it alone.
  withoutEach(sifter, root, ({ kind, id }, { yes }) => {
    const kept = kind === 'condition' ? count(yes) : 0;
    if (kept > 0) without.push({ id, kept });
  });
  without.sort((a, b) => b.kept - a.kept);
  const bounds = without.flatMap(({ id }) => (['low', 'high'] as Side[]).flatMap((side) => nearestBound(sifter, root, id, side) ?? []));
  const seen = new Set<string>();
  return {
    ...{ alone, pairs, without },
    bounds: bounds.filter(({ expr: moved }) => {
      const key = JSON.stringify(moved);
      return !seen.has(key) && seen.add(key);
    }),
  };
}
