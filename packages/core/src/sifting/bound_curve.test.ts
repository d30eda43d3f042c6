import fc from 'fast-check';
import { TableBuilder } from '../features/table_builder.ts';
import { checkFilter } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { printFilter } from '../filters/printer.ts';
import { activeConditions, emptyTree, replaceNode, treeOfExpr, type Group } from '../filters/tree.ts';
import { parseDate } from '../time/calendar.ts';
import { boundCurve, keptBy, nearestBound } from './bound_curve.ts';
import { emptiness } from './emptiness.ts';
import { movableOf } from './movable.ts';
import { Sifter } from './sifter.ts';

const AS_OF = parseDate('2026-11-24')!.day;
const DATES = ['2020', '2020-05', '2020-05-17', '2021-12-31', '2024-02-29', '2026-11-24', '2027-01-01', null];

const builder = new TableBuilder();
let state = 7;
const next = (below: number) => {
  state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
  return Math.floor((state / 2 ** 32) * below);
};
for (let i = 0; i < 400; i++)
  builder.addFeature(next(20) === 0 ? null : { type: 'Point', coordinates: [next(200) / 1e4, next(200) / 1e4] }, {
    girth: next(9) === 0 ? null : next(60) * 5,
    risk: next(101),
    kind: ['oak', 'ash', 'elm'][next(3)],
    seen: DATES[next(DATES.length)],
  });
const table = builder.finish();
const sifter = new Sifter(table, AS_OF);

function treeOf(text: string): Group {
  const parsed = parseFilter(text);
  checkFilter(parsed, table.columns);
  let id = 0;
  return treeOfExpr(parsed.expr, emptyTree(), () => `n${id++}`);
}

const moving = [
  'girth >= 120',
  'girth < 200',
  'girth > 50 OR girth IS NULL',
  'girth BETWEEN 40 AND 200',
  "seen < DATE('2021-12-31')",
  "seen >= DATE('2020-05-17')",
  "seen <= DATE('2024-02-29')",
  "T_INTERSECTS(seen, INTERVAL('2020-05-01', '2024-12-31'))",
  "T_INTERSECTS(seen, LAST(3, 'years'))",
  'S_DWITHIN(geometry, POINT(0.01 0.01), 500)',
  "NOT S_DWITHIN(geometry, POINT(0.01 0.01), 0.4, 'km')",
  "S_DWITHIN(geometry, LINESTRING(0 0, 0.01 0.01), 300, 'ft')",
];
const around = ['%', '% AND risk > 50', "kind = 'oak' OR (%)", "NOT ((%) OR kind = 'elm')", "(% OR risk > 80) AND kind <> 'ash'"];

test.each(moving.flatMap((condition) => around.map((text) => text.replace('%', condition))))(
  'every point of the curve is what moving the bound keeps: %s',
  (text) => {
    const tree = treeOf(text);
    const moved = activeConditions(tree).find(({ expr }) => movableOf(sifter, expr, 'low') && !/risk/.test(printFilter(expr)))!;
    for (const side of ['low', 'high'] as const) {
      const curve = boundCurve(sifter, tree, moved.id, side);
      expect(curve).not.toBeNull();
      const { points } = curve!;
      expect(points.find(({ at }) => at === curve!.at)?.kept).toBe(keptBy(sifter, tree));
      for (const { at, kept } of points.filter((_, i) => i % 7 === 0)) {
        const { moved: exprAt } = movableOf(sifter, moved.expr, side)!;
        const changed = replaceNode(tree, moved.id, (node) => ({ ...node, expr: exprAt(at) }) as typeof node);
        expect([at, kept]).toEqual([at, keptBy(sifter, changed)]);
      }
    }
  },
);

test('a condition without a bound has no curve', () => {
  for (const text of ["kind = 'oak'", 'girth = 5', 'girth IS NULL', 'girth NOT BETWEEN 1 AND 2'])
    expect(boundCurve(sifter, treeOf(text), 'n0', 'low')).toBeNull();
});

describe('when nothing is kept', () => {
  test('the nearest bound keeps something, and a step short of it nothing', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(
          'girth > 1000',
          'girth >= 296',
          'girth < 0',
          "seen > DATE('2030-01-01')",
          "T_INTERSECTS(seen, NEXT(2, 'days'))",
          "S_DWITHIN(geometry, POINT(0.1 0.1), 9, 'km')",
          'girth BETWEEN 400 AND 500',
        ),
        fc.constantFrom("kind = 'oak'", 'risk < 60', "kind IN ('elm', 'ash')"),
        (bad, rest) => {
          const tree = treeOf(`${rest} AND ${bad}`);
          expect(keptBy(sifter, tree)).toBe(0);
          const { id } = activeConditions(tree)[1];
          const bounds = (['low', 'high'] as const).flatMap((side) => nearestBound(sifter, tree, id, side) ?? []);
          expect(bounds.length).toBeGreaterThan(0);
          for (const { expr, kept } of bounds) {
            const mended = replaceNode(tree, id, (node) => ({ ...node, expr }) as typeof node);
            expect(keptBy(sifter, mended)).toBe(kept);
            expect(kept).toBeGreaterThan(0);
          }
        },
      ),
    );
  });

  test('what empties it: one condition, a pair, or all together', () => {
    const ids = (text: string) => {
      const found = emptiness(sifter, treeOf(text));
      return found && { alone: found.alone.length, pairs: found.pairs.length, without: found.without.length };
    };
    expect(ids('girth > 1000 AND risk > 5')).toEqual({ alone: 1, pairs: 0, without: 1 });
    expect(ids("kind = 'oak' AND kind = 'ash' AND risk > 5")).toEqual({ alone: 0, pairs: 1, without: 2 });
    expect(ids('risk > 5')).toBeNull();
  });
});
