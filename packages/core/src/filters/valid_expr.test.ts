import { parseFilter } from './parser.ts';
import { printFilter } from './printer.ts';
import { isExpr, parseFilterJson } from './valid_expr.ts';

// Text → tree → JSON → tree → text keeps the meaning; predicates in the manner of the clauses of OGC 21-065r2.
test.each([
  "city = 'Toronto' AND NOT (balance - 150 > 0 OR updated >= DATE('2012-08-10'))",
  "CASEI(road_class) IN (CASEI('Οδος'), CASEI('Straße')) AND ACCENTI(etat_vol) = ACCENTI('débárquér')",
  "name NOT LIKE 'foo%' AND depth BETWEEN 100 AND 150 AND geophys:SURVEY_NAME IS NOT NULL",
  'S_CROSSES(geometry, LINESTRING(43 10, -8.25 50)) AND S_INTERSECTS(geometry, BBOX(-118, 33.8, -117.9, 34))',
  "T_FINISHEDBY(INTERVAL(starts_at, ends_at), INTERVAL('1991-10-07', '..')) AND T_AFTER(eventtime, TIMESTAMP('2014-01-01T00:00:00Z'))",
  "A_CONTAINS(layer_ids, ('layers-ca', 'layers-us')) AND vehicle_height > 2 ^ 3 % 5",
])('%s', (text) => {
  const { expr } = parseFilter(text);
  const json = JSON.stringify(expr);
  expect(parseFilterJson(json)).toEqual(expr);
  expect(printFilter(parseFilterJson(json))).toBe(printFilter(expr));
});

test.each([
  ['{', 'not valid JSON'],
  ['{"op":"="}', '$.args: “=” needs a list'],
  ['{"op":"=","args":[1]}', '$.args: “=” takes 2 arguments, not 1'],
  ['{"op":"and","args":[true,{"op":"not","args":[]}]}', '$.args[1].args: “not” takes 1 arguments, not 0'],
  ['{"op":"in","args":[{"property":"a"},1]}', '$.args[1]: “in” takes a list'],
  ['{"op":"=","args":[{"property":1},2]}', '$.args[0].property'],
  ['{"op":"t_after","args":[{"property":"a"},{"date":"5.5.2020"}]}', '$.args[1].date: write it as in "2024-05-31"'],
  ['{"op":"t_after","args":[{"property":"a"},{"interval":["2020-01-01","soon"]}]}', '$.args[1].interval[1]'],
  ['{"op":"s_within","args":[{"property":"g"},{"type":"Polygon","coordinates":[[[0,0],[1,1],[0,1]]]}]}', '$.args[1]: a ring is not closed'],
  ['{"op":"s_within","args":[{"property":"g"},{"bbox":[1,2,3]}]}', '$.args[1].bbox'],
  ['null', '$: null is not an expression'],
])('%s is refused with its place', (text, message) => {
  expect(() => parseFilterJson(text)).toThrow(message);
});

test('nesting of 1,000 levels is an error, not a crash', () => {
  let deep: unknown = true;
  for (let i = 0; i < 1000; i++) deep = { op: 'not', args: [deep] };
  expect(isExpr(deep)).toBe(false);
  expect(() => parseFilterJson(JSON.stringify(deep))).toThrow('nested more than');
});
