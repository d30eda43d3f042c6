import { parseDate } from '../time/calendar.ts';
import { parseFilter } from './parser.ts';
import { emptyTree, treeOfExpr } from './tree.ts';
import { columnInWords, headingInWords, type Wording } from './phrases.ts';
import { conditionInWords, sentenceOf, treeInWords } from './words.ts';

const wording: Wording = {
  columns: [
    { name: 'girth_cm', type: 'number' },
    { name: 'species', type: 'text' },
    { name: 'lit', type: 'boolean' },
    { name: 'last_inspected', type: 'date' },
  ],
  asOf: parseDate('2026-11-24')!.day,
};
const say = (text: string) => {
  const { subject, rest, note } = conditionInWords(parseFilter(text).expr, wording);
  return [`${subject} ${rest}`.trim(), note];
};

test.each([
  ['girth_cm >= 250', 'Girth 250 cm or more', null],
  ['girth_cm < 12345', 'Girth below 12,345 cm', null],
  ['girth_cm BETWEEN 1.5 AND 3', 'Girth between 1.5 and 3 cm', null],
  ['girth_cm >= 250 OR girth_cm IS NULL', 'Girth 250 cm or more or blank', null],
  ["species IN ('0142', '0077')", 'Species is one of 0142 or 0077', null],
  ["species NOT IN ('0142')", 'Species is none of 0142', null],
  ["CASEI(species) LIKE CASEI('%oak%')", 'Species contains “oak”', 'capitals and small letters alike'],
  ["species = '' OR species IS NULL", 'Species is blank', null],
  ['lit', 'Lit is yes', null],
  ["last_inspected < AS_OF(-5, 'years')", 'Last inspected before 24 Nov 2021', '5 years before the as-of date'],
  ["T_INTERSECTS(last_inspected, LAST(30, 'days'))", 'Last inspected in the last 30 days', '26 Oct 2026 to 24 Nov 2026'],
  ["T_INTERSECTS(last_inspected, INTERVAL('2020-01-01', '..'))", 'Last inspected on or after 1 Jan 2020', null],
  ['S_DWITHIN(geometry, POINT(-12.1 46.6), 500)', 'Within 500 m of 46.6000° N 12.1000° W', 'measured on the ellipsoid'],
  ['girth_cm * 2 > 5', 'Girth × 2 is above 5', null],
  ['S_WITHIN(geometry, POLYGON((0 0, 1 0, 1 1, 0 0)))', 'Lying within the drawn area', null],
  ["COULD_BE(planted < DATE('2020-01-01'))", 'Planted could be before 1 Jan 2020', null],
  [
    "T_INTERSECTS(INTERVAL(planted, felled), INTERVAL('2020-01-01', '2020-12-31'))",
    'Planted – felled overlaps 1 Jan 2020 to 31 Dec 2020',
    null,
  ],
  [
    "T_BEFORE(INTERVAL(planted, felled), INTERVAL('2020-01-01', '..')) OR (felled IS NULL AND T_BEFORE(INTERVAL(planted, '..'), INTERVAL('2020-01-01', '..')))",
    'Planted – felled ends before the time from 1 Jan 2020 on',
    'a blank felled is still open',
  ],
  ["S_INTERSECTS(geometry, SOURCE('Paths'))", 'Meeting any of Paths', null],
  ["NOT S_DWITHIN(geometry, SIEVE('Lit paths'), 20, 'm')", 'Beyond 20 m of any of the sieve Lit paths', 'measured on the ellipsoid'],
  ["S_DWITHIN(geometry, AREA('Harbour'), 20, 'm', 'plane')", 'Within 20 m of the area Harbour', 'measured in the plane of the coordinates'],
  ["S_INTERSECTS(CENTROID(geometry), AREA('Harbour'))", 'Centre in the area Harbour', null],
  ["S_SHARE_IN(geometry, AREA('Harbour'), 50)", 'With at least 50 % of it in the area Harbour', null],
  [
    "S_NEAREST(geometry, AREA('Harbour'), 10)",
    'Among the 10 nearest to the area Harbour',
    'of all features of the source; measured on the ellipsoid',
  ],
  ["S_INTERSECTS(geometry, ALL_OF(AREA('A'), AREA('B')))", 'Reaching into each of the area A and the area B', null],
  ['S_CONTAINS(POLYGON((0 0, 1 0, 1 1, 0 0)), geometry)', 'Lying within the drawn area', null],
  ['NOT S_CROSSES(geometry, LINESTRING(0 0, 1 1))', 'Not crossing the drawn line', 'in part inside, in part out'],
  ["S_DWITHIN(geometry, LINESTRING(0 0, 1 1), 2, 'km')", 'Within 2 km of the drawn line', 'measured on the ellipsoid'],
])('%s', (text, sentence, note) => expect(say(text)).toEqual([sentence, note]));

test('a whole tree is one phrase', () => {
  const tree = treeOfExpr(parseFilter("girth_cm >= 250 AND lit AND (species = 'a' OR species = 'b')").expr, emptyTree(), () =>
    Math.random().toString(),
  );
  expect(treeInWords(tree, wording)).toBe('girth 250 cm or more, lit is yes and (species is a or species is b)');
  expect(treeInWords(emptyTree(), wording)).toBe('');
});

test.each([
  ['girth_cm >= 250', 'Trees with girth 250 cm or more'],
  [
    'S_DWITHIN(geometry, POINT(-12.1 46.6), 500) AND girth_cm >= 250',
    'Trees within 500 m of 46.6000° N 12.1000° W and with girth 250 cm or more',
  ],
  [
    'girth_cm >= 250 AND lit AND S_INTERSECTS(geometry, POLYGON((0 0, 1 0, 1 1, 0 0)))',
    'Trees with girth 250 cm or more, lit is yes and in the drawn area',
  ],
  ['girth_cm * 2 > 5 AND lit', 'Trees where girth × 2 is above 5 and with lit is yes'],
  ['girth_cm >= 250 OR lit', 'Trees with (girth 250 cm or more or lit is yes)'],
])('a sentence about features: %s', (text, sentence) => {
  const tree = treeOfExpr(parseFilter(text).expr, emptyTree(), () => Math.random().toString());
  const pieces = sentenceOf('Trees', tree, { ...wording, points: true });
  expect(pieces.map((piece) => piece.text).join('')).toBe(sentence);
});

test('without conditions the sentence says all', () => {
  expect(sentenceOf('Trees', emptyTree(), wording).map(({ text }) => text)).toEqual(['All ', 'trees']);
});

test('column names are read as words with their unit', () => {
  expect([
    columnInWords('height_m'),
    headingInWords('height_m'),
    columnInWords('m'),
    headingInWords('tree_id'),
    columnInWords('_'),
  ]).toEqual(['Height', 'Height m', 'M', 'Tree id', '_']);
});
