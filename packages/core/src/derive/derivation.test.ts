import { valueAt } from '../features/column.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { columnNamed } from '../features/table.ts';
import { parseFilter } from '../filters/parser.ts';
import { dayNumber } from '../time/calendar.ts';
import { checkComputed, derivedFrom, hangsOnAsOf, madeFrom, withDerived, type NamedDerivation } from './derivation.ts';

const AS_OF = dayNumber(2026, 11, 24);
const builder = new TableBuilder();
builder.addFeature({ type: 'Point', coordinates: [0, 0] }, { n: 4, s: '2,5', born: '2000-11-25' });
builder.addFeature({ type: 'Point', coordinates: [1, 0] }, { n: null, s: 'none', born: '1926-11-24' });
const table = builder.finish();
const computed = (name: string, text: string): NamedDerivation => ({
  name,
  derivation: { kind: 'computed', expr: parseFilter(text).expr, unit: null, asOf: null },
});
const typed: NamedDerivation = { name: 's_number', derivation: { kind: 'typed', from: 's', as: 'number', decimal: 'comma', order: 'dmy' } };

test('columns are made after those that they are made of, whatever their order', () => {
  const wanted = [computed('c', 'b + s_number'), computed('b', 'a * 2'), typed, computed('a', 'n + 1'), computed('age', 'AGE(born)')];
  const { table: whole, made, left } = withDerived(table, wanted, { asOf: AS_OF });
  expect(left).toEqual([]);
  expect(made.map(({ name }) => name)).toEqual(['s_number', 'a', 'b', 'c', 'age']);
  expect([0, 1].map((row) => valueAt(columnNamed(whole, 'c')!, row))).toEqual([12.5, null]);
  expect([0, 1].map((row) => valueAt(columnNamed(whole, 'age')!, row))).toEqual([25, 100]);
  // Those that hang on the as-of date say of which day they are.
  expect(made.map(({ derivation }) => (derivation.kind === 'computed' ? derivation.asOf : ''))).toEqual([
    '',
    null,
    null,
    null,
    '2026-11-24',
  ]);
  expect(table.columns.map(({ name }) => name)).toEqual(['n', 's', 'born']);
});

test('what cannot be made is told with why, and what is made of it too; circles end', () => {
  const wanted = [computed('a', 'gone + 1'), computed('b', 'a * 2'), computed('d', 'e + 1'), computed('e', 'd + 1'), computed('ok', 'n')];
  const { made, left } = withDerived(table, wanted, { asOf: AS_OF });
  expect(made.map(({ name }) => name)).toEqual(['ok']);
  expect(left.map(({ name, problem }) => [name, problem])).toEqual([
    ['a', expect.stringContaining('There is no column gone')],
    ['b', expect.stringContaining('There is no column a')],
    ['d', 'It goes round in a circle'],
    ['e', 'It goes round in a circle'],
  ]);
});

test('what hangs on a column, directly or through others', () => {
  const all = [computed('a', 'n + 1'), computed('b', 'a * 2'), computed('c', 'b + n'), computed('d', 'n * n'), typed];
  expect(derivedFrom('a', all).map(({ name }) => name)).toEqual(['b', 'c']);
  expect(derivedFrom('n', all).map(({ name }) => name)).toEqual(['a', 'b', 'c', 'd']);
  expect(derivedFrom('s', all)).toEqual([typed]);
  expect(madeFrom(computed('x', "AREA_OF(geometry, 'ha') / n + n").derivation)).toEqual(['geometry', 'n']);
});

test.each([
  ['AGE(born)', true],
  ['born < AS_OF()', true],
  ["T_INTERSECTS(born, LAST(3, 'years'))", true],
  ['IF(n > 1, YEAR(born), AGE(born))', true],
  ["YEARS_BETWEEN(born, DATE('2026-01-01'))", false],
  ['n + 1', false],
])('%s hangs on the as-of date: %s', (text, hangs) => expect(hangsOnAsOf(parseFilter(text).expr)).toBe(hangs));

test.each([
  ["IF(S_INTERSECTS(geometry, AREA('Here')), 1, 0)", 'A column is computed of its own row'],
  ["IF(S_INTERSECTS(geometry, SOURCE('Wards')), 1, 0)", 'A column is computed of its own row'],
  ["IF(KEPT_BY(SIEVE('Old')), 1, 0)", 'A column is computed of its own row'],
  ['geometry', 'What a column holds must be'],
])('%s is no column of its own: %s', (text, message) => {
  expect(() => checkComputed(parseFilter(text), table)).toThrow(message);
});
