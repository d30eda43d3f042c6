import { BLANK, call, classesOf, has, REST, Sifter, TableBuilder, type BySteps, type ByValues, type Classing } from '@clean-sieve/core';
import fc from 'fast-check';
import { conditionsOfClass } from './class_conditions.ts';

const row = fc.record({
  text: fc.option(fc.constantFrom('', 'oak', "O'Hara", 'ash', 'first')),
  n: fc.option(fc.oneof(fc.integer({ min: -5, max: 5 }), fc.double({ min: -5, max: 5, noNaN: true }))),
  day: fc.option(fc.constantFrom('2024-01-01', '2024-02-29', '2025-07-01')),
  moment: fc.option(fc.constantFrom('2024-01-01T00:00:00Z', '2024-06-01T12:00:00+02:00')),
  yes: fc.option(fc.boolean()),
});
const mark = { colour: 0, shape: 0 };
const values = (column: string, ...some: (string | number | boolean)[]): ByValues => ({
  ...{ kind: 'values', column },
  classes: some.map((value) => ({ value, mark })),
});
const steps = (column: string, ...bounds: number[]): BySteps => ({
  ...{ kind: 'steps', column, method: 'own', bounds, ramp: 'moss', middle: null },
});
const DAY = 86_400_000;
const CLASSINGS: Classing[] = [
  values('text', 'oak', '', "O'Hara"),
  values('n', 3, 0),
  values('yes', true),
  values('yes', false, true),
  steps('n', -2, 0.5, 3),
  steps('n'),
  steps('day', Date.parse('2024-02-29') / DAY, Date.parse('2025-01-01') / DAY),
  steps('moment', Date.parse('2024-06-01T10:00:00Z')),
];

test('the conditions of a class keep the features that are drawn as of it, and no others', () => {
  fc.assert(
    fc.property(fc.array(row, { maxLength: 70 }), (rows) => {
      const builder = new TableBuilder();
      for (const name of ['text', 'n', 'day', 'moment', 'yes']) builder.column(name);
      const first = { text: 'first', n: 0.5, day: '2024-01-01', moment: '2024-01-01T00:00:00Z', yes: true };
      for (const one of [first, ...rows]) builder.addFeature(null, one);
      const table = builder.finish();
      const sifter = new Sifter(table, 0);
      for (const classing of CLASSINGS) {
        const codes = classesOf(table, classing);
        const { type } = table.columns.find(({ name }) => name === classing.column)!;
        const own = classing.kind === 'steps' ? classing.bounds.length + 1 : classing.classes.length;
        for (const number of [...Array(own).keys(), BLANK, ...(classing.kind === 'values' && own < 2 ? [REST] : [])]) {
          const conditions = conditionsOfClass(classing, { name: classing.column, type }, number);
          const { yes } = sifter.verdict(call('and', ...conditions, true));
          for (let i = 0; i < table.rows; i++)
            expect([classing, number, i, has(yes, i)]).toEqual([classing, number, i, codes[i] === number]);
        }
      }
    }),
    { numRuns: 30 },
  );
});
