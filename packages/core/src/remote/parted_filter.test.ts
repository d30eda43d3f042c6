import fc from 'fast-check';
import type { ColumnType } from '../features/column.ts';
import type { Box } from '../features/geometry.ts';
import { has } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { parseFilter } from '../filters/parser.ts';
import { printFilter } from '../filters/printer.ts';
import { Sifter } from '../sifting/sifter.ts';
import type { Declared } from './declared.ts';
import { partFilter } from './parted_filter.ts';

const COLUMNS: [string, ColumnType][] = [
  ['kind', 'text'],
  ['severity', 'number'],
  ['open', 'boolean'],
  ['day', 'date'],
  ['at', 'datetime'],
];
const EVERYTHING: Declared = {
  columns: new Map(COLUMNS),
  wholes: new Set(['severity']),
  geometry: 'geom',
  filter: { language: 'cql2-text', advanced: true, boxes: true },
  values: true,
  time: 'at',
  projected: false,
};
const CORE: Declared = { ...EVERYTHING, geometry: null, filter: null, values: false };

function parted(text: string, declared: Declared = EVERYTHING) {
  const { asked, here, conditions } = partFilter(parseFilter(text).expr, declared);
  return {
    filter: asked.filter === null ? null : printFilter(asked.filter),
    ...(asked.bbox ? { bbox: asked.bbox } : {}),
    ...(asked.datetime ? { datetime: asked.datetime } : {}),
    ...(asked.values.length > 0 ? { values: asked.values } : {}),
    here: here === null ? null : printFilter(here),
    by: conditions.map(({ by }) => by).join(' '),
  };
}

describe('where the conditions of a filter are decided', () => {
  test('what means the same there is decided there', () => {
    const filter = 'severity >= 3 AND severity IN (3, 5) AND NOT (open = TRUE OR kind IS NULL)';
    expect(parted(filter)).toEqual({ filter, here: null, by: 'there there there' });
  });
  test('texts are asked for by what they are, and decided here once more: not everyone tells capitals from small letters', () => {
    expect(parted("kind = 'tree' AND kind IN ('tree', 'roof') AND kind LIKE 't%'")).toEqual({
      filter: "kind = 'tree' AND kind IN ('tree', 'roof') AND kind LIKE 't%'",
      here: "kind = 'tree' AND kind IN ('tree', 'roof') AND kind LIKE 't%'",
      by: 'both both both',
    });
    expect(parted("kind <> 'tree' AND NOT kind = 'roof' AND NOT kind LIKE 't%'").by).toBe('here here here');
  });
  test('a place of the workspace is asked for by the box in which it lies, where that is known', () => {
    const places = new Map<string, Box>([
      ['SOURCE zones', [1, 2, 3, 4]],
      ['SIEVE far', [170, 0, 190, 1]],
    ]);
    const declared: Declared = { ...EVERYTHING, places };
    const within = "S_WITHIN(geometry, SOURCE('zones'))";
    expect(parted(within, declared)).toEqual({ filter: null, bbox: [1, 2, 3, 4], here: within, by: 'both' });
    for (const [text, by] of [
      ["S_DWITHIN(geometry, SOURCE('zones'), 5, 'km') AND severity > 2", 'both there'],
      ["NOT S_WITHIN(geometry, SOURCE('zones'))", 'here'],
      ["S_DISJOINT(geometry, SOURCE('zones'))", 'here'],
      ["S_INTERSECTS(geometry, SOURCE('other'))", 'here'],
      // It goes on beyond 180°.
      ["S_INTERSECTS(geometry, SIEVE('far'))", 'here'],
    ] as const)
      expect([text, parted(text, declared).by]).toEqual([text, by]);
    expect(parted(within).by).toBe('here');
  });
  test('numbers that are not known to be whole are asked for with room for single precision', () => {
    const { filter, by } = parted('severity >= 0.1 AND severity = -8 AND severity IN (1, 2) AND severity <> 3', {
      ...EVERYTHING,
      wholes: new Set(),
    });
    expect(by).toBe('both both both here');
    const [, low] = /^severity >= (\S+) AND/.exec(filter!)!;
    // 0.1 in single precision (IEEE 754) is 0.100000001490116…, what is told of it is 0.1.
    expect(Number(low)).toBeLessThan(0.1 - (Math.fround(0.1) - 0.1));
    expect(Number(low)).toBeGreaterThan(0.0999999);
  });
  test('texts in an order, other cases and accents, and several columns are decided here', () => {
    expect(parted("kind < 'm' AND CASEI(kind) = CASEI('TREE') AND severity > LENGTH AND severity * 2 > 3").by).toBe('here here here here');
  });
  test('what is not among the queryables, or of another type there, is decided here', () => {
    const declared = { ...EVERYTHING, columns: new Map<string, ColumnType>([['severity', 'text']]) };
    expect(parted("severity > 3 AND kind = 'tree'", declared)).toEqual({
      filter: null,
      here: "severity > 3 AND kind = 'tree'",
      by: 'here here',
    });
  });
  test('BETWEEN, IN and LIKE are asked for only where they are declared', () => {
    const declared: Declared = { ...EVERYTHING, filter: { language: 'cql2-text', advanced: false, boxes: true } };
    expect(parted("severity BETWEEN 1 AND 3 AND kind LIKE 't%' AND severity = 2", declared).by).toBe('here here there');
  });
  test('times are asked for a little wider, and decided here', () => {
    expect(parted("day >= DATE('2026-11-01') AND at < TIMESTAMP('2026-11-02T10:00:00Z')")).toEqual({
      filter: "day >= DATE('2026-11-01') AND at <= TIMESTAMP('2026-11-02T10:00:00.002Z')",
      here: "day >= DATE('2026-11-01') AND at < TIMESTAMP('2026-11-02T10:00:00Z')",
      by: 'both both',
    });
    expect(parted("NOT day >= DATE('2026-11-01')").by).toBe('here');
  });
  test('a box is a box; a radius is a box there and a radius here', () => {
    expect(parted('S_INTERSECTS(geometry, BBOX(1, 2, 3, 4)) AND S_WITHIN(geometry, POLYGON((0 0, 9 0, 9 9, 0 0)))')).toEqual({
      filter: 'S_INTERSECTS(geom, BBOX(0, 0, 9, 9))',
      bbox: [1, 2, 3, 4],
      here: 'S_WITHIN(geometry, POLYGON((0 0, 9 0, 9 9, 0 0)))',
      by: 'there both',
    });
    const { bbox, by } = parted("S_DWITHIN(geometry, POINT(-12 46), 1, 'km')", CORE);
    expect(by).toBe('both');
    // 1 km is 0.0090° of latitude there, and 0.0129° of longitude (WGS 84).
    expect(bbox!.map((value) => value.toFixed(3))).toEqual(['-12.013', '45.991', '-11.987', '46.009']);
  });
  test('where shapes are kept on a plane, a box has room for its edges to bend, and none is asked for half of the earth', () => {
    const { bbox, by } = parted('S_INTERSECTS(geometry, BBOX(0, 40, 10, 50))', { ...CORE, projected: true });
    expect(by).toBe('both');
    expect(bbox![1]).toBeLessThan(39.8);
    expect(parted('S_INTERSECTS(geometry, BBOX(-100, 0, 100, 50))', { ...CORE, projected: true }).by).toBe('here');
  });
  test('without filters, the parameters of the standard are used', () => {
    const filter = "kind = 'tree' AND severity = 2 AND at > TIMESTAMP('2026-11-01T00:00:00Z') AND at < TIMESTAMP('2026-12-01T00:00:00Z')";
    expect(parted(filter, { ...CORE, values: true })).toEqual({
      filter: null,
      datetime: '2026-11-01T00:00:00Z/2026-12-01T00:00:00.001Z',
      values: [
        ['kind', 'tree'],
        ['severity', '2'],
      ],
      here: "kind = 'tree' AND at > TIMESTAMP('2026-11-01T00:00:00Z') AND at < TIMESTAMP('2026-12-01T00:00:00Z')",
      by: 'both there both both',
    });
    expect(parted(filter, CORE).by).toBe('here here both both');
  });
  test('two values of one column are not both asked for, and what is called as a parameter not at all', () => {
    const columns = new Map<string, ColumnType>([
      ['kind', 'text'],
      ['limit', 'number'],
    ]);
    expect(parted("kind = 'a' AND kind = 'b' AND \"limit\" = 5", { ...CORE, columns, values: true })).toMatchObject({
      values: [['kind', 'a']],
      by: 'both here here',
    });
  });
  test('either this or that is asked for as far as both can be', () => {
    expect(parted("severity = 1 OR day = DATE('2026-11-01')").by).toBe('both');
    expect(parted("severity = 1 OR kind < 'm'").by).toBe('here');
  });
  test('which are nearest hangs on all: nothing is left out there', () => {
    expect(parted('severity = 1 AND S_NEAREST(geometry, POINT(1 2), 3)')).toEqual({
      filter: null,
      here: 'severity = 1 AND S_NEAREST(geometry, POINT(1 2), 3)',
      by: 'here here',
    });
  });
  test('without a filter, all is asked for', () => {
    expect(partFilter(null, EVERYTHING)).toEqual({
      asked: { filter: null, bbox: null, datetime: null, values: [] },
      there: null,
      here: null,
      conditions: [],
    });
  });
});

test('what lies at 180° lies at −180° too, and is asked for there; what has no end is not asked for at all', () => {
  const { filter, bbox, by } = parted('S_INTERSECTS(geometry, POLYGON((176 -2, 180 -2, 180 2, 176 2, 176 -2)))');
  expect([filter, bbox, by]).toEqual([
    'S_INTERSECTS(geom, BBOX(176, -2, 180, 2)) OR S_INTERSECTS(geom, BBOX(-180, -2, -179.999999999, 2))',
    ...[undefined, 'both'],
  ]);
  expect(parted('S_INTERSECTS(geometry, BBOX(-180, -2, -176, 2))').filter).toContain('BBOX(179.999999999, -2, 180, 2)');
  const open = partFilter(parseFilter("T_BEFORE(day, INTERVAL('..', DATE('2024-01-01')))").expr, { ...EVERYTHING, time: null });
  expect([open.there, open.conditions[0].by]).toEqual([null, 'here']);
});

test('the box that is asked for holds every point within the distance', () => {
  const lon = fc.double({ min: -180, max: 180, noNaN: true });
  const lat = fc.double({ min: -90, max: 90, noNaN: true });
  fc.assert(
    fc.property(
      lon,
      lat,
      fc.array(fc.tuple(lon, lat), { minLength: 1, maxLength: 40 }),
      fc.integer({ min: 0, max: 8_000_000 }),
      (x, y, points, metres) => {
        const builder = new TableBuilder();
        for (const [i, coordinates] of points.entries())
          // Some are close by.
          builder.addFeature(
            { type: 'Point', coordinates: i % 2 === 0 ? coordinates : [x, Math.max(-90, Math.min(90, y + i / 50))] },
            null,
          );
        const sifter = new Sifter(builder.finish(), 0);
        const expr = parseFilter(`S_DWITHIN(geometry, POINT(${x.toFixed(9)} ${y.toFixed(9)}), ${metres})`).expr;
        const { there } = partFilter(expr, { ...EVERYTHING, geometry: 'geometry' });
        const [asked, within] = [there === null ? null : sifter.verdict(there).yes, sifter.verdict(expr).yes];
        for (let row = 0; row < points.length; row++) expect(has(within, row) && asked !== null && !has(asked, row)).toBe(false);
      },
    ),
    { numRuns: 200 },
  );
});
