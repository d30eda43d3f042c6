import type { ColumnInfo } from '@clean-sieve/server/api';
import { shortened } from './cells.ts';

const computed: Pick<ColumnInfo, 'derivation'> = { derivation: { kind: 'computed', expr: 1, unit: null, asOf: null } };

test.each([
  [23.680649526387, '23.6806'],
  [1234567.891, '1,234,567.89'],
  [0.000123456789, '0.000123457'],
  [-2 / 3, '-0.666667'],
  [12.5, null],
  [3, null],
  [0, null],
  ['12.3456789', null],
  [null, null],
])('%j of a computed column is read as %j', (value, short) => {
  expect(shortened(computed, value)).toBe(short);
});

test('a number that was brought in stays as it is', () => {
  expect(shortened({ derivation: null }, 23.680649526387)).toBe(null);
});
