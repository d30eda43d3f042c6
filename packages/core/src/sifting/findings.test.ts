import { TableBuilder } from '../features/table_builder.ts';
import { checkFilter } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { printFilter } from '../filters/printer.ts';
import { emptyTree, exprOfTree, treeOfExpr } from '../filters/tree.ts';
import { parseDate } from '../time/calendar.ts';
import { findingsOf } from './findings.ts';
import { Sifter } from './sifter.ts';
import { siftTree } from './stack.ts';

const AS_OF = parseDate('2025-01-01')!.day;
const TODAY = AS_OF + 400;

const builder = new TableBuilder();
for (const [kind, girth, code, note, seen] of [
  ['oak', 120, '9', 'a', '2020-01-01'],
  ['ash', 80, '10', null, '2023-05-31'],
  ['Oak tree', 300, '11', 'b', '2021-07-01'],
  [null, null, '12', 'c', '2022-07-01'],
] as const)
  builder.addFeature(null, { kind, girth, code, note, seen });
const table = builder.finish();

/** Findings of a filter: kind, and the filter after the fix. */
function look(text: string, today: number | null = TODAY): [string, string | null][] {
  const parsed = parseFilter(text);
  checkFilter(parsed, table.columns);
  let next = 0;
  const tree = treeOfExpr(parsed.expr, emptyTree(), () => `n${next++}`);
  const sifter = new Sifter(table, AS_OF);
  return findingsOf(sifter, tree, siftTree(sifter, tree).rows, today).map(({ kind, fix }) => {
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
  ['girth = 500', 'no-such-value', 'girth = 300'],
  ['girth IN (80, 101)', 'no-such-value', 'girth IN (80, 120)'],
  ['girth BETWEEN 200 AND 100', 'upside-down', 'girth BETWEEN 100 AND 200'],
  ["kind <> 'oak'", 'blanks-out', "kind <> 'oak' OR kind IS NULL"],
  ["kind NOT IN ('oak')", 'blanks-out', "kind NOT IN ('oak') OR kind IS NULL"],
  ["code > '5'", 'as-text', 'code_number > 5'],
  ['girth > 500', 'beyond-values', 'girth >= 300'],
  ['girth BETWEEN 400 AND 500', 'beyond-values', 'girth BETWEEN 300 AND 500'],
  ["seen < DATE('2001-01-01')", 'beyond-values', "seen <= DATE('2020-01-01')"],
  [
    "T_INTERSECTS(seen, INTERVAL('2019-01-01', '2020-12-31'))",
    'period-in-part',
    "T_INTERSECTS(seen, INTERVAL('2020-01-01', '2020-12-31'))",
  ],
  ["seen > AS_OF(-5, 'years')", 'as-of-past', "seen > AS_OF(-5, 'years')"],
  ['girth IS NOT NULL AND girth > 5', 'nothing-out', 'girth IS NOT NULL'],
])('%s', (text, kind, fixed) => {
  const found = look(text);
  expect(found).toEqual([[kind, fixed]]);
});

test('a relative period that the source covers in part', () => {
  expect(look("T_INTERSECTS(seen, LAST(10, 'years'))", null)).toEqual([
    ['period-in-part', "T_INTERSECTS(seen, INTERVAL('2020-01-01', '2023-05-31'))"],
  ]);
  expect(look("T_INTERSECTS(seen, LAST(30, 'days'))", null)).toEqual([['beyond-values', null]]);
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
    expect(
      siftTree(
        new Sifter(table, AS_OF),
        treeOfExpr(parseFilter(fixed!).expr, emptyTree(), () => 'n'),
      ).kept,
    ).toBeGreaterThan(0);
  }
});
