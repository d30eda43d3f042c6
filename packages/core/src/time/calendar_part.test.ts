import fc from 'fast-check';
import { TableBuilder } from '../features/table_builder.ts';
import { count } from '../features/mask.ts';
import { checkFilter } from '../filters/check.ts';
import { exprOfForm, formOfExpr } from '../filters/form.ts';
import { parseFilter } from '../filters/parser.ts';
import { conditionInWords } from '../filters/words.ts';
import { Sifter, unknownOf } from '../sifting/sifter.ts';
import { CALENDAR_PARTS, partOfInstant } from './calendar_part.ts';

// The platform's own calendar (ECMA-262, Date) as the reference.
test('parts of any instant are those of the platform’s calendar', () => {
  fc.assert(
    fc.property(fc.date({ min: new Date('0001-01-01'), max: new Date('9999-12-31'), noInvalidDate: true }), (date) => {
      const of = CALENDAR_PARTS.map((part) => partOfInstant(part, date.getTime()));
      const month = date.getUTCMonth() + 1;
      const [day, weekday] = [date.getUTCDate(), date.getUTCDay() || 7];
      expect(of).toEqual([date.getUTCFullYear(), Math.ceil(month / 3), month, day, weekday, date.getUTCHours()]);
    }),
  );
});

const columns = [
  { name: 'd', type: 'date' as const },
  { name: 'w', type: 'datetime' as const },
];
function counts(text: string, records: Record<string, unknown>[]): [number, number] {
  const builder = new TableBuilder();
  for (const record of records) builder.addFeature(null, record);
  const table = builder.finish();
  const parsed = parseFilter(text);
  checkFilter(parsed, table.columns);
  const verdict = new Sifter(table, 0).verdict(parsed.expr);
  return [count(verdict.yes), count(unknownOf(verdict))];
}

test.each<[string, number, number]>([
  ['YEAR(d) = 2024', 2, 1],
  ['MONTH(d) IN (2, 3)', 1, 2],
  ['QUARTER(d) = 2', 1, 2],
  ['WEEKDAY(d) IN (6, 7)', 1, 3],
  ['NOT MONTH(d) IN (2, 3)', 2, 2],
  ['HOUR(w) BETWEEN 22 AND 23', 1, 4],
  ['WEEKDAY(w) = 4', 1, 4],
  ['YEAR(d) > YEAR(w)', 1, 4],
])('%s', (text, kept, unknown) => {
  const records = [
    { d: '2024-02-29', w: '2020-01-02T23:30:00Z' },
    { d: '2024-05', w: null },
    { d: '2023', w: null },
    { d: null, w: null },
    { d: '2022-07-30', w: null },
  ];
  expect(counts(text, records)).toEqual([kept, unknown]);
});

test('the loops over whole columns agree with the way over single features', () => {
  const instants = fc.array(fc.option(fc.date({ min: new Date('1900-01-01'), max: new Date('2100-01-01'), noInvalidDate: true })), {
    minLength: 1,
    maxLength: 40,
  });
  fc.assert(
    fc.property(instants, fc.constantFrom(...CALENDAR_PARTS), fc.integer({ min: 1, max: 7 }), (dates, part, value) => {
      const records = [{ w: '2020-01-01T00:00:00Z' }, ...dates.map((date) => ({ w: date?.toISOString() ?? null }))];
      const expected = records.filter(({ w }) => w !== null && partOfInstant(part, Date.parse(w)) === value).length;
      expect(counts(`${part.toUpperCase()}(w) = ${value}`, records)[0]).toBe(expected);
      expect(counts(`${part.toUpperCase()}(w) IN (${value}, -1)`, records)[0]).toBe(expected);
    }),
  );
});

test.each<[string, string]>([
  ['MONTH(d) IN (3, 4)', 'D in March or April'],
  ['WEEKDAY(d) = 6', 'D on a Saturday'],
  ['WEEKDAY(w) NOT IN (6, 7)', 'W not on a Saturday or Sunday'],
  ['YEAR(d) IN (2019, 2020)', 'D in 2019 or 2020'],
  ['QUARTER(d) = 1', 'D in the 1st quarter'],
  ['HOUR(w) IN (8, 9)', 'W at 8 or 9 o’clock'],
])('%s is “%s”, and one condition with a form', (text, words) => {
  const { expr } = parseFilter(text);
  const { subject, rest } = conditionInWords(expr, { columns, asOf: 0 });
  expect(`${subject} ${rest}`).toBe(words);
  const form = formOfExpr(expr, columns);
  expect(form.kind).toBe('calendar');
  expect(formOfExpr(exprOfForm(form), columns)).toEqual(form);
});

test('a quarter is three months', () => {
  expect(counts("T_INTERSECTS(d, LAST(1, 'quarters'))", [{ d: '1969-10-02' }, { d: '1969-10-01' }, { d: '1970-01-01' }])).toEqual([2, 0]);
});

test.each([
  ['MONTH(n) = 3', 'The argument of MONTH'],
  ['HOUR(d) = 3', 'HOUR needs a time of day'],
  ["MONTH(d) = 'March'", 'number'],
])('%s is refused: %s', (text, message) => {
  expect(() => checkFilter(parseFilter(text), [...columns, { name: 'n', type: 'number' }])).toThrow(message);
});
