import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  columnNamed,
  computedColumn,
  formatDay,
  geometryAt,
  parseFilter,
  Sifter,
  TableBuilder,
  typeOfValue,
  valueAt,
  type FeatureTable,
  type Value,
} from '@clean-sieve/core';
// Systems are told by their codes once their list is there.
import '../../packages/server/src/crs/epsg.ts';
import { readFile } from '../../packages/server/src/cli/read_file.ts';

// Counties of the United States (npm us-atlas, from the Census Bureau), computed by GDAL's SQL functions (SQLite dialect with
// SpatiaLite), measures on the ellipsoid.

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-gdal-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
let table: FeatureTable;
beforeAll(async () => {
  const path = createRequire(import.meta.url).resolve('us-atlas/counties-10m.json');
  const { table: counties } = await readFile(path, { layer: 'counties' }, null);
  const name = columnNamed(counties, 'name')!;
  const builder = new TableBuilder();
  const features = Array.from({ length: counties.rows }, (_, id) => {
    const properties = {
      ...{ id, t: id % 31 === 0 ? null : ` ${String(valueAt(name, id))} `, n: id % 17 === 0 ? null : ((id * 7919) % 100_003) / 64 },
      ...{ k: (id % 23) - 11, d: id % 13 === 0 ? null : formatDay(((id * 104_729) % 40_000) - 10_000) },
    };
    const geometry = geometryAt(counties, id)!;
    builder.addFeature(geometry, properties);
    return { type: 'Feature', properties, geometry };
  });
  table = builder.finish();
  writeFileSync(join(folder, 'county.geojson'), JSON.stringify({ type: 'FeatureCollection', features }));
}, 60_000);

/** Whether a county lies on both sides of the 180° meridian. */
function isAcross(row: number): boolean {
  const chunk = table.geometry[0];
  const [west, , east] = chunk.boxOf(row);
  return east - west > 180;
}

/** The same of every row, by GDAL. */
function theirs(sql: string): Value[] {
  const query = `select id, ${sql} as made from county order by id`;
  const options = ['-f', 'GeoJSON', '/vsistdout/', join(folder, 'county.geojson'), '-dialect', 'SQLite', '-sql', query];
  const text = execFileSync('ogr2ogr', [...options, '-lco', 'RFC7946=NO'], { encoding: 'utf8', maxBuffer: 2 ** 28 });
  const { features } = JSON.parse(text) as { features: { properties: { id: number; made: Value } }[] };
  expect(features.map(({ properties }) => properties.id)).toEqual(Array.from({ length: table.rows }, (_, id) => id));
  return features.map(({ properties }) => properties.made);
}

// SpatiaLite's areas on the ellipsoid are up to 10⁻³ off those of GeographicLib, which ours are compared with where they are computed; they are
// left out. Its texts of numbers have 15 digits. It takes what lies on both sides of the 180° meridian for what lies between.
test.each<[ours: string, sql: string, tolerance: number]>([
  ["PERIMETER_OF(geometry, 'm')", 'ST_Perimeter(geometry, 1)', 1e-9],
  ['PARTS_OF(geometry)', 'ST_NumGeometries(geometry)', 0],
  ['CENTRE_X(geometry)', 'ST_X(ST_Centroid(geometry))', 1e-9],
  ['CENTRE_Y(geometry)', 'ST_Y(ST_Centroid(geometry))', 1e-9],
  ["CENTRE_X(geometry, 'EPSG:3395')", 'ST_X(ST_Centroid(ST_Transform(geometry, 3395)))', 1e-9],
  ["CENTRE_Y(geometry, 'EPSG:3395')", 'ST_Y(ST_Centroid(ST_Transform(geometry, 3395)))', 1e-9],
  ['TRIM(t)', 'trim(t)', 0],
  ['CHARACTERS(t)', 'length(t)', 0],
  ['SUBSTRING(t, 2, 3)', 'substr(t, 2, 3)', 0],
  ["POSITION_OF(t, 'a')", "instr(t, 'a')", 0],
  ["REPLACE(t, 'a', 'oo')", "replace(t, 'a', 'oo')", 0],
  ["CONCAT(TRIM(t), '-', k)", "trim(t) || '-' || k", 0],
  ["COALESCE(TRIM(t), 'none')", "coalesce(trim(t), 'none')", 0],
  ['ABS(k)', 'abs(k)', 0],
  ['n / k', 'case when k = 0 then null else n / k end', 1e-14],
  ['GREATEST(n, k)', 'max(n, k)', 0],
  ["IF(n > 800, 'high', 'low')", "case when n > 800 then 'high' when n <= 800 then 'low' end", 0],
  ["DAYS_BETWEEN(d, DATE('2000-01-01'))", "julianday('2000-01-01') - julianday(d)", 0],
  ['YEAR(d)', "cast(strftime('%Y', d) as integer)", 0],
  ["DATE_PLUS(d, 45, 'days')", "date(d, '+45 days')", 0],
])('%s is %s', (text, sql, tolerance) => {
  const parsed = parseFilter(text);
  const { column } = computedColumn(new Sifter(table, 0), parsed.expr, 'made', typeOfValue(parsed, table.columns));
  const off = theirs(sql).flatMap((value, row): [number, Value, Value][] => {
    const ours = valueAt(column, row);
    if (text.startsWith('CENTRE') && isAcross(row)) return [];
    // The first row, which is blank, makes GDAL take the rest for texts.
    const number = typeof ours === 'number' && value !== null ? Number(value) : null;
    if (typeof ours !== 'number' || number === null) return ours === value ? [] : [[row, ours, value]];
    return Math.abs(ours - number) <= tolerance * Math.abs(number) ? [] : [[row, ours, value]];
  });
  expect([off.length, off.slice(0, 3)]).toEqual([0, []]);
});
