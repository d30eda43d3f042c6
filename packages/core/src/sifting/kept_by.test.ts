import fc from 'fast-check';
import type { Geometry } from 'geojson';
import { maskOf, rowsOf, type Mask } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { checkFilter } from '../filters/check.ts';
import { exprOfForm, formOfExpr } from '../filters/form.ts';
import { parseFilter } from '../filters/parser.ts';
import { parseFilterJson } from '../filters/valid_expr.ts';
import { printFilter } from '../filters/printer.ts';
import { emptyTree, treeOfExpr } from '../filters/tree.ts';
import { conditionInWords } from '../filters/words.ts';
import { Geos } from '../geos/geos.ts';
import { findingsOf } from './findings.ts';
import { Sifter, unknownOf } from './sifter.ts';
import { siftTree } from './stack.ts';

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

const point = (x: number): Geometry => ({ type: 'Point', coordinates: [x, 0] });
function tableOf(values: (number | null)[]) {
  const builder = new TableBuilder();
  builder.column('n');
  values.forEach((n, i) => builder.addFeature(point(i / 100), { n }));
  return builder.finish();
}
function sifterOf(table: ReturnType<typeof tableOf>, rows: Mask | null, theirs = table): Sifter {
  const sifter = new Sifter(table, 0, undefined, geos);
  sifter.operands = new Map([['SIEVE mine', { key: 'mine', table: theirs, rows }]]);
  return sifter;
}
const OPERANDS = { operands: { sources: [], sieves: ['mine'] } };

test('what another sieve keeps, and what it does not, beside a condition with blanks', () => {
  const values = fc.array(fc.option(fc.integer({ min: 0, max: 4 }), { freq: 3 }), { minLength: 1, maxLength: 140 });
  fc.assert(
    fc.property(values, fc.func(fc.boolean()), (numbers, inMine) => {
      const kept = numbers.flatMap((_, row) => (inMine(row) ? [row] : []));
      const table = tableOf([...numbers, 1]);
      const sifter = sifterOf(table, maskOf(kept, table.rows));
      const ask = (text: string) => {
        const parsed = parseFilter(text);
        checkFilter(parsed, table.columns, OPERANDS);
        const verdict = sifter.verdict(parsed.expr);
        return [[...rowsOf(verdict.yes)], [...rowsOf(unknownOf(verdict))]];
      };
      const all = [...numbers, 1].map((n, row) => ({ n, row, mine: kept.includes(row) }));
      const rows = (of: typeof all) => of.map(({ row }) => row);
      expect(ask("KEPT_BY(SIEVE('mine'))")).toEqual([kept, []]);
      expect(ask("NOT KEPT_BY(SIEVE('mine'))")).toEqual([rows(all.filter(({ mine }) => !mine)), []]);
      expect(ask("KEPT_BY(SIEVE('mine')) AND n > 2")).toEqual([
        rows(all.filter(({ n, mine }) => mine && n !== null && n > 2)),
        rows(all.filter(({ n, mine }) => mine && n === null)),
      ]);
      expect(ask("(n > 2) = KEPT_BY(SIEVE('mine'))")[0]).toEqual(rows(all.filter(({ n, mine }) => n !== null && n > 2 === mine)));
    }),
  );
});

test('a sieve without conditions keeps all', () => {
  const sifter = sifterOf(tableOf([1, 2, 3]), null);
  expect([...rowsOf(sifter.verdict(parseFilter("KEPT_BY(SIEVE('mine'))").expr).yes)]).toEqual([0, 1, 2]);
});

test.each([
  ["KEPT_BY('mine')", 'KEPT_BY needs a sieve'],
  ["KEPT_BY(SIEVE('other'))", 'There is no sieve other'],
  ["KEPT_BY(SOURCE('mine'))", 'KEPT_BY needs a sieve'],
  ["KEPT_BY(SIEVE('mine'), 1)", 'KEPT_BY'],
])('%s is refused', (text, message) => {
  expect(() => checkFilter(parseFilter(text), [], OPERANDS)).toThrow(message);
});

test('a sieve of another source is refused where the filter is asked', () => {
  const sifter = sifterOf(tableOf([1]), null, tableOf([1, 2]));
  expect(() => sifter.verdict(parseFilter("KEPT_BY(SIEVE('mine'))").expr)).toThrow('needs a sieve of the same source');
});

test('text, JSON, form and words say the same', () => {
  const text = "NOT KEPT_BY(SIEVE('mine'))";
  const { expr } = parseFilter(text);
  expect(
    printFilter(parseFilterJson(JSON.stringify({ op: 'not', args: [{ op: 'kept_by', args: [{ op: 'sieve', args: ['mine'] }] }] }))),
  ).toBe(text);
  const form = formOfExpr(expr, []);
  expect(form).toEqual({ kind: 'sieve', name: 'mine', outside: true, blanks: false });
  expect(exprOfForm(form)).toEqual(expr);
  expect(conditionInWords(expr, { columns: [], asOf: 0, points: true })).toEqual({
    subject: 'Not kept by',
    rest: 'the sieve mine',
    note: null,
  });
});

test('a relation to a sieve of the same source is told, with what was meant', () => {
  const table = tableOf([1, 2, 3, 4, 5, 6]);
  const sifter = sifterOf(table, maskOf([1, 2], table.rows));
  const found = (text: string) => {
    const tree = treeOfExpr(parseFilter(text).expr, emptyTree(), () => 'c');
    return findingsOf(sifter, tree, siftTree(sifter, tree).rows).map(({ kind, message, fix }) => [kind, message, fix?.label]);
  };
  expect(found("S_INTERSECTS(geometry, SIEVE('mine'))")).toEqual([
    [
      'own-source',
      'mine is a sieve of the same source, and no feature is compared with itself here: this keeps 0 by itself. mine keeps 2.',
      'also kept by mine',
    ],
  ]);
  // To be near others is a question of its own, as long as it keeps something.
  expect(found("S_DWITHIN(geometry, SIEVE('mine'), 2, 'km')")).toEqual([]);
  expect(found("S_DWITHIN(geometry, SIEVE('mine'), 1, 'm')")[0][0]).toBe('own-source');
});
