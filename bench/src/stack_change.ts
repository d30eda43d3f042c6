import {
  activeConditions,
  emptyTree,
  parseFilter,
  replaceNode,
  Sifter,
  siftTree,
  treeOfExpr,
  type FeatureTable,
  type Group,
} from '@clean-sieve/core';
import type { Comparison } from './compared.ts';

const TEN = `girth >= 60 AND risk > 20 AND species IN ('0001', '0008', '0050', '0211', '0015') AND lit = TRUE
  AND inspected < DATE('2015-01-01') AND height > 4 AND grade <> 'good' AND CASEI(street) LIKE CASEI('%street 1%')
  AND (owner <> 'O7' OR owner IS NULL) AND NOT (crown BETWEEN 3 AND 4)`;

/** One bound of a ten-condition tree is moved, as a dragged handle does it; the reference evaluates the whole tree anew. */
export function stackChange(table: FeatureTable): Comparison {
  let next = 0;
  const tree = treeOfExpr(parseFilter(TEN).expr, emptyTree(), () => `n${next++}`);
  const moved = activeConditions(tree)[1].id;
  const withBound = (bound: number): Group =>
    replaceNode(tree, moved, (node) => ({ ...node, expr: parseFilter(`risk > ${bound}`).expr }) as typeof node);
  const kept = new Sifter(table, 0);
  siftTree(kept, tree);
  let bound = 20;
  return {
    name: '1,000,000 rows: one bound of ten conditions moved',
    // Each round moves to a bound not seen before, so that nothing of the moved condition is remembered.
    ours: () => {
      bound += 0.01;
      return siftTree(kept, withBound(bound)).kept;
    },
    reference: { name: 'whole tree', run: () => siftTree(new Sifter(table, 0), withBound(20.5)).kept },
    target: 0.2,
    agree: (a, b) => a === b,
  };
}
