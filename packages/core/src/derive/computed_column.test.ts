import fc from 'fast-check';
import { valueAt, type Value } from '../features/column.ts';
import { TableBuilder } from '../features/table_builder.ts';
import type { FeatureTable } from '../features/table.ts';
import { typeOfValue } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { rounded, roundedAsWritten } from '../operators/number_functions.ts';
import { Sifter } from '../sifting/sifter.ts';
import { dayNumber } from '../time/calendar.ts';
import { causeFinder } from './blank_causes.ts';
import { computedColumn, plainColumn, type Computed } from './computed_column.ts';

type Row = Record<string, Value>;
const AS_OF = dayNumber(2026, 11, 24);

function tableOf(rows: Row[]): FeatureTable {
  const builder = new TableBuilder();
  for (const row of rows) builder.addFeature({ type: 'Point', coordinates: [8, 47] }, row);
  return builder.finish();
}
function computed(table: FeatureTable, text: string): Computed {
  const parsed = parseFilter(text);
  const type = typeOfValue(parsed, table.columns);
  return computedColumn(new Sifter(table, AS_OF), parsed.expr, 'made', type);
}
const valuesOf = ({ column }: Computed, rows: number) => Array.from({ length: rows }, (_, row) => valueAt(column, row));
const of = (rows: Row[], text: string) => valuesOf(computed(tableOf(rows), text), rows.length);

// A row that has everything, so that each column has its type.
const WHOLE: Row = { n: 12.5, k: 3, t: 'Oak, red', s: '1,250', day: '2020-02-29', yes: true, at: '2024-05-31T12:30:00Z' };

test.each([
  ["CONCAT(t, ' ', k, ' ', day, ' ', yes)", 'Oak, red 3 2020-02-29 true'],
  ['UPPER(t)', 'OAK, RED'],
  ['LOWER(t)', 'oak, red'],
  ["TRIM('  a b ')", 'a b'],
  ['SUBSTRING(t, 6)', 'red'],
  ['SUBSTRING(t, 1, 3)', 'Oak'],
  ["PART_OF(t, ', ', 2)", 'red'],
  ["PART_OF(t, ', ', -2)", 'Oak'],
  ["PART_OF(t, ', ', 3)", null],
  ["REPLACE(t, 'a', '$&')", 'O$&k, red'],
  ['CHARACTERS(t)', 8],
  ["CHARACTERS('a😀b')", 3],
  ["POSITION_OF(t, 'red')", 6],
  ["POSITION_OF('😀x', 'x')", 2],
  ["POSITION_OF(t, 'pine')", 0],
  ['TO_NUMBER(s)', 1250],
  ["TO_NUMBER(s, 'comma')", 1.25],
  ['TO_NUMBER(t)', null],
  ['TO_TEXT(n)', '12.5'],
  ["TO_DATE('03/04/2020')", '2020-04-03'],
  ["TO_DATE('03/04/2020', 'mdy')", '2020-03-04'],
  ["TO_DATE('May 2020')", '2020-05'],
  ['TO_DATE(t)', null],
  ['ROUND(n)', 13],
  ['ROUND(0 - n)', -13],
  ['ROUND(2.675, 2)', 2.68],
  ['ROUND(1250, -2)', 1300],
  ['FLOOR(n)', 12],
  ['CEILING(n)', 13],
  ['ABS(0 - n)', 12.5],
  ['SQRT(k - 3)', 0],
  ['SQRT(0 - n)', null],
  ['LOG10(1000)', 3],
  ['LEAST(n, k, 7)', 3],
  ['GREATEST(n, k, 7)', 12.5],
  ['CLASS_OF(n, 3, 12.5, 20)', 3],
  ['CLASS_OF(n, 20, 3)', null],
  ["DAYS_BETWEEN(day, DATE('2020-03-01'))", 1],
  ["DAYS_BETWEEN(at, TIMESTAMP('2024-06-01T00:30:00Z'))", 0.5],
  ["YEARS_BETWEEN(day, DATE('2021-02-28'))", 0],
  ["YEARS_BETWEEN(day, DATE('2021-03-01'))", 1],
  ["YEARS_BETWEEN(DATE('2021-03-01'), day)", -1],
  ['AGE(day)', 6],
  ["DATE_PLUS(day, 1, 'years')", '2021-02-28'],
  ["DATE_PLUS(day, 0 - 1, 'months')", '2020-01-29'],
  ['DAY(day)', 29],
  ['YEAR(day)', 2020],
  ["IF(k > 2, 'many', 'few')", 'many'],
  ['IF(k > 5, n, 0)', 0],
  ["IF(yes, day, DATE('1999-01-01'))", '2020-02-29'],
  ["COALESCE(NULLIF_NOT_THERE, 'x')", undefined],
  ["LOOKUP(k, 1, 'one', 3, 'three', 'other')", 'three'],
  ["LOOKUP(k, 1, 'one', 2, 'two', 'other')", 'other'],
  ["LOOKUP(k, 1, 'one', 2, 'two')", null],
  ['n / (k - 3)', null],
  ['n * k + 1', 38.5],
  ['k > 2', true],
  ['NOT yes', false],
])('%s', (text, expected) => {
  if (expected === undefined) expect(() => of([WHOLE], text)).toThrow('There is no column');
  else expect(of([WHOLE], text)).toEqual([expected]);
});

test('what is blank stays blank, but where a choice is made; where a condition is unknown nothing is chosen', () => {
  const rows = [WHOLE, { ...WHOLE, k: null, t: null }, { ...WHOLE, n: null, day: null }];
  expect(of(rows, 'CONCAT(t, k)')).toEqual(['Oak, red3', null, 'Oak, red3']);
  expect(of(rows, 'COALESCE(k, n, 0)')).toEqual([3, 12.5, 3]);
  expect(of(rows, "COALESCE(t, 'none')")).toEqual(['Oak, red', 'none', 'Oak, red']);
  expect(of(rows, "IF(k > 2, 'many', 'few')")).toEqual(['many', null, 'many']);
  expect(of(rows, "IF(k IS NULL, 'none', t)")).toEqual(['Oak, red', 'none', 'Oak, red']);
  expect(of(rows, 'n / k')).toEqual([12.5 / 3, null, null]);
  expect(of(rows, 'AGE(day)')).toEqual([6, 6, null]);
});

test('why it is blank is told with how many rows and some of the values, the most frequent first', () => {
  const rows: Row[] = [
    { ...WHOLE, s: 'none' },
    { ...WHOLE, s: 'about 5' },
    { ...WHOLE, s: 'about 5' },
    { ...WHOLE, s: null },
    { ...WHOLE, s: '7', k: 0 },
    { ...WHOLE, s: '8' },
  ];
  const { blanks } = computed(tableOf(rows), 'ROUND(n / k + TO_NUMBER(s))');
  expect(blanks).toEqual([
    {
      ...{ reason: 'TO_NUMBER: what it is given is no number', rows: 3, failed: true },
      examples: [
        { value: 'none', row: 0 },
        { value: 'about 5', row: 1 },
      ],
    },
    { reason: 's is blank', rows: 1, failed: false, examples: [] },
    { reason: '/: what it is given is divided by zero', rows: 1, failed: true, examples: [{ value: '12.5', row: 4 }] },
  ]);
  expect(computed(tableOf(rows), "COALESCE(s, 'x')").blanks).toEqual([]);
  const listed = computed(tableOf(rows), "LOOKUP(k, 0, s, 3, PART_OF(s, ' ', 2))").blanks;
  expect(listed.map(({ reason, rows: some }) => [reason, some])).toEqual([
    ['PART_OF: what it is given has no such part', 2],
    ['s is blank', 1],
  ]);
});

test.each([
  ['UPPER(n)', 'The argument of UPPER must be a text, but this is a number'],
  ['CONCAT(geometry)', 'but this is a geometry'],
  ["IF(k > 2, 'many', 0)", 'All that IF can give is of one type, but argument 2 is a text and argument 3 is a number'],
  ['COALESCE(day, at)', 'argument 1 is a date and argument 2 is a datetime'],
  ["TO_NUMBER(t, 'dot')", "Argument 2 of TO_NUMBER is 'point' or 'comma'"],
  ['SUBSTRING(t, 0)', 'Argument 2 of SUBSTRING is a whole number from 1'],
  ["AREA_OF(geometry, 'm')", 'AREA_OF needs a unit'],
  ["LENGTH_OF(POINT(0 0), 'm')", "LENGTH_OF measures the feature's own geometry"],
  ["LAST(3, 'days')", 'What a column holds must be'],
  ['geometry', 'What a column holds must be'],
  ['n +', 'Expected'],
])('%s is refused: %s', (text, message) => {
  expect(() => of([WHOLE], text)).toThrow(message);
});

const anyRow: fc.Arbitrary<Row> = fc.record({
  n: fc.option(fc.oneof(fc.integer({ min: -4, max: 4 }), fc.double({ min: -1e6, max: 1e6, noNaN: true }))),
  k: fc.option(fc.integer({ min: -2, max: 3 })),
  t: fc.option(fc.oneof(fc.constantFrom('12', '1,5', '', ' Oak ', 'Ähre', '2020-01-31'), fc.string({ maxLength: 5 }))),
  s: fc.option(fc.constantFrom('a', 'b', '7')),
  day: fc.option(fc.constantFrom('2020-02-29', '1999-12-31', '2026-11-24', '2020-05')),
  yes: fc.option(fc.boolean()),
  at: fc.option(fc.constantFrom('2024-05-31T12:30:00Z')),
});
const EXPRESSIONS = [
  ...['GREATEST(n, k, 3)', 'CLASS_OF(n, k, 5)', 'ROUND(n * 1.005, 2)', 'ROUND(n, 0 - 1)', "COALESCE(t, 'none')", 't', 'yes'],
  ...["CONCAT(t, '-', s)", "CONCAT(yes, ' ', t)", "LOOKUP(t, 'Oak', 1, '7', n)", "LOOKUP(t, 'Oak', 'o', s)", 'COALESCE(TO_NUMBER(t), 0)'],
  ...[
    'IF(n > k, t, s)',
    'IF(n > 0 AND yes, n, k)',
    'IF(yes, 1, 2)',
    "IF(t IS NULL, 'blank', IF(n / k > 1, t, UPPER(s)))",
    "IF(n > k, 'b', 'a')",
  ],
  ...[
    "DAYS_BETWEEN(day, DATE('2020-01-01'))",
    'DAYS_BETWEEN(day, at)',
    'MONTH(at)',
    'HOUR(at)',
    'WEEKDAY(day)',
    '(n / k) + TO_NUMBER(s) + n',
  ],
  ...['n / k', '(n + k) * 2 - n % k', 'YEAR(day) + k', 'ROUND(n, 1)', 'CHARACTERS(t)', 'TO_NUMBER(t)', 'UPPER(TRIM(t))'],
  ...["CONCAT(t, '-', s)", "PART_OF(t, ',', 1)", 'TO_DATE(t)', 'k > n', "t = 'Oak'", "IF(t LIKE 'O%', k, n)", 'COALESCE(n, k, 0)'],
  ...["LOOKUP(t, '12', 'dozen', 'rest')", "DATE_PLUS(day, k, 'months')", 'AGE(day)', 'NOT (yes AND k > 0)', 'LEAST(n, k)'],
];

test('in blocks, by distinct texts or row by row a column is the same, and every blank has its cause', () => {
  fc.assert(
    fc.property(fc.array(anyRow, { maxLength: 67 }), fc.constantFrom(...EXPRESSIONS), (rows, text) => {
      const table = tableOf([WHOLE, ...rows]);
      const parsed = parseFilter(text);
      const type = typeOfValue(parsed, table.columns);
      const sifter = new Sifter(table, AS_OF);
      const made = computedColumn(sifter, parsed.expr, 'made', type);
      const plain = plainColumn(new Sifter(table, AS_OF), parsed.expr, 'made', type);
      const all = Array.from({ length: table.rows }, (_, row) => row);
      expect(all.map((row) => valueAt(made.column, row))).toEqual(all.map((row) => valueAt(plain, row)));
      const blank = all.filter((row) => valueAt(plain, row) === null).length;
      expect(made.blanks.reduce((sum, { rows: some }) => sum + some, 0)).toBe(blank);
      expect(made.column.chunks.reduce((sum, { nulls }) => sum + nulls, 0)).toBe(blank);
      // Each cause as it is found row by row.
      const causeOf = causeFinder(sifter, parsed.expr);
      const causes = new Map<string, number>();
      for (const row of all.filter((one) => valueAt(plain, one) === null)) {
        const { reason } = causeOf(row);
        causes.set(reason, (causes.get(reason) ?? 0) + 1);
      }
      expect(new Map(made.blanks.map(({ reason, rows: some }) => [reason, some]))).toEqual(causes);
    }),
    { numRuns: 400 },
  );
});

test('over several chunks, of an odd number of rows', () => {
  const rows = 65_536 + 4_711;
  const builder = new TableBuilder();
  for (let i = 0; i < rows; i++) builder.addFeature(null, { n: i % 7 === 0 ? null : i, t: i % 5 === 0 ? null : `t${i % 1000}` });
  const table = builder.finish();
  const checked = (text: string, expected: (i: number) => Value) => {
    const { column, blanks } = computed(table, text);
    expect(column.chunks.map((chunk) => chunk.rows)).toEqual([65_536, 4_711]);
    let [wrong, blank] = [0, 0];
    for (let i = 0; i < rows; i++) {
      const value = expected(i);
      if (valueAt(column, i) !== value) wrong++;
      if (value === null) blank++;
    }
    expect([wrong, blanks.reduce((sum, one) => sum + one.rows, 0)]).toEqual([0, blank]);
  };
  checked('n * 2', (i) => (i % 7 === 0 ? null : 2 * i));
  checked('UPPER(t)', (i) => (i % 5 === 0 ? null : `T${i % 1000}`));
  checked("CONCAT(t, '/', n)", (i) => (i % 5 === 0 || i % 7 === 0 ? null : `t${i % 1000}/${i}`));
  checked('n > 100', (i) => (i % 7 === 0 ? null : i > 100));
});

test('what is rounded by arithmetic is what is rounded by the digits that are written', () => {
  const value = fc.oneof(
    fc.double({ noNaN: true, noDefaultInfinity: true }),
    fc.double({ noNaN: true, min: -1e6, max: 1e6 }),
    // Halves, and what is a half in binary or in decimals only.
    fc
      .tuple(fc.integer({ min: -1e7, max: 1e7 }), fc.integer({ min: 0, max: 6 }))
      .map(([whole, places]) => Number(`${whole}5e-${places + 1}`)),
  );
  fc.assert(
    fc.property(value, fc.integer({ min: -15, max: 15 }), (x, digits) => {
      expect(rounded(x, digits)).toBe(roundedAsWritten(x, digits));
    }),
    { numRuns: 5000 },
  );
});
