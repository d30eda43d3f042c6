import fc from 'fast-check';
import { count } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { parseFilter } from '../filters/parser.ts';
import { exprOfTree, nodesIn, type Group, type TreeNode } from '../filters/tree.ts';
import { Sifter } from './sifter.ts';
import { keptWithout, nearMisses, siftTree } from './stack.ts';
import { withoutEach } from './without_each.ts';

const ROWS = 97;
const builder = new TableBuilder();
// Blanks in both columns, at different rows.
for (let n = 0; n < ROWS; n++) builder.addFeature(null, { n: n % 7 === 3 ? null : n, t: n % 5 === 1 ? null : 'abc'[n % 3] });
const table = builder.finish();

const TESTS = ['n > 20', 'n < 80', "t = 'a'", "t <> 'b'", 'n IS NULL', 'n BETWEEN 10 AND 60', 'n % 2 = 0', "t IN ('a', 'c')", 'n > 1000'];
const { tree: anyTree } = fc.letrec<{ node: TreeNode; tree: Group }>((tie) => ({
  node: fc.oneof(
    { maxDepth: 3 },
    fc.record({
      kind: fc.constant('condition' as const),
      id: fc.uuid(),
      expr: fc.constantFrom(...TESTS).map((text) => parseFilter(text).expr),
      off: fc.boolean(),
    }),
    tie('tree'),
  ),
  tree: fc.record({
    kind: fc.constant('group' as const),
    id: fc.uuid(),
    combine: fc.constantFrom('all' as const, 'any' as const, 'none' as const),
    children: fc.array(tie('node'), { maxLength: 5 }),
    off: fc.boolean(),
  }),
}));

test('what would be kept without each node is what its tree keeps with it switched off, one by one', () => {
  fc.assert(
    fc.property(anyTree, (tree) => {
      const sifter = new Sifter(table, 0);
      const { mask } = siftTree(sifter, tree);
      const seen = new Map<string, [kept: number, missed: number]>();
      withoutEach(sifter, tree, (node, { yes }) => seen.set(node.id, [count(yes), count(yes.map((word, i) => word & ~mask[i]))]));
      const atWork = [...nodesIn(tree)].map(({ node }) => node).filter((node) => exprOfTree(node) !== null && isAtWork(tree, node));
      expect([...seen.keys()].sort()).toEqual(atWork.map(({ id }) => id).sort());
      for (const { id } of atWork)
        expect([id, seen.get(id)]).toEqual([id, [keptWithout(sifter, tree, id), count(nearMisses(sifter, tree, id))]]);
    }),
    { numRuns: 400 },
  );
});

/** Neither it nor a group around it is switched off. */
function isAtWork(root: TreeNode, node: TreeNode): boolean {
  if (root.off) return false;
  return root === node || (root.kind === 'group' && root.children.some((child) => isAtWork(child, node)));
}

test('of very many members each is told in one pass', () => {
  const children = Array.from({ length: 401 }, (_, i): TreeNode => ({
    kind: 'condition',
    id: `c${i}`,
    expr: parseFilter(`n <> ${i}`).expr,
  }));
  const tree: Group = { kind: 'group', id: 'root', combine: 'all', children };
  const sifter = new Sifter(table, 0);
  const { kept } = siftTree(sifter, tree);
  const without = new Map<string, number>();
  withoutEach(sifter, tree, ({ id }, { yes }) => without.set(id, count(yes)));
  // A value that one feature has comes back with its condition off; values that none has change nothing.
  for (let i = 0; i < 401; i++) expect(without.get(`c${i}`)).toBe(kept + (i < ROWS && i % 7 !== 3 ? 1 : 0));
});
