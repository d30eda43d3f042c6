import { differenceOf, differenceRows, keyCandidates } from './difference.ts';
import { TableBuilder } from './table_builder.ts';

const tableOf = (rows: [Record<string, unknown>, number][]) => {
  const builder = new TableBuilder();
  for (const [properties, x] of rows) builder.addFeature({ type: 'Point', coordinates: [x, 0] }, properties);
  return builder.finish();
};

test('features are matched by a key, whatever their order', () => {
  const before = tableOf([
    [{ id: 'a', n: 1, old: 1 }, 1],
    [{ id: 'b', n: 2, old: 1 }, 2],
    [{ id: 'c', n: 3, old: 1 }, 3],
    [{ id: 'd', n: 4, old: 1 }, 4],
    [{ id: 'x', n: 0, old: 1 }, 0],
    [{ id: 'x', n: 0, old: 1 }, 0],
  ]);
  const after = tableOf([
    [{ id: 'c', n: '3', fresh: true }, 3],
    [{ id: 'a', n: '1', fresh: true }, 1.5],
    [{ id: 'e', n: 'five', fresh: true }, 5],
    [{ id: 'b', n: '7', fresh: true }, 2],
    [{ id: null, n: '9', fresh: true }, 9],
  ]);
  expect(differenceOf(before, after, 'id')).toEqual({
    added: 1,
    gone: 1,
    changed: 2,
    same: 1,
    unmatched: { before: 2, after: 1 },
    columns: { added: ['fresh'], gone: ['old'], retyped: [{ name: 'n', before: 'number', after: 'text' }] },
  });
  // Of a, b, c, d: a moved, b has another number, c is as it was, d is gone; e is new.
  expect(differenceRows(before, after, 'id')).toEqual({ added: [2], gone: [3], changed: [1, 3] });
});

test('the key that tells most features apart is proposed', () => {
  const table = tableOf([1, 2, 3].map((n) => [{ kind: 'k', id: `t${n}`, n: n % 2 }, n]));
  expect(keyCandidates(table, table)).toEqual(['id']);
});
