import { TableBuilder } from '../features/table_builder.ts';
import { count } from '../features/mask.ts';
import { Sifter } from '../sifting/sifter.ts';
import { checkFilter } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { parseFilterJson } from '../filters/valid_expr.ts';
import { readFileSync } from 'node:fs';
import type { ColumnSchema } from '../features/column.ts';
import { isCall } from '../filters/ast.ts';
import { printFilter } from '../filters/printer.ts';
import { exprInProse } from '../filters/prose.ts';
import { canonicalOp, FUNCTIONS, isTruth, operatorNamed } from './operator_registry.ts';

const builder = new TableBuilder();
for (let i = 0; i < 33; i++) builder.addFeature({ type: 'Point', coordinates: [i / 1000, 0] }, { n: i });
const table = builder.finish();
const kept = (json: string) => {
  const expr = parseFilterJson(json);
  checkFilter(expr, table.columns, { areas: new Map([['Here', { type: 'Point', coordinates: [0, 0] }]]) });
  const sifter = new Sifter(table, 0);
  sifter.areas = new Map([['Here', { type: 'Point', coordinates: [0, 0] }]]);
  return count(sifter.verdict(expr).yes);
};

test.each([
  ['{"op":"s_intersects","args":[{"property":"geometry"},{"op":"BUFFER","args":[{"type":"Point","coordinates":[0,0]},1,"km"]}]}', 9],
  ['{"op":"s_intersects","args":[{"property":"geometry"},{"op":"area","args":["Here"]}]}', 1],
  ['{"op":"s_dwithin","args":[{"property":"geometry"},{"op":"AREA","args":["Here"]},1,"km"]}', 9],
  [
    '{"op":"AND","args":[{"op":"BETWEEN","args":[{"property":"n"},1,5]},{"op":"could_be","args":[{"op":">","args":[{"property":"n"},3]}]}]}',
    2,
  ],
])('JSON means the same in capitals and without: %s', (json, expected) => {
  for (const spelled of [
    json,
    json.replaceAll(/"op":"(\w+)"/g, (_, op: string) => `"op":"${op.toLowerCase()}"`),
    json.replaceAll(/"op":"(\w+)"/g, (_, op: string) => `"op":"${op.toUpperCase()}"`),
  ])
    expect(kept(spelled)).toBe(expected);
});

test.each(['toString', 'constructor', '__proto__', 'OPERAND'])('%s is no function', (op) => {
  const json = `{"op":${JSON.stringify(op)},"args":[1,2]}`;
  expect(() => kept(json)).toThrow('There is no function');
  expect(() => kept(`{"op":"=","args":[${json},1]}`)).toThrow('There is no function');
});

test('every function has one spelling behind the border, in the text too', () => {
  for (const { name } of FUNCTIONS) expect(canonicalOp(name.toLowerCase())).toBe(canonicalOp(name));
  expect(parseFilter("s_dwithin(geometry, area('Here'), 1, 'km')").expr).toEqual(
    parseFilter("S_DWITHIN(geometry, AREA('Here'), 1, 'km')").expr,
  );
});

test.each([
  ['S_INTERSECTS(geometry, BBOX(10, 0, 5, 1))', true, 'The west of the BBOX is east of its east'],
  ['S_INTERSECTS(BBOX(0, 5, 1, 2), geometry)', true, 'The south of the BBOX is north of its north'],
  ['S_INTERSECTS(geometry, BBOX(0, 5, 0, 1, 2, 9))', false, 'The south of the BBOX is north of its north'],
  ['S_INTERSECTS(geometry, BBOX(0, 0, 9, 1, 2, 5))', false, 'The lowest height of the BBOX'],
])('a box with its corners exchanged is refused: %s', (text, projected, message) => {
  expect(() => checkFilter(parseFilter(text), table.columns, { projected })).toThrow(message);
});

test('a box whose west is east of its east crosses the 180th meridian in longitude and latitude', () => {
  expect(() => checkFilter(parseFilter('S_INTERSECTS(geometry, BBOX(170, 0, -170, 1))'), table.columns)).not.toThrow();
});

const sources: ColumnSchema[] = [
  { name: 'column', type: 'text' },
  { name: 'other_column', type: 'date' },
];
const dated: ColumnSchema[] = [
  { name: 'column', type: 'datetime' },
  { name: 'other_column', type: 'date' },
];
const HERE = { type: 'Point' as const, coordinates: [0, 0] };
const options = {
  areas: new Map(['name', 'one', 'other'].map((name) => [name, HERE])),
  operands: { sources: ['name'], sieves: ['name'] },
};
/** The usage with what stands for something in it written out. */
const writtenOut = (usage: string) =>
  usage
    .replace('POLYGON((…))', 'POLYGON((0 0, 1 0, 1 1, 0 0))')
    .replace('LINESTRING(…)', 'LINESTRING(0 0, 1 1)')
    .replace('POINT(…)', 'POINT(0 0)')
    .replace('lon lat', '0 0');

test.each(FUNCTIONS.map(({ name, usage }) => [name, usage] as const))(
  'the usage of %s can be read, checked, told in a sentence, printed, and read again',
  (name, usage) => {
    const expr = parseFilter(writtenOut(usage)).expr;
    const columns = operatorNamed(canonicalOp(name))!.help.dated ? dated : sources;
    if (isCall(expr) && isTruth(expr)) expect(() => checkFilter(expr, columns, options)).not.toThrow();
    expect(exprInProse(expr, { columns, asOf: 0 })).not.toMatch(/_|undefined|\bnull\b/);
    expect(parseFilter(printFilter(expr)).expr).toEqual(expr);
    expect(parseFilterJson(JSON.stringify(expr))).toEqual(expr);
  },
);

test('docs/FILTERS.md speaks of every function', () => {
  const text = readFileSync(new URL('../../../../docs/FILTERS.md', import.meta.url), 'utf8');
  expect(FUNCTIONS.map(({ name }) => name).filter((name) => !text.includes(name))).toEqual([]);
});
