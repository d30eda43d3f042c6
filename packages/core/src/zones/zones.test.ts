import fc from 'fast-check';
import { valueAt, type Value } from '../features/column.ts';
import { maskOf } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { Geos } from '../geos/geos.ts';
import { geodesicArea } from '../space/measure_geometry.ts';
import { figureInWords } from './figure_words.ts';
import { accountOf, membershipOf } from './membership.ts';
import { zoneFigure, zoneFigureType, type ZoneFigure } from './zone_figures.ts';

const geos = await Geos.open();
type Point = [number, number];

function points(places: readonly Point[], values: readonly (Record<string, unknown> | null)[] = []): FeatureTable {
  const builder = new TableBuilder();
  for (const name of ['v', 'w', 's', 'd']) builder.column(name);
  places.forEach((coordinates, i) => builder.addFeature({ type: 'Point', coordinates }, values[i] ?? null));
  return builder.finish();
}
const square = ([x, y]: Point, size: number) => ({
  type: 'Polygon' as const,
  coordinates: [
    [
      [x, y],
      [x + size, y],
      [x + size, y + size],
      [x, y + size],
      [x, y],
    ],
  ],
});
function zonesAt(corners: readonly Point[], size: number): FeatureTable {
  const builder = new TableBuilder();
  corners.forEach((corner, n) => builder.addFeature(square(corner, size), { n }));
  return builder.finish();
}
const PLAIN: ZoneFigure = { kind: 'count', column: null, weight: null, unit: null, several: 'each' };
function figureOf(features: FeatureTable, zones: FeatureTable, figure: Partial<ZoneFigure>, kept: number[] | null = null): Value[] {
  const membership = membershipOf(features, zones, geos);
  const mask = kept && maskOf(kept, features.rows);
  const column = zoneFigure(features, membership, mask, { ...PLAIN, ...figure }, 'made');
  return Array.from({ length: zones.rows }, (_, row) => valueAt(column, row));
}

test('points on a common edge are in both zones, and every feature is accounted for', () => {
  const zones = zonesAt(
    [
      [0, 0],
      [1, 0],
      [5, 5],
    ],
    1,
  );
  const builder = new TableBuilder();
  for (const coordinates of [
    [0.5, 0.5],
    [1, 0.5],
    [1.5, 0.2],
    [9, 9],
    [0, 0],
  ])
    builder.addFeature({ type: 'Point', coordinates }, null);
  builder.addFeature(null, null);
  const features = builder.finish();
  const membership = membershipOf(features, zones, null);
  expect(accountOf(membership, null)).toEqual({ features: 6, inside: 4, outside: 1, several: 1, unplaced: 1, empty: 1 });
  expect(accountOf(membership, (row) => row === 3)).toEqual({ features: 1, inside: 0, outside: 1, several: 0, unplaced: 0, empty: 3 });
  expect(figureOf(features, zones, {})).toEqual([3, 2, 0]);
  expect(figureOf(features, zones, { several: 'first' })).toEqual([3, 1, 0]);
  expect(figureOf(features, zones, { several: 'part' })).toEqual([2.5, 1.5, 0]);
  expect(figureOf(features, zones, { kind: 'share' }, [0, 2])).toEqual([1 / 3, 0.5, null]);
});

test('figures of numbers, times and texts; what is blank is left out, and of nothing there is a sum but no mean', () => {
  const zones = zonesAt(
    [
      [0, 0],
      [2, 0],
      [4, 0],
    ],
    1,
  );
  const features = points(
    [
      [0.1, 0.1],
      [0.2, 0.2],
      [0.3, 0.3],
      [0.4, 0.4],
      [2.5, 0.5],
      [9, 9],
    ],
    [
      { v: 1, w: 1, s: 'a', d: '2024-05-01' },
      { v: 3, w: 3, s: 'b', d: '2020-01-31' },
      { v: 8, w: null, s: 'a', d: null },
      { v: null, w: 5, s: '', d: null },
      { v: 5, w: 0, s: null, d: null },
      { v: 99, w: 9, s: 'z', d: '2030-01-01' },
    ],
  );
  const of = (kind: ZoneFigure['kind'], column: string | null = 'v', more: Partial<ZoneFigure> = {}) =>
    figureOf(features, zones, { kind, column, ...more });
  expect(of('sum')).toEqual([12, 5, 0]);
  expect(of('mean')).toEqual([4, 5, null]);
  expect(of('median')).toEqual([3, 5, null]);
  expect(of('min')).toEqual([1, 5, null]);
  expect(of('max')).toEqual([8, 5, null]);
  expect(of('max', 'd')).toEqual(['2024-05-01', null, null]);
  // NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.5.6: the standard deviation of a sample.
  expect(of('deviation')).toEqual([Math.sqrt(((1 - 4) ** 2 + (3 - 4) ** 2 + (8 - 4) ** 2) / 2), null, null]);
  expect(of('distinct', 's')).toEqual([2, 0, 0]);
  expect(of('mean', 'v', { weight: 'w' })).toEqual([(1 * 1 + 3 * 3) / 4, null, null]);
  expect(of('sum', 'v', { weight: 'w' })).toEqual([10, 0, 0]);
});

test('areas and lengths inside are cut in proportion, and add up to the whole', () => {
  const builder = new TableBuilder();
  builder.addFeature(square([0.5, 0], 1), null);
  const line = [0, 4].map((x) => [x, 0.5]);
  builder.addFeature({ type: 'LineString', coordinates: line }, null);
  const features = builder.finish();
  const zones = zonesAt(
    [
      [0, 0],
      [1, 0],
    ],
    1,
  );
  const [left, right] = figureOf(features, zones, { kind: 'area', unit: 'km2' }) as number[];
  const whole = geodesicArea(square([0.5, 0], 1).coordinates[0].slice(0, -1)) / 1e6;
  expect(left).toBeCloseTo(whole / 2, 6);
  expect(left + right).toBeCloseTo(whole, 6);
  const lengths = figureOf(features, zones, { kind: 'length', unit: 'km' }) as number[];
  // A degree of the parallel at 0.5° by the formula of the ellipsoid: 111.3195 km · cos φ / √(1 − e² sin² φ); the line is a geodesic, 4° long.
  expect(lengths[0]).toBeCloseTo(111.3155, 2);
  expect(lengths[1]).toBeCloseTo(lengths[0], 6);
  const [first, second] = figureOf(features, zones, { several: 'part' }) as number[];
  expect(first).toBeCloseTo(0.5 + 0.25, 9);
  expect(second).toBeCloseTo(0.5 + 0.25, 9);
  // Where zones lie over one another, no part counts twice.
  const over = zonesAt(
    [
      [0, 0],
      [0.5, 0],
    ],
    1,
  );
  const [a, b] = figureOf(features, over, { several: 'part' }) as number[];
  expect(a + b).toBeCloseTo(1 + 0.5, 9);
});

test.each([
  [{ kind: 'sum' }, 'Of which column the sum is, is not said'],
  [{ kind: 'sum', column: 'x' }, 'There is no column x to sum up'],
  [{ kind: 'mean', column: 's' }, 's holds no numbers'],
  [{ kind: 'max', column: 's' }, 's holds no numbers or times'],
  [{ kind: 'area', unit: 'km' }, 'km is no unit of area'],
  [{ kind: 'length' }, 'No unit is no unit of length'],
  [{ kind: 'area', unit: 'toString' }, 'toString is no unit of area'],
  [{ kind: 'median', column: 'v', weight: 'w' }, 'A median is not weighted'],
  [{ kind: 'mean', column: 'v', weight: 's' }, 's holds no numbers to weigh by'],
  [{ kind: 'median', column: 'v', several: 'part' }, 'A median cannot be taken in parts'],
] as [Partial<ZoneFigure>, string][])('%j is refused', (figure, message) => {
  const { columns } = points([[0, 0]], [{ v: 1, w: 1, s: 'a', d: '2020-01-01' }]);
  expect(() => zoneFigureType(columns, { ...PLAIN, ...figure })).toThrow(message);
});

test('zones without polygons are refused', () => {
  const none = points([[0, 0]]);
  expect(() => membershipOf(none, none, null)).toThrow('The zones have no polygons');
});

test('counts and sums are those of a plain search, and totals add up however zones overlap', () => {
  // Eighths, so that edges are met and sums are the same in any order.
  const eighth = fc.integer({ min: 0, max: 40 }).map((n) => n / 8);
  const place = fc.tuple(eighth, eighth);
  const number = fc.option(fc.integer({ min: -40, max: 40 }).map((n) => n / 4));
  fc.assert(
    fc.property(
      fc.array(fc.record({ place, v: number, kept: fc.boolean() }), { minLength: 1, maxLength: 65 }),
      fc.array(place, { minLength: 1, maxLength: 7 }),
      fc.constantFrom(1, 1.5),
      (rows, corners, size) => {
        // One far off, so that there is a number.
        const features = points([...rows.map((row) => row.place), [90, 80]], [...rows.map(({ v }) => ({ v })), { v: 1 }]);
        const zones = zonesAt(corners, size);
        const kept = rows.flatMap((row, i) => (row.kept ? [i] : []));
        const lies = ([x, y]: Point, [left, low]: Point) => x >= left && x <= left + size && y >= low && y <= low + size;
        const inZone = corners.map((corner) => kept.filter((i) => lies(rows[i].place, corner)));
        expect(figureOf(features, zones, {}, kept)).toEqual(inZone.map((own) => own.length));
        const sums = inZone.map((own) => own.reduce((sum, i) => sum + (rows[i].v ?? 0), 0));
        expect(figureOf(features, zones, { kind: 'sum', column: 'v' }, kept)).toEqual(sums.map((sum) => sum + 0));
        const account = accountOf(membershipOf(features, zones, null), (row) => rows[row]?.kept ?? false);
        expect(account.inside + account.outside + account.unplaced).toBe(kept.length);
        const total = (values: Value[]) => (values as number[]).reduce((sum, value) => sum + value, 0);
        expect(total(figureOf(features, zones, { several: 'first' }, kept))).toBe(account.inside);
        expect(total(figureOf(features, zones, { several: 'part' }, kept))).toBeCloseTo(account.inside, 9);
        expect(total(figureOf(features, zones, {}, kept)) > account.inside).toBe(account.several > 0);
      },
    ),
    { numRuns: 120 },
  );
});

test.each([
  [{}, 'number of Trees in each zone'],
  [{ kind: 'mean', column: 'girth', weight: 'height' }, 'mean of girth of Trees in each zone, weighted by height'],
  [{ kind: 'share', several: 'first' }, 'share of Trees among all features in each zone; what lies in several zones counts in the first'],
  [{ kind: 'area', unit: 'ha' }, 'area of Trees inside, in ha, cut in proportion, in each zone'],
] as [Partial<ZoneFigure>, string][])('%j in words', (figure, words) => {
  expect(figureInWords({ ...PLAIN, ...figure }, 'Trees')).toBe(words);
});
