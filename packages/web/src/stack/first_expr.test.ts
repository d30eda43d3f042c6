import { checkFilter, exprOfForm, formOfExpr, printFilter } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { exprOfStretch, exprOfValue, firstExpr } from './first_expr.ts';
import { formFor, testKeyOf, testsOf } from './tests_of_column.ts';

const column = (name: string, type: ColumnInfo['type'], min: ColumnInfo['min'] = null, max: ColumnInfo['max'] = null): ColumnInfo => ({
  ...{ name, type, min, max, nulls: 0, empty: 0, distinct: 1 },
  ...{ title: null, description: null, hidden: false, derivation: null, codeList: null },
});
const COLUMNS = [
  column('n', 'number', 1, 9),
  column('t', 'text', 'a', 'z'),
  column('b', 'boolean'),
  column('d', 'date', '2019-01-01', '2024-12-31'),
  column('w', 'datetime', '2019-01-01T00:00:00Z', '2024-12-31T00:00:00Z'),
  column('m', 'number', 1, 9),
  column('u', 'text', 'a', 'z'),
];

test('a new condition keeps what has a value, and every way to test a column is a filter that can be checked', () => {
  for (const one of COLUMNS) {
    const first = firstExpr(one);
    expect(() => checkFilter(first, COLUMNS)).not.toThrow();
    for (const { key } of testsOf(one, COLUMNS)) {
      const form = formFor(key, one, formOfExpr(first, COLUMNS), COLUMNS);
      expect([one.name, key, testKeyOf(form)]).toEqual([one.name, key, key]);
      expect([one.name, key, testKeyOf(formOfExpr(exprOfForm(form), COLUMNS))]).toEqual([one.name, key, key]);
    }
  }
});

test.each<[string, string | number | boolean | null, string]>([
  ['n', 5, 'n = 5'],
  ['t', '0142', "t IN ('0142')"],
  ['t', null, 't IS NULL'],
  ['b', false, 'b = FALSE'],
  ['d', '2020-02-29', "d = DATE('2020-02-29')"],
  ['d', '2020-02', "T_INTERSECTS(d, INTERVAL('2020-02-01', '2020-02-29'))"],
  ['d', '1987', "T_INTERSECTS(d, INTERVAL('1987-01-01', '1987-12-31'))"],
  ['w', '2020-05-01T10:00:00Z', "w = DATE('2020-05-01')"],
])('the value %s %s becomes %s', (name, value, text) => {
  const expr = exprOfValue(
    COLUMNS.find((c) => c.name === name)!,
    value,
  );
  expect(printFilter(expr)).toBe(text);
  expect(() => checkFilter(expr, COLUMNS)).not.toThrow();
});

test('a stretch of a histogram becomes a range', () => {
  expect(printFilter(exprOfStretch(COLUMNS[0], 2, 4.5))).toBe('n BETWEEN 2 AND 4.5');
  expect(printFilter(exprOfStretch(COLUMNS[3], 18_262, 18_292))).toBe("T_INTERSECTS(d, INTERVAL('2020-01-01', '2020-01-31'))");
});
