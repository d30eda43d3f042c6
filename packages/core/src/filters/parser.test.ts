import fc from 'fast-check';
import { call, property, type Expr } from './ast.ts';
import { FilterError } from './filter_error.ts';
import { parseFilter } from './parser.ts';
import { printFilter } from './printer.ts';

const read = (text: string) => parseFilter(text).expr;

// Example predicates of OGC 21-065r2, each with the clause that it stands in.
describe('examples of the standard', () => {
  test.each<[string, string, Expr]>([
    ['7.3 comparison', "city='Toronto'", call('=', property('city'), 'Toronto')],
    ['7.3 comparison', 'balance-150.0 > 0', call('>', call('-', property('balance'), 150), 0)],
    ['7.3 comparison', "updated >= DATE('1999-11-05')", call('>=', property('updated'), { date: '1999-11-05' })],
    ['7.4 like', "name LIKE 'Smith%'", call('like', property('name'), 'Smith%')],
    ['7.4 between', 'depth BETWEEN 100.0 and 150.0', call('between', property('depth'), 100, 150)],
    [
      '7.4 in',
      "cityName IN ('Toronto','Frankfurt','Tokyo','New York')",
      call('in', property('cityName'), ['Toronto', 'Frankfurt', 'Tokyo', 'New York']),
    ],
    ['7.3 null', 'geometry IS NOT NULL', call('not', call('isNull', property('geometry')))],
    [
      '7.5 case-insensitive',
      "CASEI(road_class) IN (CASEI('Οδος'),CASEI('Straße'))",
      call('in', call('casei', property('road_class')), [call('casei', 'Οδος'), call('casei', 'Straße')]),
    ],
    [
      '7.7 spatial',
      'S_INTERSECTS(geometry,POINT(36.319836 32.288087))',
      call('s_intersects', property('geometry'), { type: 'Point', coordinates: [36.319836, 32.288087] }),
    ],
    [
      '7.9 temporal',
      "T_INTERSECTS(event_time, INTERVAL('1969-07-16T05:32:00Z', '1969-07-24T16:50:35Z'))",
      call('t_intersects', property('event_time'), { interval: ['1969-07-16T05:32:00Z', '1969-07-24T16:50:35Z'] }),
    ],
    [
      '7.11 property-property',
      'vehicle_height > bridge_clearance',
      call('>', property('vehicle_height'), property('bridge_clearance')),
    ],
    [
      '7.13 arithmetic',
      'vehicle_height > (bridge_clearance-1)',
      call('>', property('vehicle_height'), call('-', property('bridge_clearance'), 1)),
    ],
  ])('%s: %s', (_clause, text, expr) => expect(read(text)).toEqual(expr));
});

test('NOT binds tighter than AND, AND tighter than OR', () => {
  expect(read('NOT a = 1 AND b = 2 OR c = 3')).toEqual(
    call(
      'or',
      call('and', call('not', call('=', property('a'), 1)), call('=', property('b'), 2)),
      call('=', property('c'), 3),
    ),
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
  for (const text of [
    '('.repeat(2000) + 'a' + ')'.repeat(2000),
    'NOT '.repeat(2000) + 'a',
    'a' + ' + 1'.repeat(2000) + ' > 0',
  ]) {
    expect(() => read(text)).toThrow(FilterError);
  }
});

// Text to tree to text: whatever can be generated comes back as it was.
const name = fc.oneof(
  fc.constantFrom('a', 'girth_cm', 'Größe', 'and', 'order by', 'x"y', '__proto__'),
  fc.string({ minLength: 1, maxLength: 8 }),
);
const number = fc.oneof(fc.integer({ min: -1e6, max: 1e6 }), fc.double({ noNaN: true, noDefaultInfinity: true }));
const text = fc.oneof(fc.string({ maxLength: 12 }), fc.constantFrom("O'Hara", 'back\\', "\\'", '', '100\\%'));
const position = fc.tuple(
  fc.double({ min: -180, max: 180, noNaN: true }),
  fc.double({ min: -90, max: 90, noNaN: true }),
);
const { predicate } = fc.letrec<{ predicate: Expr; scalar: Expr }>((tie) => ({
  scalar: fc.oneof(
    { maxDepth: 3 },
    name.map(property),
    number,
    fc
      .tuple(fc.constantFrom('+', '-', '*', '/', '%', 'div', '^'), tie('scalar'), tie('scalar'))
      .map(([op, a, b]) => call(op, a, b)),
  ),
  predicate: fc.oneof(
    { maxDepth: 4 },
    fc
      .tuple(fc.constantFrom('=', '<>', '<', '<=', '>', '>='), tie('scalar'), tie('scalar'))
      .map(([op, a, b]) => call(op, a, b)),
    fc
      .tuple(name, text)
      .map(([n, t]) =>
        call('=', property(n), /\\('|$)/.test(t) ? call('CODEPOINTS', ...[...t].map((c) => c.codePointAt(0)!)) : t),
      ),
    fc.tuple(name, fc.array(number, { minLength: 1, maxLength: 3 })).map(([n, list]) => call('in', property(n), list)),
    name.map((n) => call('isNull', property(n))),
    fc.tuple(tie('scalar'), number, number).map(([a, low, high]) => call('between', a, low, high)),
    position.map((coordinates) => call('s_intersects', property('geometry'), { type: 'Point', coordinates })),
    tie('predicate').map((p) => call('not', p)),
    fc
      .tuple(fc.constantFrom('and', 'or'), fc.array(tie('predicate'), { minLength: 2, maxLength: 3 }))
      .map(([op, parts]) => call(op, ...parts)),
  ),
}));

test('printing and reading back gives the same expression', () => {
  fc.assert(
    fc.property(predicate, (expr) => expect(read(printFilter(expr))).toEqual(expr)),
    { numRuns: 400 },
  );
});

test('any text is read or refused with a FilterError', () => {
  const words = fc.constantFrom(
    'a',
    "'x'",
    '1',
    '(',
    ')',
    'AND',
    'NOT',
    '=',
    'IN',
    'POINT',
    ',',
    '"',
    "'",
    'LIKE',
    '-',
    'DATE',
    'é',
  );
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
