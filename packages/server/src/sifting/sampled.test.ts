import { emptyTree, parseFilter, TableBuilder, treeOfExpr } from '@clean-sieve/core';
import type { OpenSource } from './open_sources.ts';
import { estimatedStack, estimating, refuseOfSample } from './sampled.ts';

function sourceOf(rows: number, sampledOf: number | null): OpenSource {
  const builder = new TableBuilder();
  for (let i = 0; i < rows; i++) builder.addFeature(null, { n: i });
  return { table: builder.finish(), sampledOf, state: '', asked: null };
}
const treeOf = (text: string) => treeOfExpr(parseFilter(text).expr, emptyTree(), () => 'n0');

test('a number of a sample is about so many of all; none of it is unknown, never none of all', () => {
  const about = estimating(sourceOf(40, 1001), [emptyTree()]);
  expect([1, 7, 40, 0, null].map(about)).toEqual([{ about: 25 }, { about: 175 }, { about: 1001 }, null, null]);
  expect(estimating(sourceOf(0, 1001), [emptyTree()])(0)).toBeNull();
  // What is here as a whole is as it is.
  expect([0, 3].map(estimating(sourceOf(40, null), [emptyTree()]))).toEqual([0, 3]);
});

test('what hangs on which others there are is not told by some of them', () => {
  const tree = treeOf('S_NEAREST(geometry, POINT(1 2), 3)');
  expect(estimating(sourceOf(40, 1001), [tree])(3)).toBeNull();
});

test('of a stack every number is estimated, and how many there are is known', () => {
  const row = { id: 'n0', reach: 40, left: 4, unknown: 0, alone: 4 };
  const numbers = { total: 40, kept: 4, unknown: 0, rows: [row], without: { n0: 40 }, nearMisses: { n0: 36 } };
  expect(estimatedStack(numbers, sourceOf(40, 1000), treeOf('n < 4'))).toEqual({
    ...{ total: 1000, kept: { about: 100 }, unknown: null },
    rows: [{ id: 'n0', reach: { about: 1000 }, left: { about: 100 }, unknown: null, alone: { about: 100 } }],
    ...{ without: { n0: { about: 1000 } }, nearMisses: { n0: { about: 900 } } },
  });
  expect(estimatedStack(numbers, sourceOf(40, null), treeOf('n < 4'))).toBe(numbers);
});

test('a sample does not tell why nothing is kept, and is no feed', () => {
  for (const kind of ['emptiness', 'curve', 'items', 'tile'] as const) {
    expect(() => refuseOfSample(kind, sourceOf(40, 1001))).toThrow('Only a sample of this source is held, which does not tell that');
    refuseOfSample(kind, sourceOf(40, null));
  }
  refuseOfSample('rows', sourceOf(40, 1001));
});
