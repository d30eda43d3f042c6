import type { SourceInfo } from '@clean-sieve/server/api';
import { unlessSameSources } from './unless_same.ts';

const source = (id: number, rows: number, ...titles: string[]) =>
  ({ id, rows, columns: titles.map((title, n) => ({ name: `c${n}`, title })) }) as unknown as SourceInfo;

test('what says the same is what was there: the whole list, a source of it, a column of a source that has changed', () => {
  const old = [source(1, 3, 'a', 'b'), source(2, 5)];
  expect(unlessSameSources(old, [source(1, 3, 'a', 'b'), source(2, 5)])).toBe(old);

  const grown = unlessSameSources(old, [source(1, 3, 'a', 'b'), source(2, 6)]);
  expect(grown).toEqual([source(1, 3, 'a', 'b'), source(2, 6)]);
  expect(grown[0]).toBe(old[0]);

  const told = unlessSameSources(old, [source(1, 4, 'a', 'c', 'new'), source(2, 5)]);
  expect(told).toEqual([source(1, 4, 'a', 'c', 'new'), source(2, 5)]);
  expect(told[0].columns[0]).toBe(old[0].columns[0]);
  expect(told[1]).toBe(old[1]);
});

test('what is new, gone, or stands in another order is told so', () => {
  const old = [source(1, 3), source(2, 5)];
  expect(unlessSameSources(old, [source(2, 5), source(1, 3)]).map(({ id }) => id)).toEqual([2, 1]);
  expect(unlessSameSources(old, [source(1, 3)])).toEqual([source(1, 3)]);
  expect(unlessSameSources(old, [...old, source(3, 1)])).toHaveLength(3);
  expect(unlessSameSources([], old)).toEqual(old);
});
