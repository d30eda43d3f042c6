import type { Geometry } from 'geojson';
import { valueAt } from '../features/column.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { provideSystems } from '../crs/systems_by_code.ts';
import { typeOfValue } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { count } from '../features/mask.ts';
import { computedColumn } from '../derive/computed_column.ts';
import { Sifter } from './sifter.ts';
import { measureOfGeometry } from '../space/measure_geometry.ts';

const ring = (x: number, y: number, side: number) => [
  [x, y],
  [x + side, y],
  [x + side, y + side],
  [x, y + side],
  [x, y],
];
const SHAPES: (Geometry | null)[] = [
  { type: 'Polygon', coordinates: [ring(8, 47, 1), ring(8.4, 47.4, 0.1).reverse()] },
  { type: 'MultiPolygon', coordinates: [[ring(0, 0, 1)], [ring(179, 0, 1)]] },
  {
    type: 'MultiLineString',
    coordinates: [
      [
        [8, 47],
        [9, 47],
        [9, 48],
      ],
      [
        [0, 0],
        [0, 1],
      ],
    ],
  },
  { type: 'Point', coordinates: [8.5, 47.25] },
  null,
  {
    type: 'MultiPoint',
    coordinates: [
      [8, 47],
      [10, 47],
    ],
  },
];
const builder = new TableBuilder();
for (const shape of SHAPES) builder.addFeature(shape, {});
const table = builder.finish();
const sifter = new Sifter(table, 0);
const of = (text: string) => {
  const { column } = computedColumn(sifter, parseFilter(text).expr, 'made', 'number');
  return SHAPES.map((_, row) => valueAt(column, row));
};
const close = (found: unknown[], wanted: (number | null)[]) =>
  wanted.forEach((value, i) => (value === null ? expect(found[i]).toBeNull() : expect(found[i]).toBeCloseTo(value, 6)));

test('areas and lengths are those on the ellipsoid, in the unit asked for; what has no geometry has none', () => {
  const measures = SHAPES.map((shape) => shape && measureOfGeometry(shape));
  close(
    of("AREA_OF(geometry, 'km2')"),
    measures.map((one) => one && one.area / 1e6),
  );
  close(
    of("LENGTH_OF(geometry, 'mi')"),
    measures.map((one) => one && one.length / 1609.344),
  );
  // A degree along the equator is 111.319490793 km (a π/180 with a = 6378137 m, WGS 84), a hectare 10,000 m².
  expect(of("AREA_OF(geometry, 'ha')")[0]).toBeCloseTo((of("AREA_OF(geometry, 'm2')")[0] as number) / 10_000, 6);
  const square = of("PERIMETER_OF(geometry, 'km')")[1] as number;
  expect(square).toBeGreaterThan(2 * 4 * 110.5);
  expect(square).toBeLessThan(2 * 4 * 111.32);
});

test('centres, parts and corners', () => {
  close(of('CENTRE_LON(geometry)').slice(3), [8.5, null, 9]);
  close(of('CENTRE_LAT(geometry)').slice(3), [47.25, null, 47]);
  expect(of('CENTRE_X(geometry)')).toEqual(of('CENTRE_LON(geometry)'));
  expect(of('CENTRE_Y(geometry)')).toEqual(of('CENTRE_LAT(geometry)'));
  expect(of('PARTS_OF(geometry)')).toEqual([1, 2, 2, 1, null, 2]);
  expect(of('CORNERS_OF(geometry)')).toEqual([8, 8, 5, 1, null, 2]);
});

test('centres in a system by its code; what it does not reach, and codes that are none', () => {
  const mercator = { name: 'EPSG:3395', label: 'World Mercator', definition: '+proj=merc +datum=WGS84 +units=m', accuracy: null };
  expect(() => sifter.values(parseFilter("CENTRE_X(geometry, 'EPSG:3395')").expr)).toThrow('cannot be told by their codes here');
  provideSystems((code) => {
    if (code !== 'EPSG:3395') throw new Error(`${code} is not in the list`);
    return mercator;
  });
  // Snyder's formulas 7-6 and 7-7 (USGS Professional Paper 1395), a = 6378137 m.
  const e = Math.sqrt(0.00669437999014);
  const y = (lat: number) => {
    const sin = Math.sin((lat * Math.PI) / 180);
    return 6378137 * Math.log(Math.tan(Math.PI / 4 + (lat * Math.PI) / 360) * ((1 - e * sin) / (1 + e * sin)) ** (e / 2));
  };
  const x = (lon: number) => (6378137 * lon * Math.PI) / 180;
  close(of("CENTRE_X(geometry, 'EPSG:3395')").slice(3), [x(8.5), null, x(9)]);
  close(of("CENTRE_Y(geometry, 'EPSG:3395')").slice(3), [y(47.25), null, y(47)]);
  expect(() => typeOfValue(parseFilter("CENTRE_X(geometry, 'EPSG:1')"), [])).toThrow('takes the code of a system');
  expect(() => typeOfValue(parseFilter("CENTRE_X(geometry, 'EPSG:9999')"), [])).toThrow('EPSG:9999 is not in the list');
  expect(() => typeOfValue(parseFilter("CENTRE_LON(geometry, 'EPSG:3395')"), [])).toThrow();
});

test('a measure is compared like a column, and computed for all rows once', () => {
  const kept = (text: string) => count(sifter.verdict(parseFilter(text).expr).yes);
  expect(kept("AREA_OF(geometry, 'km2') > 0")).toBe(2);
  expect(kept("AREA_OF(geometry, 'km2') / 2 > LENGTH_OF(geometry, 'km')")).toBe(2);
  expect(kept('PARTS_OF(geometry) IS NULL')).toBe(1);
  expect(kept("LENGTH_OF(geometry, 'm') BETWEEN 1 AND 1000000")).toBe(1);
  expect(sifter.measured.columns.length).toBeLessThan(20);
  expect(sifter.table.columns).toEqual([]);
});
