import { count } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { checkFilter } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { Sifter, unknownOf } from './sifter.ts';

const builder = new TableBuilder();
for (const day of ['2023-12-31', '2024-01-01', '2024-01-02', '2024-06-15', '2024-12-31', '2024', '2024-01', '2023', '2024-06', null])
  builder.addFeature(null, { day, moment: '2024-06-15T12:00:00Z' });
const table = builder.finish();
const counts = (text: string) => {
  const parsed = parseFilter(text);
  checkFilter(parsed, table.columns);
  const verdict = new Sifter(table, 0).verdict(parsed.expr);
  return [count(verdict.yes), count(unknownOf(verdict))];
};

// Kept and unknown, counted by hand: a year or month that holds days on both sides of an end is unknown.
test.each([
  ["T_DURING(day, INTERVAL('2024-01-01', '2024-12-31'))", 3, 3],
  ["T_INTERSECTS(day, INTERVAL('2024-01-01', '2024-12-31'))", 7, 1],
  ["T_INTERSECTS(day, INTERVAL('2024-01-02', '..'))", 4, 3],
  ["T_EQUALS(day, DATE('2024-06-15'))", 1, 3],
  ["T_STARTS(day, INTERVAL('2024-01-01', '2024-12-31'))", 1, 3],
  ["T_BEFORE(day, TIMESTAMP('2024-06-15T12:00:00Z'))", 5, 3],
  ["T_CONTAINS(INTERVAL(day, '..'), DATE('2024-06-20'))", 6, 3],
])('%s', (text, kept, unknown) => expect(counts(text)).toEqual([kept, unknown]));

test('a moment of a day is equal to the day, by either name', () => {
  expect(counts("moment = DATE('2024-06-15')")).toEqual([10, 0]);
  expect(counts("T_EQUALS(moment, DATE('2024-06-15'))")).toEqual([10, 0]);
});

test('a relation is compared with another truth as any value is', () => {
  expect(counts('(day IS NULL) = (geometry IS NULL)')).toEqual([1, 0]);
  expect(counts("(day < DATE('2024-01-01')) IS NULL")).toEqual([1, 0]);
  expect(counts("COULD_BE(day < DATE('2024-01-02') AND 1 / 0 > 0)")).toEqual([0, 6]);
  expect(counts("COULD_BE(NOT day < DATE('2024-01-02'))")).toEqual([6, 1]);
});
