import type { ColumnSchema } from '../features/column.ts';
import { FUNCTIONS } from '../operators/operator_registry.ts';
import { checkFilter } from './check.ts';
import { nearestName } from './nearest_name.ts';
import { FilterError } from './filter_error.ts';
import { parseFilter } from './parser.ts';

const columns: ColumnSchema[] = [
  { name: 'height_m', type: 'number' },
  { name: 'species', type: 'text' },
  { name: 'lit', type: 'boolean' },
  { name: 'planted', type: 'date' },
  { name: 'seen', type: 'datetime' },
];
const check = (text: string) => checkFilter(parseFilter(text), columns);

test.each([
  'height_m > 3 AND lit',
  "planted < DATE('2020-01-01') OR planted < '2020-01-01'",
  "seen > TIMESTAMP('2020-01-01T00:00:00Z') AND seen < DATE('2021-01-01')",
  "T_INTERSECTS(seen, INTERVAL('2020-01-01', '..'))",
  "S_DWITHIN(geometry, POINT(8 47), 5, 'miles')",
  'height_m * 2 + 1 >= height_m',
  'geometry IS NULL',
])('%s is right', (text) => expect(() => check(text)).not.toThrow());

test.each([
  ['heigth_m > 3', 'There is no column heigth_m', 'Did you mean height_m?', 0],
  ["height_m > '3'", 'compared', 'Numbers stand without quotes: 3', 11],
  ['species = 142', 'compared', "stand in quotes: '142'", 10],
  ["planted > '3.5.2019'", 'is not a date', "DATE('2024-05-31')", 10],
  ['height_m', 'must be a yes/no value', 'height_m > 10', 0],
  ["S_DWITHIN(geometry, POINT(8 47), 5, 'parsecs')", 'unit of length', "'nmi'", 36],
  ['S_INTERSECTS(species, POINT(8 47))', 'must be a geometry', '', 13],
  ['S_INTERSEKTS(geometry, POINT(8 47))', 'no function', 'Did you mean S_INTERSECTS?', 0],
  ['geometry = 3', 'cannot compare a geometry', 'S_INTERSECTS', 0],
  ['height_m AND lit', 'Each side of AND', '', 0],
  ['CASEI(height_m) = 3', 'argument of CASEI', '', 6],
])('%s is refused', (text, message, hint, from) => {
  try {
    check(text);
    throw new Error('was taken');
  } catch (error) {
    expect(error).toBeInstanceOf(FilterError);
    const { message: said, hint: hinted, span } = error as FilterError;
    expect(said).toContain(message);
    expect(hinted ?? '').toContain(hint);
    expect(span?.from).toBe(from);
  }
});

test.each([
  ['heigth_m > 3', 'height_m > 3'],
  ["height_m > '3'", 'height_m > 3'],
  ['species = 142', "species = '142'"],
  ["planted > '3.5.2019'", "planted > DATE('2019-05-03')"],
  ["planted > DATE('3 May 2019')", "planted > DATE('2019-05-03')"],
  ["S_DWITHIN(geometry, POINT(8 47), 5, 'kms')", "S_DWITHIN(geometry, POINT(8 47), 5, 'km')"],
  ["planted < AS_OF(-3, 'yeers')", "planted < AS_OF(-3, 'years')"],
  ['height_m != 3', 'height_m <> 3'],
])('%s would be right as %s', (text, right) => {
  try {
    check(text);
    throw new Error('was taken');
  } catch (error) {
    const { span, replacement } = error as FilterError;
    const mended = text.slice(0, span!.from) + replacement + text.slice(span!.to);
    expect(mended).toBe(right);
    expect(() => check(mended)).not.toThrow();
  }
});

test('examples are in terms of the columns at hand', () => {
  expect(() => check('T_BEFORE(planted)')).toThrow(
    expect.objectContaining({ hint: "For example: T_BEFORE(planted, DATE('2024-01-01'))" }) as Error,
  );
});

test('coordinates out of range are refused where longitude and latitude are meant', () => {
  const far = parseFilter('S_INTERSECTS(geometry, POINT(465000 5249000))');
  expect(() => checkFilter(far, columns)).toThrow(/longitude/);
  expect(() => checkFilter(far, columns, { projected: true })).not.toThrow();
});

test('every listed function is known to the checker', () => {
  for (const { name } of FUNCTIONS) expect(() => check(`${name}()`)).not.toThrow(/no function/);
});

test('the nearest name is alike, or none', () => {
  expect(nearestName('specis', ['species', 'lit'])).toBe('species');
  expect(nearestName('HEIGHT_M', ['height_m'])).toBe('height_m');
  expect(nearestName('zebra', ['species', 'lit'])).toBeNull();
});
