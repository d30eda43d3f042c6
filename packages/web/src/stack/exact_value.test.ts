import { call, columnNamed, count, fullMask, groupsOf, Sifter, TableBuilder } from '@clean-sieve/core';
import fc from 'fast-check';
import { exprOfExactly } from './exact_value.ts';

const row = fc.record({
  text: fc.option(fc.constantFrom('', 'oak', "O'Hara", 'first')),
  n: fc.option(fc.oneof(fc.constantFrom(0, -0, 1e21, 0.1), fc.integer({ min: -2, max: 2 }))),
  day: fc.option(fc.constantFrom('2024-01-01', '2024-05-31', '2024-05', '2024')),
  moment: fc.option(fc.constantFrom('2024-01-01T00:00:00Z', '2024-01-01T02:00:00+02:00')),
  yes: fc.option(fc.boolean()),
});
const COLUMNS = ['text', 'n', 'day', 'moment', 'yes'];

test('the conditions of a group keep as many features as the group is told to have', () => {
  fc.assert(
    fc.property(fc.array(row, { maxLength: 70 }), fc.subarray(COLUMNS, { minLength: 1, maxLength: 2 }), (rows, by) => {
      const builder = new TableBuilder();
      for (const name of COLUMNS) builder.column(name);
      const first = { text: 'first', n: 7, day: '2024-01-01', moment: '2024-01-01T00:00:00Z', yes: true };
      for (const one of [first, ...rows]) builder.addFeature(null, one);
      const table = builder.finish();
      const columns = by.map((name) => columnNamed(table, name)!);
      const sifter = new Sifter(table, 0);
      for (const group of groupsOf(table.rows, columns, null, fullMask(table.rows))) {
        const exprs = columns.map((column, i) => exprOfExactly(column, group.by[i]));
        if (exprs.every((expr) => expr !== null))
          expect([group.by, count(sifter.verdict(call('and', ...exprs, true)).yes)]).toEqual([group.by, group.all.rows]);
      }
    }),
  );
});

test('what no condition keeps exactly has none', () => {
  expect([
    exprOfExactly({ name: 'd', type: 'date' }, '2024-05'),
    exprOfExactly({ name: 'm', type: 'datetime' }, '2024-01-01T00:00:00Z'),
  ]).toEqual([null, null]);
});
