import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { call, isCall, isGeometry, isObject, type Expr } from './ast.ts';
import { anyFilter } from './any_filter.arbitrary.ts';
import { parseFilter } from './parser.ts';
import { printFilter } from './printer.ts';
import { parseFilterJson } from './valid_expr.ts';

// A second implementation of the standard (npm cql2-wasm, MIT), which also carries the standard's JSON schema.
interface Other {
  to_json: () => string;
  validate: () => void;
}
let other: { parseText: (text: string) => Other; parseJson: (text: string) => Other };

beforeAll(async () => {
  const require = createRequire(import.meta.url);
  const glue = (await import(require.resolve('cql2-wasm/cql2_wasm_bg.js'))) as Record<string, unknown>;
  const bytes = readFileSync(require.resolve('cql2-wasm/cql2_wasm_bg.wasm'));
  const { instance } = await WebAssembly.instantiate(bytes, { './cql2_wasm_bg.js': glue as WebAssembly.ModuleImports });
  (glue.__wbg_set_wasm as (exports: WebAssembly.Exports) => void)(instance.exports);
  (instance.exports.__wbindgen_start as () => void)();
  other = glue as unknown as typeof other;
});

/** The names of the standard's JSON schema that are not the text's in small letters. */
const CAMEL = ['t_finishedBy', 't_metBy', 't_overlappedBy', 't_startedBy', 'a_containedBy'];

/** The other implementation writes `-1` as `-1 * 1`, a box as a call, `a OR b OR c` in pairs, and names from text in small letters. */
function normal(expr: Expr): Expr {
  if (Array.isArray(expr)) return expr.map(normal);
  if (!isObject(expr)) return expr;
  if (!isCall(expr)) return 'interval' in expr ? { interval: expr.interval.map(normal) as [Expr, Expr] } : expr;
  if (expr.op === 'bbox') return { bbox: expr.args as number[] };
  const args = expr.args.map(normal);
  if (expr.op === '*' && args[0] === -1 && typeof args[1] === 'number') return -args[1];
  const op = CAMEL.find((name) => name.toLowerCase() === expr.op) ?? expr.op;
  if (op === 'or' || op === 'and') return { op, args: args.flatMap((arg) => (isCall(arg, op) ? arg.args : [arg])) };
  return { op, args };
}

// Examples of OGC 21-065r2, by requirements class; the spelling is from memory, the reading is the other implementation's.
const EXAMPLES: [string, string[]][] = [
  [
    'Basic CQL2',
    [
      "city='Toronto'",
      "name <> 'foo' AND value >= 10",
      "updated >= DATE('1999-11-05')",
      "updated < TIMESTAMP('2012-08-10T05:30:00Z')",
      'geophys:SURVEY_NAME IS NOT NULL',
      "swimming_pool = TRUE AND (floors > 5 OR material LIKE 'brick%')",
      'NOT (floors < 5) AND swimming_pool = true',
      "beamMode='ScanSAR Narrow' AND swathDirection='ascending' AND polarization='HH+VV+HV+VH'",
    ],
  ],
  [
    'Advanced Comparison Operators',
    [
      "name LIKE 'Smith%'",
      "name NOT LIKE 'foo%'",
      'depth BETWEEN 100.0 and 150.0',
      'value NOT BETWEEN 10 AND 20',
      "cityName IN ('Toronto','Frankfurt','Tokyo','New York')",
      'category NOT IN (1,2,3,4)',
      "owner LIKE 'mike\\_%'",
    ],
  ],
  ['Case-insensitive Comparison', ["CASEI(road_class) IN (CASEI('Οδος'),CASEI('Straße'))", "CASEI(name) LIKE CASEI('FOO%')"]],
  ['Accent-insensitive Comparison', ["ACCENTI(etat_vol) = ACCENTI('débárquér')", "ACCENTI(CASEI(name)) = ACCENTI(CASEI('Müller'))"]],
  ['Basic Spatial Functions', ['S_INTERSECTS(geometry,POINT(36.319836 32.288087))']],
  [
    'Basic Spatial Functions with additional Spatial Literals',
    [
      'S_INTERSECTS(geometry,BBOX(10,40,20,50))',
      'S_INTERSECTS(geometry,POLYGON((43.6 -79.8,43.6 -79.2,44.1 -79.2,44.1 -79.8,43.6 -79.8)))',
      'S_INTERSECTS(geometry,MULTIPOINT((7.02 49.92),(6.1 49.5)))',
      'S_INTERSECTS(geometry,GEOMETRYCOLLECTION(POINT(1.9 2),LINESTRING(1 1,2 3)))',
    ],
  ],
  [
    'Spatial Functions',
    [
      'S_CROSSES(road,LINESTRING(43.7286 -79.2986,43.7311 -79.2996,43.7323 -79.2972))',
      'S_DISJOINT(geometry,POINT(7 50)) AND S_TOUCHES(geometry,LINESTRING(6 49.5,7 50))',
      'S_WITHIN(location,POLYGON((-10.0 -10.0,10.0 -10.0,10.0 10.0,-10.0 -10.0)))',
      'S_OVERLAPS(geometry,POLYGON((7 50,8 50,8 51,7 50))) OR S_EQUALS(geometry,POINT(1 1)) OR S_CONTAINS(geometry,POINT(1 2))',
    ],
  ],
  [
    'Temporal Functions',
    [
      "T_INTERSECTS(event_time, INTERVAL('1969-07-16T05:32:00Z', '1969-07-24T16:50:35Z'))",
      "T_DURING(INTERVAL(starts_at, ends_at), INTERVAL('2005-01-10', '2010-02-10'))",
      "T_AFTER(updated_at,DATE('2010-02-10'))",
      "T_BEFORE(updated_at,DATE('2012-08-10'))",
      "T_CONTAINS(INTERVAL('2000-01-01T00:00:00Z','2005-01-10T01:01:01.393216Z'),INTERVAL('2005-01-10','2010-02-10'))",
      "T_DISJOINT(INTERVAL('..','2005-01-10T01:01:01.393216Z'),INTERVAL('2010-02-10','..'))",
      "T_EQUALS(updated_at,DATE('1851-04-29'))",
      "T_FINISHEDBY(INTERVAL(starts_at,ends_at),INTERVAL('1991-10-07','2010-02-10T05:29:20.073225Z'))",
      "T_FINISHES(INTERVAL(starts_at,ends_at),INTERVAL('1991-10-07','2010-02-10T05:29:20.073225Z'))",
      "T_MEETS(INTERVAL('2005-01-10','2010-02-10'),INTERVAL('2010-02-10','..'))",
      "T_METBY(INTERVAL('2010-02-10T05:29:20.073225Z','2010-10-07'),INTERVAL('1991-10-07','2010-02-10T05:29:20.073225Z'))",
      "T_OVERLAPPEDBY(INTERVAL('1991-10-07T08:21:06.393262Z','2010-02-10T05:29:20.073225Z'),INTERVAL('1991-10-07','1992-10-09'))",
      "T_OVERLAPS(INTERVAL(starts_at,ends_at),INTERVAL('1991-10-07','1992-10-09'))",
      "T_STARTEDBY(INTERVAL('1991-10-07T08:21:06.393262Z','2010-02-10T05:29:20.073225Z'),INTERVAL('1991-10-07','..'))",
      "T_STARTS(INTERVAL(starts_at,ends_at),INTERVAL('1991-10-07','..'))",
    ],
  ],
  [
    'Array Functions',
    [
      "A_CONTAINS(layer:ids, ('layers-ca','layers-us'))",
      "A_EQUALS(layer:ids, ('layers-ca','layers-us'))",
      "A_CONTAINEDBY(layer:ids, ('layers-ca','layers-us')) OR A_OVERLAPS(layer:ids, ('layers-ca','layers-us'))",
    ],
  ],
  ['Property-Property Comparisons', ['vehicle_height > bridge_clearance', 'depth BETWEEN low AND high']],
  ['Functions', ['avg(windSpeed) < 4', "within_range(a, 'x', 3) = TRUE"]],
  ['Arithmetic Expressions', ['vehicle_height > (bridge_clearance-1)', 'balance-150.0 > 0', 'a + b * 2 ^ 3 - c / 4 = 5 % 3 + 7 div 2']],
];

describe.each(EXAMPLES)('requirements class “%s”', (_name, examples) => {
  test.each(examples)('%s', (text) => {
    const { expr } = parseFilter(text);
    expect(expr).toEqual(normal(JSON.parse(other.parseText(text).to_json()) as Expr));
    expect(parseFilter(printFilter(expr)).expr).toEqual(expr);
    expect(parseFilterJson(JSON.stringify(expr))).toEqual(expr);
  });
});

/** A filter with plain names, texts and numbers: the other implementation refuses what it finds odd. */
function plain(expr: Expr): Expr {
  if (typeof expr === 'string') return /^[\d.:TZ-]+$/.test(expr) ? expr : `t${expr.replaceAll(/\W/g, '')}`;
  if (typeof expr === 'number') return Math.round(Math.max(-1e6, Math.min(1e6, expr))) + 0;
  if (Array.isArray(expr)) return expr.map(plain);
  if (!isObject(expr)) return expr;
  if ('property' in expr) return { property: expr.property === 'geometry' ? 'geometry' : 'p' };
  if ('interval' in expr) return { interval: expr.interval.map(plain) as [Expr, Expr] };
  if (isGeometry(expr))
    return JSON.parse(JSON.stringify(expr), (_, v: unknown) => (typeof v === 'number' ? Math.round(v * 1000) / 1000 + 0 : v)) as Expr;
  if (!isCall(expr)) return expr;
  // Left to the other tests: it takes powers from the left, knows DIV in small letters only, takes a list of one as a
  // value, and the AND of a BETWEEN for a joint.
  if (expr.op === 'CODEPOINTS') return 'text';
  if (expr.op === 'between') return plain(call('<', ...expr.args.slice(0, 2)));
  const args = expr.args.map(plain);
  const last = args[args.length - 1];
  if (Array.isArray(last) && last.length === 1) args[args.length - 1] = [...last, ...last];
  return { op: expr.op === '^' || expr.op === 'div' ? '+' : expr.op, args };
}

test('what is printed is read alike by another implementation', () => {
  fc.assert(
    fc.property(anyFilter.map(plain), (expr) => {
      const read = other.parseText(printFilter(expr));
      expect(normal(JSON.parse(read.to_json()) as Expr)).toEqual(normal(JSON.parse(JSON.stringify(expr)) as Expr));
    }),
    { numRuns: 100 },
  );
});

test('the JSON of a filter is valid by the standard’s own schema', () => {
  fc.assert(
    fc.property(anyFilter.map(plain), (expr) => other.parseJson(JSON.stringify(expr)).validate()),
    { numRuns: 20 },
  );
});

test('text to JSON to text keeps the meaning', () => {
  fc.assert(
    fc.property(anyFilter, (expr) => {
      const { expr: read } = parseFilter(printFilter(expr));
      expect(read).toEqual(expr);
      expect(printFilter(parseFilterJson(JSON.stringify(read)))).toBe(printFilter(JSON.parse(JSON.stringify(expr)) as Expr));
    }),
    { numRuns: 300 },
  );
});

test('1,000 levels of nesting are an error in the text, not a crash', () => {
  expect(() => parseFilter('('.repeat(1000) + 'a = 1' + ')'.repeat(1000))).toThrow('nested');
  expect(() => parseFilter(`${'NOT ('.repeat(1000)}a = 1${')'.repeat(1000)}`)).toThrow('nested');
});
