import fc from 'fast-check';
import { fromLonLat } from '../crs/crs.ts';
import { Shape } from '../space/shape.ts';
import { cellAt, cellsIn, utm, utmZone, type Grid } from './grid.ts';
import { BRITISH, IRISH, referenceOf, squareOfReference } from './national.ts';

// Ordnance Survey, A guide to coordinate systems in Great Britain: the reference of easting 651409, northing 313177.
test('the worked example of the mapping agency', () => {
  expect(referenceOf(BRITISH, 651_409, 313_177, 1)).toBe('TG 51409 13177');
  expect(squareOfReference('TG 51409 13177')).toMatchObject({ west: 651_409, south: 313_177, size: 1 });
  // The same guide: 52°39′28.8282″N 1°42′57.8663″E on ETRS89, which the seven parameters meet to about 5 m.
  const [x, y] = fromLonLat(BRITISH.crs)(1.716073972, 52.658007833);
  expect(Math.hypot(x - 651_409, y - 313_177)).toBeLessThan(6);
});

// Common practice: a six-figure reference names a 100 m square by its south-west corner, ten figures a metre.
test('as many figures as they say', () => {
  expect(squareOfReference('tg 514 131')).toMatchObject({ west: 651_400, south: 313_100, size: 100 });
  expect(squareOfReference('TG5113')).toMatchObject({ west: 651_000, south: 313_000, size: 1000 });
  expect(squareOfReference('SV')).toMatchObject({ west: 0, south: 0, size: 100_000 });
  expect(squareOfReference('HP 6 1')).toMatchObject({ west: 460_000, south: 1_210_000, size: 10_000 });
  expect(squareOfReference('V 0 0')).toMatchObject({ west: 0, south: 0, size: 10_000, crs: IRISH.crs });
  expect(squareOfReference('O 159 346')).toMatchObject({ west: 315_900, south: 234_600, size: 100 });
  expect(['TG 51 131', 'TI 1 1', 'TGX 1 1', '51 13', 'oak 12'].map(squareOfReference)).toEqual([null, null, null, null, null]);
});

test('a reference comes back from its square', () => {
  const size = fc.constantFrom(100_000, 10_000, 1000, 100, 10, 1);
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 699_999 }), fc.integer({ min: 0, max: 1_299_999 }), size, (x, y, s) => {
      const [west, south] = [x, y].map((value) => Math.floor(value / s) * s);
      const reference = referenceOf(BRITISH, west, south, s)!;
      expect(squareOfReference(reference)).toMatchObject({ west, south, size: s });
      if (x >= 500_000 || y >= 500_000) return;
      expect(squareOfReference(referenceOf(IRISH, west, south, s)!)).toMatchObject({ west, south, size: s });
    }),
  );
});

test('zones of UTM, with the exceptions of NGA.STND.0037', () => {
  expect([utmZone(-12.1, 46.6), utmZone(-9, 45), utmZone(5, 60), utmZone(8, 75), utmZone(179.99, 10)]).toEqual([28, 29, 32, 31, 60]);
});

const GRIDS: Grid[] = [
  { kind: 'square', size: 500, crs: utm(29, false) },
  { kind: 'hexagon', size: 750, crs: utm(29, false) },
  { kind: 'graticule', size: 0.05 },
  { kind: 'mgrs', size: 1000 },
  { kind: 'irish', size: 10_000 },
];

test.each(GRIDS)('every place is in one cell, which is among those of a box round it: $kind', (grid) => {
  const [lon0, lat0] = grid.kind === 'irish' ? [-8, 53] : [-12.1, 46.5];
  const near = fc.double({ min: 0, max: 0.2, noNaN: true });
  fc.assert(
    fc.property(near, near, (dx, dy) => {
      const [lon, lat] = [lon0 + dx, lat0 + dy];
      const cell = cellAt(grid, lon, lat)!;
      expect(new Shape(cell.shape).covers(lon, lat)).toBe(true);
      const names = cellsIn(grid, [lon - 0.01, lat - 0.01, lon + 0.01, lat + 0.01], 2000)!.map(({ name }) => name);
      expect(names).toContain(cell.name);
      expect(new Set(names).size).toBe(names.length);
    }),
    { numRuns: 60 },
  );
});

test('references of MGRS squares, each in its own zone', () => {
  const cell = cellAt({ kind: 'mgrs', size: 10_000 }, -12.1, 46.6)!;
  expect(cell.name).toMatch(/^28T [A-Z]{2} \d \d$/);
  const across = cellsIn({ kind: 'mgrs', size: 10_000 }, [-12.2, 46.5, -11.8, 46.7], 500)!;
  expect(new Set(across.map(({ name }) => name.slice(0, 3)))).toEqual(new Set(['28T', '29T']));
});

test('too many cells are told, not cut', () => {
  expect(cellsIn({ kind: 'graticule', size: 0.001 }, [0, 0, 10, 10], 4000)).toBeNull();
  expect(cellsIn({ kind: 'hexagon', size: 1, crs: utm(29, false) }, [-9, 45, -8, 46], 4000)).toBeNull();
  expect(cellsIn({ kind: 'graticule', size: 30 }, [-400, -100, 400, 100], 100)).toHaveLength(72);
});
