import fc from 'fast-check';
import { CRS84 } from '../crs/crs.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { andNot, count, has } from '../features/mask.ts';
import type { Expr } from '../filters/ast.ts';
import type { Group, TreeNode } from '../filters/tree.ts';
import { siftTree } from '../sifting/stack.ts';
import { Sifter } from '../sifting/sifter.ts';
import { withoutEach } from '../sifting/without_each.ts';
import { conditionsIn, stackOfCombinations, type Combination } from './stack_of_combinations.ts';

/** Few conditions, so that the same stands in a tree twice. */
const EXPRS: Expr[] = [
  { op: '>', args: [{ property: 'a' }, 2] },
  { op: '<=', args: [{ property: 'a' }, 5] },
  { op: '=', args: [{ property: 'b' }, 'x'] },
  { op: 'isNull', args: [{ property: 'b' }] },
  { op: '<>', args: [{ property: 'c' }, 1] },
];
const off = fc.oneof({ weight: 4, arbitrary: fc.constant({}) }, { weight: 1, arbitrary: fc.constant({ off: true }) });
const { group } = fc.letrec<{ node: TreeNode; group: Group }>((tie) => ({
  node: fc.oneof(
    { maxDepth: 3, depthIdentifier: 'tree' },
    fc.record({ expr: fc.constantFrom(...EXPRS), off }).map(({ expr, off: is }) => ({ kind: 'condition' as const, id: '', expr, ...is })),
    tie('group'),
  ),
  group: fc
    .record({
      combine: fc.constantFrom('all' as const, 'any' as const, 'none' as const),
      children: fc.array(tie('node'), { maxLength: 4, depthIdentifier: 'tree' }),
      off,
    })
    .map(({ off: is, ...rest }) => ({ kind: 'group' as const, id: '', ...rest, ...is })),
}));
/** Every node gets an identity of its own; the root is always at work. */
function numbered(root: Group): Group {
  let next = 0;
  const walk = (node: TreeNode): TreeNode =>
    node.kind === 'group' ? { ...node, id: `n${next++}`, children: node.children.map(walk) } : { ...node, id: `n${next++}` };
  const { children, ...rest } = root;
  return { ...rest, off: undefined, id: 'root', children: children.map(walk) };
}
const record = fc.record({
  a: fc.option(fc.nat(8)),
  b: fc.option(fc.constantFrom('x', 'y')),
  c: fc.option(fc.nat(2)),
});

test('the numbers of a stack are the same of combinations as of features one by one', () => {
  fc.assert(
    fc.property(fc.array(record, { minLength: 1, maxLength: 70 }), group, (records, made) => {
      const tree = numbered(made);
      const builder = new TableBuilder();
      for (const name of ['a', 'b', 'c']) builder.column(name);
      // A first value of each settles the types.
      for (const one of [{ a: 0, b: 'z', c: 0 }, ...records]) builder.addFeature(null, one);
      const sifter = new Sifter(builder.finish(), 0, CRS84, null);
      const conditions = conditionsIn(tree);
      const combinations = new Map<string, Combination>();
      for (let row = 0; row < sifter.table.rows; row++) {
        const truths = conditions.map(({ expr }) => {
          const { yes, possible } = sifter.verdict(expr);
          return has(yes, row) ? true : has(possible, row) ? null : false;
        });
        const key = JSON.stringify(truths);
        combinations.set(key, { truths, count: (combinations.get(key)?.count ?? 0) + 1 });
      }
      const { total, kept, unknown, rows, mask } = siftTree(sifter, tree);
      const without: Record<string, number> = {};
      const missed: Record<string, number> = {};
      withoutEach(sifter, tree, (node, verdict) => {
        without[node.id] = count(verdict.yes);
        if (node.kind === 'condition') missed[node.id] = count(andNot(verdict.yes, mask));
      });
      const expected = { total, kept, unknown, rows, without, nearMisses: missed };
      expect(stackOfCombinations(tree, [...combinations.values()])).toEqual(expected);
    }),
  );
});
