import fc from 'fast-check';
import { valueAt, type Value } from '../features/column.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { withDerived, type JoinedDerivation } from '../derive/derivation.ts';
import { joinedColumn, SEVERAL_ROWS, type SeveralRows } from './joined_column.ts';
import { EXACTLY, LIKENESSES, type Likeness } from './keys.ts';
import { likelyPairs, likenessOffers, matchReport, matchTables } from './match.ts';

type Row = Record<string, unknown>;

function tableOf(rows: readonly Row[], columns = Object.keys(rows[0] ?? {})): FeatureTable {
  const builder = new TableBuilder();
  columns.forEach((name) => builder.column(name));
  for (const row of rows) builder.addFeature(null, row);
  return builder.finish();
}
const valuesOf = (table: FeatureTable, name: string): Value[] =>
  Array.from({ length: table.rows }, (_, row) => valueAt(columnNamed(table, name)!, row));
const joined = (own: FeatureTable, other: FeatureTable, of: string | null, several: SeveralRows, like: Likeness = EXACTLY): Value[] => {
  const match = matchTables(own, other, [{ own: 'k', other: 'k' }], like);
  const column = joinedColumn(match, of === null ? null : columnNamed(other, of)!, several, 'made');
  return Array.from({ length: own.rows }, (_, row) => valueAt(column, row));
};

test('values stand beside the rows of the same key; blank keys have no partner', () => {
  const own = tableOf([{ k: 'b' }, { k: 'a' }, { k: '' }, { k: null }, { k: 'c' }, { k: 'a' }]);
  const other = tableOf([
    { k: 'a', n: 1, s: 'x' },
    { k: 'b', n: 2, s: null },
    { k: '', n: 3, s: 'y' },
    { k: null, n: 4, s: 'z' },
  ]);
  expect(joined(own, other, 'n', 'refuse')).toEqual([2, 1, null, null, null, 1]);
  expect(joined(own, other, 's', 'refuse')).toEqual([null, 'x', null, null, null, 'x']);
  expect(joined(own, other, null, 'count')).toEqual([1, 1, null, null, 0, 1]);
});

test('several rows of one key are refused, or the first, the number, the sum and the ends of them are taken', () => {
  const own = tableOf([{ k: 'a' }, { k: 'b' }, { k: 'z' }]);
  const rows = [
    { k: 'a', n: 0.1, d: '2024-05-01' },
    { k: 'b', n: null, d: null },
    { k: 'a', n: 0.2, d: '2023-01-01' },
    { k: 'a', n: null, d: '2025-12-31' },
    { k: 'b', n: null, d: null },
  ];
  const other = tableOf(rows);
  expect(() => joined(own, other, 'n', 'refuse')).toThrow('3 rows of the table have the key a');
  expect(joined(own, other, 'n', 'first')).toEqual([0.1, null, null]);
  expect(joined(own, other, null, 'count')).toEqual([3, 2, 0]);
  expect(joined(own, other, 'n', 'sum')).toEqual([0.1 + 0.2, null, null]);
  expect(joined(own, other, 'n', 'mean')).toEqual([(0.1 + 0.2) / 2, null, null]);
  expect(joined(own, other, 'n', 'max')).toEqual([0.2, null, null]);
  expect(joined(own, other, 'd', 'min')).toEqual(['2023-01-01', null, null]);
  expect(() => joined(own, other, 'k', 'sum')).toThrow('k holds no numbers');
  // What nobody has asks for no decision.
  expect(joined(tableOf([{ k: 'z' }]), other, 'n', 'refuse')).toEqual([null]);
});

test('a number is the text that it is written as; a time is the instant that it is', () => {
  const own = tableOf([{ k: 142 }, { k: -0 }, { k: 1.5 }]);
  const other = tableOf([
    { k: '142', n: 1 },
    { k: '0142', n: 2 },
    { k: '0', n: 3 },
    { k: '1.50', n: 4 },
  ]);
  expect(joined(own, other, 'n', 'refuse')).toEqual([1, 3, null]);
  const at = (text: string) => tableOf([{ k: text, n: 1 }]);
  expect(joined(at('2024-05-01T12:00:00+02:00'), at('2024-05-01T10:00:00Z'), 'n', 'refuse')).toEqual([1]);
});

test('keys of several parts are not run together', () => {
  const own = tableOf([
    { a: 'ab', b: 'c' },
    { a: 'a', b: 'bc' },
    { a: 'a', b: null },
  ]);
  const other = tableOf([
    { x: 'a', y: 'bc', n: 1 },
    { x: 'a', y: null, n: 2 },
  ]);
  const pairs = [
    { own: 'a', other: 'x' },
    { own: 'b', other: 'y' },
  ];
  const column = joinedColumn(matchTables(own, other, pairs, EXACTLY), columnNamed(other, 'n')!, 'refuse', 'n');
  expect([0, 1, 2].map((row) => valueAt(column, row))).toEqual([null, 1, null]);
  // A key is told as it is written.
  const twice = tableOf([
    { x: 'a', y: 'bc', n: 1 },
    { x: 'a', y: 'bc', n: 2 },
  ]);
  const match = matchTables(own, twice, pairs, EXACTLY);
  expect(() => joinedColumn(match, columnNamed(twice, 'n')!, 'refuse', 'n')).toThrow('2 rows of the table have the key a, bc');
});

test('the report tells what matches, what does not on either side, what stands there twice, and what would help', () => {
  const own = tableOf(['0142', '142', 'Ash ', 'ash', 'Élan', '', 'x', 'x'].map((k) => ({ k })));
  const other = tableOf(['142', 'ASH', 'elan', 'spare', 'spare', null].map((k) => ({ k })));
  const pairs = [{ own: 'k', other: 'k' }];
  const report = matchReport(matchTables(own, other, pairs, EXACTLY));
  expect(report.own).toMatchObject({ rows: 8, matched: 1, blank: 1, without: 6 });
  expect(report.own.examples[0]).toEqual({ key: ['x'], rows: 2 });
  expect(report.other).toMatchObject({ rows: 6, used: 1, blank: 1, without: 4 });
  expect(report.several).toEqual({ keys: 1, rows: 2, own: 0, examples: [{ key: ['spare'], rows: 2 }] });
  expect(likenessOffers(own, other, pairs, EXACTLY)).toEqual([
    { like: 'case', matched: 1, several: 1 },
    { like: 'zeros', matched: 1, several: 1 },
  ]);
  const all = { spaces: true, case: true, accents: true, zeros: true };
  const loose = matchReport(matchTables(own, other, pairs, all));
  expect(loose.own).toMatchObject({ matched: 5, blank: 1, without: 2 });
  expect(likenessOffers(own, other, pairs, all)).toEqual([]);
});

test('columns that hold the same key are found, those of one name first', () => {
  const own = tableOf(Array.from({ length: 33 }, (_, n) => ({ id: `T${n}`, species: `${n % 5}`, n: n % 7 })));
  const other = tableOf(Array.from({ length: 5 }, (_, n) => ({ Species: `${n}`, meaning: `kind ${n}` })));
  expect(likelyPairs(own, other)[0]).toEqual({ own: 'species', other: 'Species' });
  expect(likelyPairs(own, tableOf([{ q: 'nothing' }]))).toEqual([]);
});

test('joined columns are derived in the order of what they are made of, and say why they are blank', () => {
  const own = tableOf([{ k: ' A' }, { k: 'b' }, { k: null }, { k: 'c' }]);
  const other = tableOf([
    { k: 'a', n: 10 },
    { k: 'c', n: null },
  ]);
  const plain: JoinedDerivation = {
    ...{ kind: 'joined', source: 7, table: 'Rates', pairs: [{ own: 'tidy', other: 'k' }], like: EXACTLY },
    ...{ column: 'n', several: 'refuse', of: '' },
  };
  const trim = { op: 'TRIM', args: [{ op: 'LOWER', args: [{ property: 'k' }] }] };
  const double = { op: '*', args: [{ property: 'rate' }, 2] };
  const { made, left } = withDerived(
    own,
    [
      { name: 'double', derivation: { kind: 'computed', expr: double, unit: null, asOf: null } },
      { name: 'rate', derivation: plain },
      { name: 'tidy', derivation: { kind: 'computed', expr: trim, unit: null, asOf: null } },
      { name: 'lost', derivation: { ...plain, source: 8 } },
      { name: 'gone', derivation: { ...plain, column: 'm' } },
    ],
    { asOf: 0, tables: new Map([[7, other]]) },
  );
  expect(made.map(({ name }) => name)).toEqual(['tidy', 'rate', 'double']);
  expect([0, 1, 2, 3].map((row) => valueAt(made[2].column, row))).toEqual([20, null, null, null]);
  expect(made[1].blanks.map(({ reason, rows }) => [reason, rows])).toEqual([
    ['it has no key', 1],
    ['its key is not in Rates', 1],
    ['it is blank in Rates', 1],
  ]);
  expect(left.map(({ name, problem }) => [name, problem])).toEqual([
    ['lost', 'The source Rates is not there'],
    ['gone', 'Rates has no column m'],
  ]);
});

/** Row against row, by the values as they are read. */
function plainly(own: Row[], other: Row[], several: SeveralRows, like: Likeness): Value[] | 'refused' {
  const key = (value: unknown): string | null => {
    if (value === null || value === undefined) return null;
    let text = typeof value === 'number' ? `${value === 0 ? 0 : value}` : (value as string);
    if (like.spaces) text = text.split(/\s+/).filter(Boolean).join(' ');
    if (like.case) text = text.toLowerCase();
    if (like.accents) text = text.replaceAll('é', 'e').replaceAll('É', 'E');
    if (like.zeros) while (/^0\d/.test(text)) text = text.slice(1);
    return text === '' ? null : text;
  };
  const out: Value[] = [];
  for (const row of own) {
    const mine = key(row.k);
    if (mine === null) {
      out.push(null);
      continue;
    }
    const rows = other.filter(({ k }) => key(k) === mine);
    const numbers = rows.flatMap(({ n }) => (n === null ? [] : [n as number])).sort((a, b) => a - b);
    const sum = numbers.length === 0 ? null : numbers.reduce((a, b) => a + b, 0);
    if (several === 'refuse' && rows.length > 1) return 'refused';
    if (several === 'count') out.push(rows.length);
    else if (several === 'refuse' || several === 'first') out.push((rows[0]?.n ?? null) as Value);
    else if (several === 'sum') out.push(sum);
    else if (several === 'mean') out.push(sum === null ? null : sum / numbers.length);
    else out.push((several === 'min' ? numbers[0] : numbers[numbers.length - 1]) ?? null);
  }
  return out;
}

test('a join is what comparing every row with every row gives', () => {
  const key = fc.oneof(
    fc.constantFrom('a', 'A', 'é', 'E', ' a', 'a  b', 'a b', '0', '00', '01', '1', '001', '', null),
    fc.nat(3),
    fc.constant(-0),
  );
  // Quarters, so that sums are the same in any order.
  const row = fc.record({ k: key, n: fc.option(fc.integer({ min: -40, max: 40 }).map((n) => n / 4)) });
  const like = fc.record({ spaces: fc.boolean(), case: fc.boolean(), accents: fc.boolean(), zeros: fc.boolean() });
  fc.assert(
    fc.property(
      fc.array(row, { minLength: 1, maxLength: 33 }),
      fc.array(row, { maxLength: 31 }),
      fc.constantFrom(...SEVERAL_ROWS),
      like,
      (own, other, several, alike) => {
        const asText = (rows: Row[]) => rows.map(({ k, n }) => ({ k: typeof k === 'number' ? String(k) : k, n }));
        const [mine, theirs] = [tableOf(asText(own), ['k', 'n']), tableOf([...asText(other), { k: 'never', n: 1 }], ['k', 'n'])];
        const expected = plainly(own, other, several, alike);
        const column = several === 'count' ? null : 'n';
        if (expected === 'refused') expect(() => joined(mine, theirs, column, several, alike)).toThrow('rows of the table');
        else expect(joined(mine, theirs, column, several, alike)).toEqual(expected);
        const { own: told, several: twice } = matchReport(matchTables(mine, theirs, [{ own: 'k', other: 'k' }], alike));
        expect(told.matched + told.blank + told.without).toBe(own.length);
        expect(twice.own > 0).toBe(plainly(own, other, 'refuse', alike) === 'refused');
      },
    ),
    { numRuns: 300 },
  );
});

test('rows beyond the first chunk are joined like the first', () => {
  const rows = 65_537 + 65_548;
  const own = tableOf(Array.from({ length: rows }, (_, n) => ({ k: n % 3 === 0 ? null : `k${n % 1009}` })));
  const other = tableOf(Array.from({ length: 1000 }, (_, n) => ({ k: `k${n}`, n, yes: n % 2 === 0, d: `20${10 + (n % 80)}-01-02` })));
  for (const of of ['n', 'yes', 'd', 'k']) {
    const made = joined(own, other, of, 'refuse');
    const values = valuesOf(other, of);
    expect(made.every((value, n) => value === (n % 3 === 0 || n % 1009 >= 1000 ? null : values[n % 1009]))).toBe(true);
  }
  const matched = Array.from({ length: rows }, (_, n) => n).filter((n) => n % 3 !== 0 && n % 1009 < 1000).length;
  for (const like of [EXACTLY, ...LIKENESSES.map((one) => ({ ...EXACTLY, [one]: true }))])
    expect(matchReport(matchTables(own, other, [{ own: 'k', other: 'k' }], like)).own.matched).toBe(matched);
});
