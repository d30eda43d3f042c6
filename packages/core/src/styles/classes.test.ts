import fc from 'fast-check';
import { maskOf, count } from '../features/mask.ts';
import { columnNamed } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { classCounts, classesOf, columnBreaks } from './classes.ts';
import { BLANK, LARGEST_LEVEL, REST, type BySteps, type ByValues } from './style.ts';

type Row = Record<string, string | number | boolean | null>;
function tableOf(rows: Row[]) {
  const builder = new TableBuilder();
  for (const name of ['text', 'n', 'day', 'moment', 'yes']) builder.column(name);
  // The first row settles the types.
  builder.addFeature(null, { text: 'first', n: 0, day: '2024-01-01', moment: '2024-01-01T00:00:00Z', yes: true });
  for (const row of rows) builder.addFeature(null, row);
  return builder.finish();
}
const anyRow = fc.record({
  text: fc.option(fc.constantFrom('', 'oak', 'Oak', 'ash', 'first')),
  n: fc.option(fc.oneof(fc.integer({ min: -5, max: 5 }), fc.double({ min: -5, max: 5, noNaN: true }))),
  day: fc.option(fc.constantFrom('2024-01-01', '2024-02-29', '2025')),
  moment: fc.option(fc.constantFrom('2024-01-01T00:00:00Z', '2024-06-01T12:00:00+02:00')),
  yes: fc.option(fc.boolean()),
});
const anyRows = fc.array(anyRow, { maxLength: 77 });
const mark = { colour: 0, shape: 0 };

test('by sizes the areas of marks are as the numbers, to a rounding of the radius; nothing to show has none', () => {
  fc.assert(
    fc.property(anyRows, (rows) => {
      const codes = classesOf(tableOf(rows), { kind: 'sizes', column: 'n' });
      const largest = Math.max(...rows.map(({ n }) => n ?? 0), 0);
      for (const [i, { n }] of rows.entries()) {
        if (n === null || n <= 0) expect(codes[i + 1]).toBe(0);
        else {
          const radius = LARGEST_LEVEL * Math.sqrt(n / largest);
          expect(Math.abs(codes[i + 1] - Math.max(1, radius))).toBeLessThanOrEqual(0.5);
        }
      }
    }),
  );
  expect(() => classesOf(tableOf([]), { kind: 'sizes', column: 'text' })).toThrow('no numbers');
});

test('classes by values: each its own, what is not listed the rest, blanks apart', () => {
  fc.assert(
    fc.property(anyRows, (rows) => {
      const table = tableOf(rows);
      const listed = { text: ['oak', ''], n: [3, 0], yes: [false] };
      for (const [column, values] of Object.entries(listed)) {
        const classing: ByValues = { kind: 'values', column, classes: values.map((value) => ({ value, mark })) };
        const codes = classesOf(table, classing);
        for (const [i, row] of rows.entries()) {
          const value = row[column as keyof typeof row];
          const at = values.findIndex((one) => one === value || (one === 0 && value === 0));
          expect([i, codes[i + 1]]).toEqual([i, value === null ? BLANK : at < 0 ? REST : at]);
        }
      }
    }),
  );
});

test('classes by steps: a bound belongs to the class above it', () => {
  fc.assert(
    fc.property(anyRows, fc.uniqueArray(fc.integer({ min: -4, max: 4 }), { maxLength: 8 }), (rows, some) => {
      const bounds = some.sort((a, b) => a - b);
      const codes = classesOf(tableOf(rows), { kind: 'steps', column: 'n', method: 'own', bounds, ramp: 'moss', middle: null });
      for (const [i, { n }] of rows.entries()) expect(codes[i + 1]).toBe(n === null ? BLANK : bounds.filter((bound) => bound <= n).length);
    }),
  );
});

test('counts of the classes come to all features and to all kept ones', () => {
  fc.assert(
    fc.property(anyRows, fc.array(fc.nat({ max: 77 })), (rows, some) => {
      const table = tableOf(rows);
      const kept = maskOf(new Set(some.filter((row) => row < table.rows)), table.rows);
      const steps: BySteps = { kind: 'steps', column: 'n', method: 'own', bounds: [-1, 2], ramp: 'moss', middle: null };
      const { all, kept: of } = classCounts(classesOf(table, steps), kept);
      const sum = (counts: Uint32Array) => counts.reduce((a, b) => a + b, 0);
      expect([sum(all), sum(of)]).toEqual([table.rows, count(kept)]);
      expect(sum(classCounts(classesOf(table, steps), null).kept)).toBe(table.rows);
    }),
  );
});

test('bounds come from the whole column, round ones of times at the calendar', () => {
  const table = tableOf([
    { text: 'a', n: 10, day: '2024-12-30', moment: '2024-12-30T00:00:00Z', yes: null },
    { text: 'b', n: null, day: null, moment: null, yes: null },
  ]);
  const of = (name: string) => columnNamed(table, name)!;
  expect(columnBreaks(table, of('n'), 'equal', 5)).toEqual([2, 4, 6, 8]);
  const quarters = ['2024-04-01', '2024-07-01', '2024-10-01'].map((day) => Date.parse(day));
  expect(columnBreaks(table, of('day'), 'round', 4)).toEqual(quarters.map((millis) => millis / 86_400_000));
  expect(columnBreaks(table, of('moment'), 'round', 4)).toEqual(quarters);
  expect(() => columnBreaks(table, of('text'), 'equal', 5)).toThrow('text has no steps');
  expect(() => classesOf(table, { kind: 'values', column: 'none', classes: [] })).toThrow('There is no column none');
});
