import { parseFilter } from './parser.ts';
import { printFilter } from './printer.ts';
import { emptyTree, exprOfTree, insertNode, narrowedBy, nodesIn, replaceNode, treeOfExpr, type Group } from './tree.ts';

let next = 0;
const newId = () => `n${next++}`;
const treeOf = (text: string, before: Group = emptyTree()) => treeOfExpr(parseFilter(text).expr, before, newId);
const textOf = (tree: Group) => {
  const expr = exprOfTree(tree);
  return expr === null ? '' : printFilter(expr);
};

test.each([
  'a > 1',
  "a > 1 AND b = 'x' AND S_INTERSECTS(geometry, BBOX(0, 0, 1, 1))",
  'a > 1 OR b < 2',
  'a > 1 AND (b < 2 OR c IS NULL)',
  'NOT (a = 1 OR b = 2)',
  "(a > 1 OR a IS NULL) AND owner NOT IN ('x')",
])('tree and text say the same: %s', (text) => expect(textOf(treeOf(text))).toBe(text));

test('a test that keeps blanks is one condition', () => {
  const tree = treeOf('(a > 1 OR a IS NULL) AND b = 2');
  expect(tree.children.map((node) => node.kind)).toEqual(['condition', 'condition']);
});

test('an edit of the text keeps the other nodes and what is switched off', () => {
  const tree = treeOf('a > 1 AND b = 2 AND c = 3');
  const [a, b, c] = tree.children;
  const off = replaceNode(tree, b.id, (node) => ({ ...node, off: true }));
  expect(textOf(off)).toBe('a > 1 AND c = 3');
  const edited = treeOf('a > 5 AND c = 3', off);
  expect(edited.children.map((node) => node.id)).toEqual([a.id, b.id, c.id]);
  expect(edited.children[1].off).toBe(true);
  expect(textOf(edited)).toBe('a > 5 AND c = 3');
});

test('empty and switched-off groups say nothing', () => {
  const tree = insertNode(treeOf('a > 1'), 'root', { kind: 'group', id: 'g', combine: 'any', children: [] });
  expect(textOf(tree)).toBe('a > 1');
  expect([...nodesIn(tree)]).toHaveLength(2);
  expect(textOf(emptyTree())).toBe('');
});

test.each([
  ['a > 1 AND b < 2', 'a > 1 AND b < 2 AND c = 3'],
  ['a > 1 OR b < 2', '(a > 1 OR b < 2) AND c = 3'],
  ['NOT (a = 1 OR b = 2)', 'NOT (a = 1 OR b = 2) AND c = 3'],
  ['a > 1', 'a > 1 AND c = 3'],
])('a condition that narrows %s', (text, narrowed) => {
  const node = { kind: 'condition' as const, id: newId(), expr: parseFilter('c = 3').expr };
  expect(textOf(narrowedBy(treeOf(text), node, newId()))).toBe(narrowed);
  expect(textOf(narrowedBy({ ...emptyTree(), combine: 'none' }, node, newId()))).toBe('c = 3');
});
