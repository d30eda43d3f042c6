import { parseFilter } from '../filters/parser.ts';
import { quotedName } from '../sql_name.ts';
import { sqlOf, type SqlColumn, type SqlTable } from './sql.ts';

const column = (name: string, type: SqlColumn['type'], more: Partial<SqlColumn> = {}): [string, SqlColumn] => [
  name,
  { type, raw: `"${name}"`, value: `"${name}"`, whole: false, indexed: false, ...more },
];
const TABLE: SqlTable = {
  columns: new Map([
    column('n', 'number', { whole: true }),
    column('x', 'number'),
    column('t', 'text', { indexed: true }),
    column('u', 'text'),
    column('b', 'boolean'),
    column('d', 'date'),
    column('m', 'datetime'),
  ]),
  meets: ([west, , , north], value) => `meets(${value(west)}, ${value(north)})`,
};
const sql = (filter: string) => sqlOf(parseFilter(filter).expr, TABLE);

test.each<[string, string, unknown[]]>([
  ['n >= 4', '("n" >= $1::int8)', [4]],
  ['n < 2.5', '("n"::float8 < $1::float8)', [2.5]],
  ['n IN (1, 2)', '("n" = any($1::int8[]))', [[1, 2]]],
  ['x BETWEEN 1 AND 2', '("x" between $1::float8 and $2::float8)', [1, 2]],
  ["t = 'oak'", '("t" = $1::text and "t" collate "C" = $1::text)', ['oak']],
  ["u < 'oak'", '("u" collate "C" < $1::text)', ['oak']],
  ["t LIKE 'a%\\'", '("t" collate "C" like $1::text)', ['a%\\\\']],
  ["t LIKE 'a\\\\'", '("t" collate "C" like $1::text)', ['a\\\\']],
  ['b = true', '("b" = $1::boolean)', [true]],
  ["d >= DATE('2024-02-29')", '("d" >= $1::date)', ['2024-02-29']],
  ["m < TIMESTAMP('2024-02-29T00:00:00Z')", '("m" < $1::timestamptz)', ['2024-02-29T00:00:00Z']],
  ['t IS NULL', '("t" is null)', []],
  ['NOT (n = 1 OR x > 2)', '(not (("n" = $1::int8) or ("x" > $2::float8)))', [1, 2]],
  ['n = 1 AND S_INTERSECTS(geometry, BBOX(1, 2, 3, 4))', '(("n" = $1::int8) and meets($2::float8, $3::float8))', [1, 1, 4]],
])('%s is %s', (filter, text, values) => expect(sql(filter)).toEqual({ text, values }));

test('what a value holds stands in no text, and a name is quoted whatever it holds', () => {
  const { text, values } = sql(`t = 'x'' or true; drop table trees; --'`);
  expect(text).not.toContain('drop');
  expect(values).toEqual(["x' or true; drop table trees; --"]);
  expect(quotedName('a"; drop table trees; --')).toBe('"a""; drop table trees; --"');
});

test.each(["CASEI(t) = 'oak'", 'n = x', 'n + 1 = 2', 'YEAR(d) = 2024'])('%s is none of what is asked, and no SQL', (filter) =>
  expect(() => sql(filter)).toThrow('No condition in SQL'),
);
