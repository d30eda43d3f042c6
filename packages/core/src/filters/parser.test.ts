import fc from 'fast-check';
import { call, property } from './ast.ts';
import { anyFilter } from './any_filter.arbitrary.ts';
import { FilterError } from './filter_error.ts';
import { parseFilter } from './parser.ts';
import { printFilter } from './printer.ts';

const read = (text: string) => parseFilter(text).expr;

test('NOT binds tighter than AND, AND tighter than OR', () => {
  expect(read('NOT a = 1 AND b = 2 OR c = 3')).toEqual(
    call('or', call('and', call('not', call('=', property('a'), 1)), call('=', property('b'), 2)), call('=', property('c'), 3)),
  );
});

test('quotes are escaped by doubling or by a backslash, names stand in double quotes', () => {
  expect(read("a = 'O''Hara'")).toEqual(call('=', property('a'), "O'Hara"));
  expect(read("a = 'O\\'Hara'")).toEqual(call('=', property('a'), "O'Hara"));
  expect(read("path = 'C:\\'")).toEqual(call('=', property('path'), 'C:\\'));
  expect(read('"odd ""name""" = 1')).toEqual(call('=', property('odd "name"'), 1));
  expect(read('"__proto__" = 1')).toEqual(call('=', property('__proto__'), 1));
});

test.each([
  ['height >', 'Expected a column or a value', 8],
  ['height = = 3', 'Expected', 9],
  ['a != 3', '“!” is not an operator', 2],
  ["name = 'oak", 'no closing quote', 7],
  ['a IN 1, 2', '“(”', 5],
  ["d > DATE('31.5.2024')", 'not a valid date', 9],
  ['S_INTERSECTS(geometry, POLYGON((0 0, 1 0, 1 1, 0 1)))', 'not closed', 31],
  ['a BETWEEN 1, 2', 'AND', 11],
  ['(a = 1', 'to close the bracket', 6],
  ['name = ‘oak’', 'typographic quote', 7],
  ['', 'The filter is empty', 0],
])('%s is refused with its position', (text, message, from) => {
  try {
    read(text);
    throw new Error('was read');
  } catch (error) {
    expect(error).toBeInstanceOf(FilterError);
    expect((error as FilterError).message).toContain(message);
    expect((error as FilterError).span?.from).toBe(from);
  }
});

test('deep nesting is an error, not a crash', () => {
  for (const text of ['('.repeat(2000) + 'a' + ')'.repeat(2000), 'NOT '.repeat(2000) + 'a', 'a' + ' + 1'.repeat(2000) + ' > 0']) {
    expect(() => read(text)).toThrow(FilterError);
  }
});

test('printing and reading back gives the same expression', () => {
  fc.assert(
    fc.property(anyFilter, (expr) => expect(read(printFilter(expr))).toEqual(expr)),
    { numRuns: 400 },
  );
});

test('any text is read or refused with a FilterError', () => {
  const words = fc.constantFrom('a', "'x'", '1', '(', ')', 'AND', 'NOT', '=', 'IN', 'POINT', ',', '"', "'", 'LIKE', '-', 'DATE', 'é');
  fc.assert(
    fc.property(fc.array(words, { maxLength: 14 }), (parts) => {
      try {
        read(parts.join(' '));
      } catch (error) {
        expect(error).toBeInstanceOf(FilterError);
      }
    }),
    { numRuns: 500 },
  );
});
