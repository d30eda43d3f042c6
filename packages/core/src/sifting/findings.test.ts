import { TableBuilder } from '../features/table_builder.ts';
import { checkFilter } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { printFilter } from '../filters/printer.ts';
import { emptyTree, exprOfTree, treeOfExpr } from '../filters/tree.ts';
import { findingsOf } from './findings.ts';
import { Sifter } from './sifter.ts';
import { siftTree } from './stack.ts';

const builder = new TableBuilder();
for (const [kind, girth, code, note] of [
  ['oak', 120, '9', 'a'],
  ['ash', 80, '10', null],
  ['Oak tree', 300, '11', 'b'],
  [null, null, '12', 'c'],
] as const)
  // prettier-ignore
  builder.addFeature(null, { kind, girth, code, note });
const table = builder.finish();

/** Findings of a filter: kind, and the filter after the fix. */
function look(text: string): [string, string | null][] {
  const parsed = parseFilter(text);
  checkFilter(parsed, table.columns);
  let next = 0;
  const tree = treeOfExpr(parsed.expr, emptyTree(), () => `n${next++}`);
  const sifter = new Sifter(table, 0);
  return findingsOf(sifter, tree, siftTree(sifter, tree).rows).map(({ kind, fix }) => {
    const expr = fix && exprOfTree(fix.tree);
    return [kind, fix && (expr === null ? '' : printFilter(expr))];
  });
}

test.each<[string, string, string | null]>([
  ["kind = 'oak' AND kind = 'ash'", 'contradiction', "kind IN ('oak', 'ash')"],
  ["kind IN ('oak', 'ash') AND kind = 'Oak tree'", 'contradiction', "kind IN ('oak', 'ash', 'Oak tree')"],
  ['girth > 200 AND girth < 100', 'contradiction', 'girth > 200 OR girth < 100'],
  ["kind = 'oak' AND kind = 'oak'", 'repeated', "kind = 'oak'"],
  ["kind = 'oa%'", 'wildcard', "kind LIKE 'oa%'"],
  ["kind = 'aash'", 'no-such-value', "kind = 'ash'"],
  ["kind IN ('ash', 'oack')", 'no-such-value', "kind IN ('ash', 'oak')"],
  ['girth BETWEEN 200 AND 100', 'upside-down', 'girth BETWEEN 100 AND 200'],
  ["kind <> 'oak'", 'blanks-out', "kind <> 'oak' OR kind IS NULL"],
  ["kind NOT IN ('oak')", 'blanks-out', "kind NOT IN ('oak') OR kind IS NULL"],
  ["code > '5'", 'as-text', null],
  ['girth IS NOT NULL AND girth > 5', 'nothing-out', 'girth IS NOT NULL'],
])('%s', (text, kind, fixed) => {
  const found = look(text);
  expect(found).toEqual([[kind, fixed]]);
});

test.each([
  "kind = 'oak'",
  'girth > 100 AND girth < 200',
  "kind = 'oak' OR kind = 'ash'",
  "(kind = 'oak' OR kind IS NULL) AND girth > 100",
  "kind LIKE 'oa%'",
])('%s is left alone', (text) => expect(look(text)).toEqual([]));

test('every fix keeps something where the finding kept nothing', () => {
  for (const text of ["kind = 'oak' AND kind = 'ash'", "kind = 'oa%'", "kind = 'aash'", 'girth BETWEEN 200 AND 100']) {
    const [[, fixed]] = look(text);
    expect(siftTree(new Sifter(table, 0), treeOfExpr(parseFilter(fixed!).expr, emptyTree(), () => 'n')).kept).toBeGreaterThan(0); // prettier-ignore
  }
});
