import { parseFilter } from './parser.ts';
import { layOutFilter, printFilter } from './printer.ts';
import { twoReadings } from './readings.ts';
import { conditionSpans } from './tree.ts';

const both = (text: string) =>
  twoReadings(parseFilter(text)).map(({ andFirst, orFirst, span }) => [
    printFilter(andFirst),
    printFilter(orFirst),
    text.slice(span.from, span.to),
  ]);

test.each([
  ['a = 1 OR b = 2 AND c = 3', 'a = 1 OR (b = 2 AND c = 3)', '(a = 1 OR b = 2) AND c = 3'],
  ['a = 1 AND b = 2 OR c = 3', '(a = 1 AND b = 2) OR c = 3', 'a = 1 AND (b = 2 OR c = 3)'],
  ['a = 1 AND b = 2 OR c = 3 AND d = 4', '(a = 1 AND b = 2) OR (c = 3 AND d = 4)', 'a = 1 AND (b = 2 OR c = 3) AND d = 4'],
  [
    'a = 1 OR b = 2 AND c = 3 AND d = 4 OR e = 5',
    'a = 1 OR (b = 2 AND c = 3 AND d = 4) OR e = 5',
    '(a = 1 OR b = 2) AND c = 3 AND (d = 4 OR e = 5)',
  ],
])('%s', (text, andFirst, orFirst) => expect(both(text)).toEqual([[andFirst, orFirst, text]]));

test('a mix inside brackets is found in its place', () => {
  expect(both('x = 0 AND (a = 1 OR b = 2 AND c = 3)')).toEqual([
    ['x = 0 AND (a = 1 OR (b = 2 AND c = 3))', 'x = 0 AND ((a = 1 OR b = 2) AND c = 3)', 'a = 1 OR b = 2 AND c = 3'],
  ]);
});

test.each(['a = 1 OR (b = 2 AND c = 3)', '(a = 1 OR b = 2) AND c = 3', 'a = 1 AND b = 2', 'NOT (a = 1 AND b = 2) OR c = 3'])(
  '%s has one reading',
  (text) => expect(both(text)).toEqual([]),
);

test('what is printed has one reading', () => {
  const text = printFilter(parseFilter('a = 1 AND b = 2 OR c = 3 AND NOT d = 4').expr);
  expect(both(text)).toEqual([]);
  expect(parseFilter(text).expr).toEqual(parseFilter('a = 1 AND b = 2 OR c = 3 AND NOT d = 4').expr);
});

test('a long filter is laid out a condition a line, and says the same', () => {
  const text =
    "species = 'oak' AND height_m > 12 AND (condition_grade = 'poor' OR condition_grade = 'very poor' OR storm_risk >= 70) AND girth_cm > 100";
  const laid = layOutFilter(parseFilter(text).expr);
  expect(laid).toBe(
    [
      "species = 'oak'",
      'AND height_m > 12',
      'AND (',
      "  condition_grade = 'poor'",
      "  OR condition_grade = 'very poor'",
      '  OR storm_risk >= 70',
      ')',
      'AND girth_cm > 100',
    ].join('\n'),
  );
  expect(parseFilter(laid).expr).toEqual(parseFilter(text).expr);
  expect(layOutFilter(parseFilter('a = 1 AND b = 2').expr)).toBe('a = 1 AND b = 2');
});

test('every condition of the tree has its place in the text', () => {
  const text = 'a = 1 AND NOT (b = 2 OR c = 3) AND (d = 4 OR d IS NULL)';
  expect(conditionSpans(parseFilter(text)).map(({ from, to }) => text.slice(from, to))).toEqual([
    'a = 1',
    'b = 2',
    'c = 3',
    '(d = 4 OR d IS NULL)',
  ]);
});
