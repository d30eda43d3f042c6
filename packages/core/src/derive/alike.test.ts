import fc from 'fast-check';
import library from 'geographiclib-geodesic';
import { valueAt } from '../features/column.ts';
import type { FeatureTable } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { EXACTLY } from '../joins/keys.ts';
import { ALIKE_TELLS, alikeColumn, alikeGroups, type Alike } from './alike.ts';

type Place = [number, number] | null;
interface Row {
  place: Place;
  name: string | null;
  size: number | null;
}
function tableOf(rows: readonly Row[]): FeatureTable {
  const builder = new TableBuilder();
  builder.column('name');
  builder.column('size');
  for (const { place, name, size } of rows) builder.addFeature(place && { type: 'Point', coordinates: place }, { name, size });
  return builder.finish();
}
const alike = (about: Partial<Alike>): Alike => ({ columns: [], like: EXACTLY, blanks: false, within: null, ...about });
const valuesOf = (table: FeatureTable, about: Partial<Alike>) => {
  const groups = alikeGroups(table, alike(about), null);
  const columns = ALIKE_TELLS.map((tells) => alikeColumn(groups, tells, tells));
  return Array.from({ length: table.rows }, (_, row) => columns.map((column) => valueAt(column, row)));
};
const trees = tableOf([
  { place: [8, 47], name: 'Oak', size: 1 },
  { place: [8, 47], name: 'oak ', size: 1 },
  { place: [8.00001, 47], name: 'Oak', size: 2 },
  { place: [8.00002, 47], name: 'Oak', size: 1 },
  { place: null, name: null, size: 1 },
  { place: null, name: '', size: 1 },
]);

test('by columns: the same values, as they are written or more loosely, and blanks only where it is said', () => {
  expect(valuesOf(trees, { columns: ['name'] }).map(([group]) => group)).toEqual([1, null, 1, 1, null, null]);
  const like = { ...EXACTLY, case: true, spaces: true };
  expect(valuesOf(trees, { columns: ['name', 'size'], like }).map(([group]) => group)).toEqual([1, 1, null, 1, null, null]);
  expect(valuesOf(trees, { columns: ['name', 'size'], like, blanks: true })).toEqual([
    [1, 3, 1],
    [1, 3, 2],
    [null, 1, 1],
    [1, 3, 3],
    [2, 2, 1],
    [2, 2, 2],
  ]);
  expect(alikeGroups(trees, alike({ columns: ['name'] }), null).unknown).toBe(2);
});

test('by place: the same place, a distance, and by a third between two that are farther apart', () => {
  expect(valuesOf(trees, { within: 0 }).map(([group]) => group)).toEqual([1, 1, null, null, null, null]);
  // 0.00001° of longitude is 0.76 m at 47°.
  expect(valuesOf(trees, { within: 0.8 }).map(([group]) => group)).toEqual([1, 1, 1, 1, null, null]);
  expect(valuesOf(trees, { within: 0.8, columns: ['name'] }).map(([group]) => group)).toEqual([1, null, 1, 1, null, null]);
  expect(alikeGroups(trees, alike({ within: 1 }), null).unknown).toBe(2);
});

test('a group reaches over chunks', () => {
  const rows = 65_600;
  const far = tableOf(Array.from({ length: rows }, (_, i) => ({ place: [i % 300, Math.floor(i / 300) / 4], name: `${i}`, size: null })));
  expect(alikeGroups(far, alike({ within: 1 }), null).members).toEqual([]);
  const twice = tableOf(
    Array.from({ length: rows }, (_, i) => ({
      place: [(i % 300) / 2, Math.floor((i % (rows - 3)) / 300) / 4],
      name: `${i % (rows - 3)}`,
      size: null,
    })),
  );
  const pairs = [0, 1, 2].map((row) => [row, rows - 3 + row]);
  expect(alikeGroups(twice, alike({ columns: ['name'] }), null).members).toEqual(pairs);
});

test('what cannot be compared is refused', () => {
  expect(() => alikeGroups(trees, alike({}), null)).toThrow('Nothing says when features are duplicates');
  expect(() => alikeGroups(trees, alike({ columns: ['nothing'] }), null)).toThrow('There is no column nothing');
});

test('across the 180th meridian, lines and polygons by their nearest places', () => {
  const builder = new TableBuilder();
  builder.addFeature({ type: 'Point', coordinates: [179.99999, 10] }, {});
  builder.addFeature({ type: 'Point', coordinates: [-179.99999, 10] }, {});
  const line = (x: number) => ({
    type: 'LineString' as const,
    coordinates: [
      [x, 0],
      [x, 1],
    ],
  });
  builder.addFeature(line(5), {});
  builder.addFeature(line(5.001), {});
  builder.addFeature({ type: 'Point', coordinates: [5.0005, 0.5] }, {});
  const table = builder.finish();
  expect(valuesOf(table, { within: 3 }).map(([group]) => group)).toEqual([1, 1, null, null, null]);
  expect(valuesOf(table, { within: 60 }).map(([group]) => group)).toEqual([1, 1, 2, 2, 2]);
});

/** Compares every feature with every other, and gathers what hangs together by walking from one to the next. */
function plainGroups(rows: readonly Row[], { columns, within, blanks }: Alike): (number | null)[] {
  const geod = library.Geodesic.WGS84;
  const isBlank = (value: unknown) => value === null || value === '';
  const areAlike = (a: Row, b: Row): boolean => {
    for (const name of columns as ('name' | 'size')[]) {
      if (isBlank(a[name]) || isBlank(b[name])) {
        if (!blanks || isBlank(a[name]) !== isBlank(b[name])) return false;
      } else if (a[name] !== b[name]) return false;
    }
    if (within === null) return true;
    if (!a.place || !b.place) return false;
    return geod.Inverse(a.place[1], a.place[0], b.place[1], b.place[0]).s12 <= within;
  };
  const group: (number | null)[] = rows.map(() => null);
  let groups = 0;
  for (let from = 0; from < rows.length; from++) {
    if (group[from] !== null) continue;
    const seen = new Set([from]);
    for (const at of seen) for (let other = 0; other < rows.length; other++) if (areAlike(rows[at], rows[other])) seen.add(other);
    if (seen.size === 1) continue;
    groups++;
    for (const row of seen) group[row] = groups;
  }
  return group;
}

test('the same groups as by comparing every feature with every other, distances by another library', () => {
  const place = fc.option(fc.tuple(fc.integer({ min: -30, max: 30 }), fc.integer({ min: -30, max: 30 })), { freq: 8 });
  const row = fc.record({
    // Steps of 0.25 of a thousandth of a degree, some 20 to 28 m.
    place: place.map((at): Place => at && [at[0] * 0.00025 + 7, at[1] * 0.00025 + 46]),
    name: fc.constantFrom('a', 'b', '', null),
    size: fc.constantFrom(1, 2, null),
  });
  const about = fc
    .record({
      columns: fc.subarray(['name', 'size']),
      blanks: fc.boolean(),
      within: fc.option(fc.constantFrom(5, 30, 75)),
    })
    .filter(({ columns, within }) => columns.length > 0 || within !== null);
  fc.assert(
    fc.property(fc.array(row, { maxLength: 70 }), about, (rows, chosen) => {
      const told = valuesOf(tableOf(rows), chosen).map(([group]) => group);
      expect(told).toEqual(plainGroups(rows, alike(chosen)));
    }),
    { numRuns: 60 },
  );
});
