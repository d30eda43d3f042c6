import { PLAIN_LAYOUT } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { movedBefore, sortedBy, tableColumns, TICK } from './table_columns.ts';

const column = (name: string, more: Partial<ColumnInfo> = {}): ColumnInfo => ({
  ...{ name, type: 'number', nulls: 0, empty: 0, distinct: 3, min: 1, max: 3, title: null, description: null, hidden: false },
  ...{ derivation: null, codeList: null },
  ...more,
});
const columns = ['a', 'b', 'c', 'd'].map((name) => column(name));
const names = (layout = PLAIN_LAYOUT, matches: Parameters<typeof tableColumns>[1] = []) =>
  tableColumns(columns, matches, layout, 0).map(({ column: { name } }) => name);

test('pinned columns stand first, then what conditions show, then the others in the order chosen; hidden ones nowhere', () => {
  expect(names()).toEqual(['a', 'b', 'c', 'd']);
  const match = { condition: 'x', shows: 'nearest' as const, name: 'far', type: 'number' as const };
  const layout = { ...PLAIN_LAYOUT, pinned: ['c', 'a'], order: ['d', 'gone', 'c'], hidden: ['b', 'gone too'] };
  expect(names(layout, [match])).toEqual(['c', 'a', 'far', 'd']);
  const [first, , shown] = tableColumns(columns, [match], layout, 0);
  expect([first.cell, first.pinned, shown.cell, shown.match]).toEqual([2, true, 4, true]);
  expect(tableColumns([column('x', { hidden: true })], [], PLAIN_LAYOUT, 0)).toEqual([]);
});

test('widths chosen by hand stay; the others share the room that is left', () => {
  const narrow = tableColumns(columns, [], { ...PLAIN_LAYOUT, widths: { b: 200 } }, 0);
  expect(narrow.map(({ width }) => width)).toEqual([88, 200, 88, 88]);
  const wide = tableColumns(columns, [], { ...PLAIN_LAYOUT, widths: { b: 200 } }, TICK + 200 + 3 * 100 + 2);
  expect(wide.map(({ width }) => width)).toEqual([100, 200, 100, 100]);
});

test('a column moves before another one, and in front of a pinned one it is pinned', () => {
  const layout = { ...PLAIN_LAYOUT, pinned: ['a'] };
  const moved = (name: string, before: string | null) => names({ ...layout, ...movedBefore(layout, names(layout), name, before) });
  expect(moved('d', 'b')).toEqual(['a', 'd', 'b', 'c']);
  expect(moved('b', null)).toEqual(['a', 'c', 'd', 'b']);
  expect(movedBefore(layout, names(layout), 'd', 'a').pinned).toEqual(['d', 'a']);
  expect(movedBefore(layout, names(layout), 'a', 'c')).toEqual({ order: ['b', 'a', 'c', 'd'], pinned: [] });
});

test('sorting: up, down, none; with the shift key by several columns', () => {
  const a = { column: 'a', descending: false };
  expect(sortedBy([], 'a', false)).toEqual([a]);
  expect(sortedBy([a], 'a', false)).toEqual([{ ...a, descending: true }]);
  expect(sortedBy([{ ...a, descending: true }], 'a', false)).toEqual([]);
  expect(sortedBy([a], 'b', false)).toEqual([{ column: 'b', descending: false }]);
  const both = sortedBy([a], 'b', true);
  expect(both).toEqual([a, { column: 'b', descending: false }]);
  expect(sortedBy(both, 'a', true)).toEqual([{ ...a, descending: true }, both[1]]);
});
