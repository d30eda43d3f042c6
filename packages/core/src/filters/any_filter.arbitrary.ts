import fc from 'fast-check';
import type { Operator } from '../operators/operator.ts';
import { OPERATORS } from '../operators/operator_registry.ts';
import { call, property, type Expr } from './ast.ts';

/** A text as the printer spells it: what quotes cannot carry, by its code points. */
const spelled = (text: string): Expr => (/\\('|$)/.test(text) ? call('CODEPOINTS', ...[...text].map((c) => c.codePointAt(0)!)) : text);

const name = fc.oneof(
  fc.constantFrom('a', 'girth_cm', 'Größe', 'and', 'order by', 'x"y', '__proto__'),
  fc.string({ minLength: 1, maxLength: 8 }),
);
const number = fc.oneof(fc.integer({ min: -1e6, max: 1e6 }), fc.double({ noNaN: true, noDefaultInfinity: true }));
const text = fc.oneof(fc.string({ maxLength: 12 }), fc.constantFrom("O'Hara", 'back\\', "\\'", '', '100\\%'));
const position = fc.tuple(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: -90, max: 90, noNaN: true }));
const ring = fc.array(position, { minLength: 3, maxLength: 5 }).map((points) => [...points, points[0]]);
const geometry = fc.oneof(
  position.map((coordinates) => ({ type: 'Point' as const, coordinates })),
  fc.array(position, { minLength: 1, maxLength: 3 }).map((coordinates) => ({ type: 'MultiPoint' as const, coordinates })),
  fc.array(position, { minLength: 2, maxLength: 4 }).map((coordinates) => ({ type: 'LineString' as const, coordinates })),
  ring.map((shell) => ({ type: 'Polygon' as const, coordinates: [shell] })),
  fc.tuple(ring, ring).map((shells) => ({ type: 'MultiPolygon' as const, coordinates: shells.map((shell) => [shell]) })),
);
const day = fc.constantFrom('1969-07-16', '2000-02-29', '2026-11-25');
const instant = fc.constantFrom('1969-07-16T05:32:00Z', '2024-05-31T12:30:00.25Z');
const time = fc.oneof(
  name.map(property),
  day.map((date) => ({ date })),
  instant.map((timestamp) => ({ timestamp })),
  fc.tuple(fc.oneof(day, fc.constant('..')), fc.oneof(day, instant, fc.constant('..'))).map((interval): Expr => ({ interval })),
  fc.tuple(name, name).map(([from, to]): Expr => ({ interval: [property(from), property(to)] })),
);
const namesOf = (fits: (operator: Operator) => boolean) => OPERATORS.filter(fits).map(({ name }) => name);
const COMPARISONS = namesOf(({ evaluation }) => evaluation.by === 'comparison');
const ARITHMETIC = namesOf(({ syntax, result }) => syntax.kind === 'infix' && result === 'number');
const SPATIAL = namesOf(({ evaluation, arity, standard }) => evaluation.by === 'space' && arity[1] === 2 && standard);
const TEMPORAL = namesOf(({ evaluation }) => evaluation.by === 'times');
const ARRAY = namesOf(({ evaluation }) => evaluation.by === 'arrays');

/** Every kind of expression that CQL2 has, by its grammar alone: the columns need not exist, nor the types fit. */
export const { anyFilter } = fc.letrec<{ anyFilter: Expr; scalar: Expr; words: Expr }>((tie) => ({
  scalar: fc.oneof(
    { maxDepth: 3 },
    name.map(property),
    number,
    fc.tuple(fc.constantFrom(...ARITHMETIC), tie('scalar'), tie('scalar')).map(([op, a, b]) => call(op, a, b)),
  ),
  words: fc.oneof(
    { maxDepth: 2 },
    name.map(property),
    text.map(spelled),
    fc.tuple(fc.constantFrom('casei', 'accenti'), tie('words')).map(([op, word]) => call(op, word)),
  ),
  anyFilter: fc.oneof(
    { maxDepth: 4 },
    fc.tuple(fc.constantFrom(...COMPARISONS), tie('scalar'), tie('scalar')).map(([op, a, b]) => call(op, a, b)),
    fc.tuple(fc.constantFrom(...COMPARISONS), tie('words'), tie('words')).map(([op, a, b]) => call(op, a, b)),
    fc.tuple(tie('words'), text.map(spelled)).map(([word, pattern]) => call('like', word, pattern)),
    fc.tuple(name, fc.array(number, { minLength: 1, maxLength: 3 })).map(([n, list]) => call('in', property(n), list)),
    name.map((n) => call('isNull', property(n))),
    fc.tuple(tie('scalar'), number, number).map(([a, low, high]) => call('between', a, low, high)),
    fc.tuple(fc.constantFrom(...SPATIAL), geometry).map(([op, shape]) => call(op, property('geometry'), shape)),
    fc.tuple(fc.constantFrom(...TEMPORAL), time, time).map(([op, a, b]) => call(op, a, b)),
    fc
      .tuple(fc.constantFrom(...ARRAY), name, fc.array(text.map(spelled), { minLength: 1, maxLength: 3 }))
      .map(([op, n, list]) => call(op, property(n), list)),
    tie('anyFilter').map((inner) => call('not', inner)),
    fc
      .tuple(fc.constantFrom('and', 'or'), fc.array(tie('anyFilter'), { minLength: 2, maxLength: 3 }))
      .map(([op, parts]) => call(op, ...parts)),
  ),
}));
