import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import { anyFilter } from './any_filter.arbitrary.ts';
import { call, property, type Expr } from './ast.ts';
import { exprKey } from './expr_key.ts';

const lineOf = (corners: number, turn: number): Geometry => ({
  type: 'LineString',
  coordinates: Array.from({ length: corners }, (_, i): Position => [i / 1000, (i * turn) / 7777]),
});
const about = (shape: Geometry): Expr => call('s_within', property('geometry'), shape);

test('keys are the same for the same expressions, and for no others', () => {
  const corners = fc.tuple(fc.integer({ min: 2, max: 90 }), fc.integer({ min: 0, max: 3 })).map(([n, turn]) => about(lineOf(n, turn)));
  const some = fc.oneof(
    anyFilter,
    corners,
    fc.tuple(corners, anyFilter).map(([a, b]) => call('and', a, b)),
  );
  fc.assert(
    fc.property(some, some, (a, b) => {
      expect(exprKey(a) === exprKey(b)).toBe(JSON.stringify(a) === JSON.stringify(b));
      expect(exprKey(structuredClone(a))).toBe(exprKey(a));
    }),
    { numRuns: 500 },
  );
});

test('a large shape takes no room, and what is not kept any more is told from all others', () => {
  const [one, other] = [lineOf(100_000, 1), lineOf(100_000, 2)];
  expect(exprKey(about(one)).length).toBeLessThan(100);
  const first = exprKey(about(one));
  expect(exprKey(about(other))).not.toBe(first);
  // More than is kept: the first is forgotten, and asked again as another object it has a key that nothing else has.
  const keys = new Set([first, exprKey(about(other))]);
  for (let turn = 3; turn < 20; turn++) keys.add(exprKey(about(lineOf(100_000, turn))));
  const again = exprKey(about(structuredClone(one)));
  expect([keys.size, keys.has(again) && again !== first]).toEqual([19, false]);
  // The same object keeps its own.
  expect(exprKey(about(one))).toBe(first);
});
