import { parseFilter } from './parser.ts';
import { exprInProse } from './prose.ts';
import type { Wording } from './phrases.ts';

const wording: Wording = {
  columns: [
    { name: 'girth_cm', type: 'number' },
    { name: 'last_inspected', type: 'date' },
    { name: 'kind', type: 'text' },
  ],
  asOf: 20_000,
};

test.each([
  ['girth_cm * 2 > 5 + height_m', 'girth × 2 is above 5 + height'],
  ['(girth_cm + 1) * 2 <= 9', '(girth + 1) × 2 is at most 9'],
  ['girth_cm % 2 = 1', 'the remainder of girth ÷ 2 is 1'],
  ["CASEI(kind) = CASEI('Oak')", 'kind is “Oak”, capitals and small letters alike'],
  [
    "ACCENTI(CASEI(kind)) LIKE ACCENTI(CASEI('ch_ne%'))",
    'kind fits the pattern “ch_ne%”, capitals and small letters alike, accents left aside',
  ],
  ["CASEI(kind) IN (CASEI('a'), CASEI('b'))", 'kind is one of “a” and “b”, capitals and small letters alike'],
  ["last_inspected >= DATE('2020-05-01')", 'last inspected is not before 1 May 2020'],
  ["T_DURING(last_inspected, INTERVAL('2020-01-01', '..'))", 'last inspected lies inside the time from 1 Jan 2020 on'],
  ["T_BEFORE(last_inspected, DATE('2020-01-01'))", 'last inspected is before 1 Jan 2020'],
  ["A_OVERLAPS(tags, ('a', 'b'))", 'tags has at least one of “a” and “b”'],
  ['S_WITHIN(geometry, BBOX(170, 0, -170, 1))', 'the shape lies within the box'],
  ["S_DWITHIN(geometry, LINESTRING(0 0, 1 1), 2, 'km')", 'the shape comes within 2 km of the drawn line'],
  ["kind = 'a' AND NOT (girth_cm IS NULL OR girth_cm = height_m)", 'kind is “a” and not so that (girth is blank or girth is height)'],
  ["last_inspected < AS_OF(-2, 'years')", 'last inspected is before 2 years before the as-of date'],
])('%s', (text, prose) => expect(exprInProse(parseFilter(text).expr, wording)).toBe(prose));
