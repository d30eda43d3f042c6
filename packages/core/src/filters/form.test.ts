import fc from 'fast-check';
import { areaRef, type Place } from './areas.ts';
import { operandRef } from './operands.ts';
import type { ColumnSchema } from '../features/column.ts';
import { AREA_RELATIONS } from '../operators/operator_registry.ts';
import { exprOfForm, formOfExpr, SPAN_RELATIONS, type Form } from './form.ts';
import { parseFilter } from './parser.ts';

const columns: ColumnSchema[] = [
  { name: 'n', type: 'number' },
  { name: 'm', type: 'number' },
  { name: 'e', type: 'date' },
  { name: 't', type: 'text' },
  { name: 'b', type: 'boolean' },
  { name: 'd', type: 'date' },
];
const whole = fc.integer({ min: -1000, max: 1000 });
const place = fc.constantFrom<Place>(
  {
    type: 'Polygon',
    coordinates: [
      [
        [0, 0],
        [1, 0],
        [1, 1],
        [0, 0],
      ],
    ],
  },
  {
    type: 'LineString',
    coordinates: [
      [0, 0],
      [1, 1],
    ],
  },
  { type: 'MultiPoint', coordinates: [[2, 3]] },
  areaRef('Harbour'),
  operandRef('SOURCE', 'Paths'),
  operandRef('SIEVE', 'Lit paths'),
  { op: 'ANY_OF', args: [areaRef('Harbour'), operandRef('SIEVE', 'Lit paths')] },
  { op: 'ALL_OF', args: [areaRef('Harbour'), areaRef('Hill')] },
);
const inSpace = { geometry: place, outside: fc.boolean(), blanks: fc.constant(false) };
const blanks = fc.boolean();
const form: fc.Arbitrary<Form> = fc.oneof(
  fc.record({
    kind: fc.constant('compare' as const),
    column: fc.constant('n'),
    op: fc.constantFrom('=', '<>', '<', '<=', '>', '>='),
    value: whole,
    blanks,
  }),
  fc.record({
    kind: fc.constant('between' as const),
    column: fc.constant('n'),
    low: whole,
    high: whole,
    outside: fc.boolean(),
    blanks,
  }),
  fc.record({
    kind: fc.constant('values' as const),
    column: fc.constant('t'),
    values: fc.array(fc.string(), { minLength: 1 }),
    none: fc.boolean(),
    blanks,
  }),
  fc.record({
    ...{
      kind: fc.constant('text' as const),
      column: fc.constant('t'),
      test: fc.constantFrom('contains', 'starts', 'ends'),
      blanks,
    },
    ...{
      text: fc.oneof(fc.constantFrom('50%', 'a_b', 'back\\slash', 'x\\%'), fc.string()),
      anyCase: fc.boolean(),
      not: fc.boolean(),
    },
  }),
  fc.record({
    ...{ kind: fc.constant('text' as const), column: fc.constant('t'), test: fc.constant('pattern' as const) },
    text: fc.constantFrom('', 'oak', '_ak', 'o%k', '%o%k%', 'o_k%', 'x\\%y'),
    ...{ anyCase: fc.boolean(), anyAccents: fc.constant(true), not: fc.boolean(), blanks },
  }),
  fc.record({
    ...{ kind: fc.constant('versus' as const), column: fc.constant('n'), op: fc.constantFrom('=', '<>', '<', '<=', '>', '>=') },
    ...{ other: fc.constant('m'), times: whole, plus: whole, blanks },
  }),
  fc.record({
    ...{ kind: fc.constant('versus' as const), column: fc.constant('d'), op: fc.constantFrom('=', '<', '>=') },
    ...{ other: fc.constant('e'), times: fc.constant(1), plus: fc.constant(0), blanks },
  }),
  fc.record({ kind: fc.constant('yesno' as const), column: fc.constant('b'), value: fc.boolean(), blanks }),
  fc.record({
    kind: fc.constant('blank' as const),
    column: fc.constant('t'),
    not: fc.boolean(),
    empty: fc.boolean(),
    blanks: fc.constant(false),
  }),
  fc.record({
    ...{
      kind: fc.constant('day' as const),
      column: fc.constant('d'),
      test: fc.constantFrom('before', 'after', 'on', 'from', 'until'),
      blanks,
    },
    day: fc.oneof(fc.constant({ date: '2024-02-29' }), fc.constant({ shift: -5, unit: 'years' as const })),
  }),
  fc.record({
    kind: fc.constant('days' as const),
    column: fc.constant('d'),
    from: fc.constantFrom('2020-01-01', null),
    to: fc.constantFrom('2021-12-31', null),
    outside: fc.boolean(),
    blanks,
  }),
  fc.record({
    kind: fc.constant('recent' as const),
    column: fc.constant('d'),
    side: fc.constantFrom('last', 'next'),
    amount: fc.integer({ min: 1, max: 99 }),
    unit: fc.constantFrom('days', 'weeks', 'months', 'years'),
    outside: fc.boolean(),
    blanks,
  }),
  fc.record({
    kind: fc.constant('radius' as const),
    centre: fc.constant([8.5, 47.4]),
    distance: fc.integer({ min: 0, max: 5000 }),
    unit: fc.constantFrom('m', 'km', 'ft'),
    plane: fc.boolean(),
    outside: fc.boolean(),
    blanks: fc.constant(false),
  }),
  fc.record({
    kind: fc.constant('area' as const),
    relation: fc.constantFrom(...AREA_RELATIONS.map(({ name }) => name)),
    geometry: place,
    outside: fc.boolean(),
    blanks: fc.constant(false),
  }),
  fc.record({
    kind: fc.constant('near' as const),
    geometry: place,
    distance: fc.integer({ min: 0, max: 5000 }),
    unit: fc.constantFrom('m', 'km', 'mi'),
    plane: fc.boolean(),
    outside: fc.boolean(),
    blanks: fc.constant(false),
  }),
  fc.record({
    kind: fc.constant('span' as const),
    start: fc.constant('d'),
    end: fc.constant('e'),
    relation: fc.constantFrom(...SPAN_RELATIONS),
    from: fc.constantFrom('2020-01-01', null),
    to: fc.constantFrom('2024-12-31', null),
    open: fc.boolean(),
    blanks: fc.constant(false),
  }),
  fc.record({
    kind: fc.constant('day' as const),
    column: fc.constant('d'),
    test: fc.constantFrom('before', 'after', 'from', 'until'),
    day: fc.constant({ date: '2024-05-31' }),
    could: fc.constant(true),
    blanks,
  }),
  fc.record({ kind: fc.constant('centre' as const), ...inSpace }),
  fc.record({ kind: fc.constant('share' as const), percent: fc.integer({ min: 1, max: 100 }), ...inSpace }),
  fc.record({ kind: fc.constant('nearest' as const), amount: fc.integer({ min: 1, max: 500 }), ...inSpace }),
) as fc.Arbitrary<Form>;

test('a form comes back from its expression as it was', () => {
  fc.assert(
    fc.property(form, (f) => expect(formOfExpr(exprOfForm(f), columns)).toEqual(f)),
    { numRuns: 500 },
  );
});

test('what no form fits is left as it is', () => {
  const { expr } = parseFilter('n * 2 > n + 7');
  expect(formOfExpr(expr, columns)).toEqual({ kind: 'other', expr, blanks: false });
});
