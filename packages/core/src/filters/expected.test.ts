import { expectedAt, type Expected } from './expected.ts';

const term: Expected = { kind: 'term' };
const joint: Expected = { kind: 'joint' };
const value = (column: string, pattern = false): Expected => ({ kind: 'value', column, pattern });

test.each<[string, Expected, string]>([
  ['', term, ''],
  ['hei', term, 'hei'],
  ['height_m ', { kind: 'operator', column: 'height_m' }, ''],
  ['height_m > ', value('height_m'), ''],
  ["species = 'o", value('species'), 'o'],
  ["species = 'it''s ", value('species'), "it''s "],
  ['species <> ', value('species'), ''],
  ["species LIKE 'o", value('species', true), 'o'],
  ["species NOT LIKE 'o", value('species', true), 'o'],
  ["species IN ('oak', 'a", value('species'), 'a'],
  ['species NOT IN (', value('species'), ''],
  ['"odd name" = ', value('odd name'), ''],
  ['height_m BETWEEN ', value('height_m'), ''],
  ['height_m BETWEEN 3 AND ', value('height_m'), ''],
  ['height_m > 3 ', joint, ''],
  ['height_m > 3 AND ', term, ''],
  ['height_m > 3 AND (', term, ''],
  ['(height_m > 3) ', joint, ''],
  ['height_m IS NULL ', joint, ''],
  ['S_INTERSECTS(', term, ''],
  ['NOT ', term, ''],
  ['"half a na', term, 'half a na'],
  ['3 + 4 = ', term, ''],
  ['height_m != ', term, ''],
])('after %s', (before, expected, written) => {
  const found = expectedAt(before);
  expect(found.expected).toEqual(expected);
  expect(found.written).toBe(written);
});
