import { DuckDBInstance } from '@duckdb/node-api';
import fc from 'fast-check';
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync, copyFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { zipSync } from 'fflate';
import { topology } from 'topojson-server';
import type { FeatureCollection, Geometry } from 'geojson';
import {
  chosenLayer,
  count,
  geometryAt,
  layersIn,
  lonLatGeometryAt,
  parseFilter,
  ReadError,
  readLayer,
  Sifter,
  valueAt,
  type LayerRead,
  type ReadOptions,
} from '@clean-sieve/core';
import { crsNamed } from '../crs/epsg.ts';
import { fileInput, host } from '../files/file_input.ts';

// The files are written by GDAL (Debian gdal-bin), DuckDB and topojson-server from one known set, and read by ours.

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-formats-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);
const ogr = (...args: string[]) => execFileSync('ogr2ogr', args, { stdio: ['ignore', 'pipe', 'pipe'] });

const hole = [
  [
    [0, 0],
    [4, 0],
    [4, 4],
    [0, 4],
    [0, 0],
  ],
  [
    [1, 1],
    [1, 2],
    [2, 2],
    [2, 1],
    [1, 1],
  ],
];
const SHAPES: Record<'points' | 'lines' | 'polygons', Geometry[]> = {
  points: [
    { type: 'Point', coordinates: [8.5, 47.4] },
    { type: 'Point', coordinates: [-12.25, 46.5] },
    { type: 'Point', coordinates: [179.5, -16.75] },
  ],
  lines: [
    {
      type: 'LineString',
      coordinates: [
        [0, 0],
        [1, 1],
        [2, 0.5],
      ],
    },
    {
      type: 'MultiLineString',
      coordinates: [
        [
          [0, 0],
          [1, 1],
        ],
        [
          [3, 3],
          [4, 4],
        ],
      ],
    },
    {
      type: 'LineString',
      coordinates: [
        [5, 5],
        [6, 6],
      ],
    },
  ],
  polygons: [
    { type: 'Polygon', coordinates: hole },
    {
      type: 'MultiPolygon',
      coordinates: [
        [
          [
            [10, 10],
            [11, 10],
            [11, 11],
            [10, 10],
          ],
        ],
        [
          [
            [20, 20],
            [21, 20],
            [21, 21],
            [20, 20],
          ],
        ],
      ],
    },
    {
      type: 'Polygon',
      coordinates: [
        [
          [30, 30],
          [31, 30],
          [31, 31],
          [30, 30],
        ],
      ],
    },
  ],
};
const ROWS = [
  { code: '0142', name: 'Zürich “See”', size: 12.5, whole: 7, seen: '2024-05-01', lit: true },
  { code: '0077', name: null, size: null, whole: null, seen: null, lit: null },
  { code: '0101', name: "O'Hara, naïve", size: -0.25, whole: -3, seen: '1999-12-31', lit: false },
];
const collection = (kind: keyof typeof SHAPES): FeatureCollection => ({
  type: 'FeatureCollection',
  features: SHAPES[kind].map((geometry, i) => ({ type: 'Feature', geometry, properties: ROWS[i] })),
});
for (const kind of Object.keys(SHAPES) as (keyof typeof SHAPES)[]) writeFileSync(at(`${kind}.geojson`), JSON.stringify(collection(kind)));

async function read(file: string, layer?: string, options: ReadOptions = {}): Promise<LayerRead> {
  const layers = await layersIn(await fileInput(at(file)), host);
  return readLayer(chosenLayer(layers, layer, file), options, host);
}

/** Rings begin anywhere and run either way, as formats ask; parts come in any type that holds them. */
function plain(geometry: Geometry | null): unknown {
  if (!geometry || geometry.type === 'GeometryCollection') return geometry;
  const round = (value: unknown): unknown => (typeof value === 'number' ? Number(value.toFixed(6)) : (value as unknown[]).map(round));
  const coordinates = round(geometry.coordinates) as never;
  const ring = (positions: number[][]) => [...positions.slice(1).map(String)].sort().join(' ');
  switch (geometry.type) {
    case 'Polygon':
      return [(coordinates as number[][][]).map(ring)];
    case 'MultiPolygon':
      return (coordinates as number[][][][]).map((rings) => rings.map(ring));
    case 'LineString':
      return [coordinates];
    default:
      return coordinates;
  }
}
const rowsOf = ({ table }: LayerRead) =>
  Array.from({ length: table.rows }, (_, row) =>
    Object.fromEntries(
      ['code', 'name', 'size', 'whole', 'seen', 'lit'].map((name) => {
        const column = table.columns.find((candidate) => candidate.name === name);
        return [name, column ? valueAt(column, row) : undefined];
      }),
    ),
  );
const geometriesOf = ({ table }: LayerRead) => Array.from({ length: table.rows }, (_, row) => plain(geometryAt(table, row)));

describe.each(Object.keys(SHAPES) as (keyof typeof SHAPES)[])('%s', (kind) => {
  const expected = SHAPES[kind].map(plain);
  const source = at(`${kind}.geojson`);

  test.each(['gpkg', 'fgb', 'geojsonl', 'shp'])('%s written by GDAL', async (ending) => {
    const nlt = ending === 'fgb' && kind !== 'points' ? ['-nlt', 'PROMOTE_TO_MULTI'] : [];
    const file = `${kind}.${ending}`;
    ogr(at(file), source, ...nlt, '-nln', kind, '-lco', 'ENCODING=UTF-8');
    const result = await read(file);
    const order = geometriesOf(result).map((geometry) => expected.findIndex((e) => JSON.stringify(e) === JSON.stringify(geometry)));
    // An index may put the features in another order; every one is there once.
    expect([...order].sort()).toEqual([0, 1, 2]);
    // A shapefile has no true or false from this writer: they are 1 and 0.
    const wanted = order.map((i) => (ending === 'shp' ? { ...ROWS[i], lit: ROWS[i].lit === null ? null : Number(ROWS[i].lit) } : ROWS[i]));
    expect(rowsOf(result)).toEqual(wanted);
  });

  test('CSV with well-known text written by GDAL', async () => {
    ogr('-f', 'CSV', at(`${kind}.csv`), source, '-lco', 'GEOMETRY=AS_WKT');
    const result = await read(`${kind}.csv`);
    expect(geometriesOf(result)).toEqual(expected);
    expect(rowsOf(result).map(({ code, size }) => [code, size])).toEqual(ROWS.map(({ code, size }) => [code, size]));
  });

  test('KML written by GDAL', async () => {
    ogr('-f', 'LIBKML', at(`${kind}.kml`), source);
    const result = await read(`${kind}.kml`);
    // This writer gives every position the altitude 0.
    const flat = (value: unknown): unknown =>
      Array.isArray(value) ? value.map(flat) : typeof value === 'string' ? value.replaceAll(/(-?\d+),(-?\d+),0/g, '$1,$2') : value;
    const flattened = geometriesOf(result).map((geometry) =>
      kind === 'points'
        ? (geometry as number[]).slice(0, 2)
        : kind === 'lines'
          ? (geometry as number[][][]).map((line) => line.map((p) => p.slice(0, 2)))
          : flat(geometry),
    );
    expect(flattened).toEqual(expected);
    expect(rowsOf(result).map(({ name }) => name)).toEqual(ROWS.map(({ name }) => name));
  });

  test('TopoJSON written by topojson-server', async () => {
    const topo = topology({ [kind]: collection(kind), other: collection('points') });
    writeFileSync(at(`${kind}.topojson`), JSON.stringify(topo));
    const result = await read(`${kind}.topojson`, kind);
    expect(geometriesOf(result)).toEqual(expected);
    expect(rowsOf(result)).toEqual(ROWS);
    await expect(read(`${kind}.topojson`)).rejects.toThrow(kind === 'points' ? 'has 2 layers' : 'layers');
  });

  test('GeoParquet written by DuckDB', async () => {
    ogr('-f', 'CSV', at(`${kind}-wkb.csv`), source, '-lco', 'GEOMETRY=AS_WKT');
    const hex = execFileSync('/usr/bin/python3', ['-c', WKB_OF, source], { encoding: 'utf8' }).trim().split('\n');
    const database = await (await DuckDBInstance.create(':memory:')).connect();
    const values = ROWS.map(
      ({ code, name, size, whole, seen, lit }, i) =>
        `(from_hex('${hex[i]}'), '${code}', ${name === null ? 'null' : `'${name.replaceAll("'", "''")}'`}, ${size}::double, ${whole}::bigint, ${seen === null ? 'null' : `date '${seen}'`}, ${lit}::boolean)`,
    );
    const geo = JSON.stringify({
      version: '1.1.0',
      primary_column: 'shape',
      columns: { shape: { encoding: 'WKB', geometry_types: [] } },
    });
    await database.run(
      `copy (select * from (values ${values.join(', ')}) t(shape, code, name, size, whole, seen, lit)) to '${at(`${kind}.parquet`)}' (format parquet, compression zstd, kv_metadata {geo: '${geo}'})`,
    );
    const result = await read(`${kind}.parquet`);
    expect(geometriesOf(result)).toEqual(expected);
    expect(rowsOf(result)).toEqual(ROWS);
  });
});

const WKB_OF = `
import sys
from osgeo import ogr
file = ogr.Open(sys.argv[1])
for f in file.GetLayer(0): print(f.GetGeometryRef().ExportToIsoWkb().hex())
`;

describe('coordinate systems', () => {
  test.each([
    ['gpkg', 'EPSG:32629'],
    ['shp', 'EPSG:32629'],
    ['fgb', 'EPSG:32629'],
    ['geojson', 'EPSG:32629'],
    ['gpkg', 'EPSG:27700'],
    ['shp', 'EPSG:27700'],
    ['shp', 'EPSG:3035'],
    ['shp', 'EPSG:2193'],
  ])('%s in %s is known by its code, and comes back to where it was', async (ending, code) => {
    const near = { 'EPSG:27700': [-1.5, 52.5], 'EPSG:3035': [10, 50], 'EPSG:2193': [174, -41] }[code] ?? [-12.1, 46.6];
    const [from, to] = [`near-${code.slice(5)}.geojson`, `${ending}-${code.slice(5)}.${ending}`];
    writeFileSync(at(from), JSON.stringify({ type: 'Feature', geometry: { type: 'Point', coordinates: near }, properties: { a: 1 } }));
    ogr(at(to), at(from), '-t_srs', code);
    const { table } = await read(to);
    expect(table.crs.name).toBe(code);
    const [lon, lat] = (lonLatGeometryAt(table, 0) as GeoJSON.Point).coordinates;
    // GDAL uses grids or other parameters where it has them; a seven-parameter shift is good to some metres.
    const tolerance = code === 'EPSG:27700' ? 1e-4 : 1e-7;
    expect(Math.abs(lon - near[0])).toBeLessThan(tolerance);
    expect(Math.abs(lat - near[1])).toBeLessThan(tolerance);
  });

  test('a file that does not say is asked for, and the person decides', async () => {
    writeFileSync(at('utm.csv'), 'easting,northing,a\n263000,5164000,1\n');
    await expect(read('utm.csv')).rejects.toThrow('does not say which coordinate system');
    const [layer] = await layersIn(await fileInput(at('utm.csv')), host);
    const { table } = await readLayer(layer, {}, host, crsNamed('EPSG:32629'));
    expect(geometryAt(table, 0)).toEqual({ type: 'Point', coordinates: [263_000, 5_164_000] });
    const [lon, lat] = (lonLatGeometryAt(table, 0) as GeoJSON.Point).coordinates;
    expect([lon.toFixed(1), lat.toFixed(1)]).toEqual(['-12.1', '46.6']);
  });
});

test('a GeoPackage with several layers and a table without geometry', async () => {
  ogr('-f', 'GPKG', at('many.gpkg'), at('points.geojson'), '-nln', 'the "points"');
  ogr('-update', '-f', 'GPKG', at('many.gpkg'), at('polygons.geojson'), '-nln', 'polygons');
  writeFileSync(at('codes.csv'), 'code,meaning\n0142,Sycamore\n');
  ogr('-update', '-f', 'GPKG', at('many.gpkg'), at('codes.csv'), '-nln', 'species');
  const layers = await layersIn(await fileInput(at('many.gpkg')), host);
  expect(layers.map(({ name, features, attributesOnly }) => [name, features, attributesOnly])).toEqual([
    ['the "points"', 3, false],
    ['polygons', 3, false],
    ['species', 1, true],
  ]);
  expect((await read('many.gpkg', 'the "points"')).table.rows).toBe(3);
  await expect(read('many.gpkg')).rejects.toThrow('has 2 layers');
});

test('Z comes through every format that has it', async () => {
  const z: FeatureCollection = {
    type: 'FeatureCollection',
    features: [
      {
        type: 'Feature',
        properties: { a: 1 },
        geometry: {
          type: 'LineString',
          coordinates: [
            [1, 2, 30.5],
            [3, 4, 50],
          ],
        },
      },
    ],
  };
  writeFileSync(at('z.geojson'), JSON.stringify(z));
  for (const ending of ['gpkg', 'shp', 'fgb', 'kml']) {
    ogr(...(ending === 'kml' ? ['-f', 'LIBKML'] : []), at(`z.${ending}`), at('z.geojson'));
    const { table } = await read(`z.${ending}`);
    expect([ending, geometryAt(table, 0)]).toEqual([ending, z.features[0].geometry]);
  }
});

test('M values are left out, and it is said', async () => {
  writeFileSync(at('m.csv'), 'a,wkt\n1,"LINESTRING ZM (1 2 3 4, 5 6 7 8)"\n');
  for (const ending of ['gpkg', 'shp']) {
    ogr(at(`m.${ending}`), at('m.csv'), '-oo', 'GEOM_POSSIBLE_NAMES=wkt', '-nlt', 'LINESTRINGZM', '-a_srs', 'EPSG:4326');
    const { table, notes } = await read(`m.${ending}`);
    expect([ending, geometryAt(table, 0)]).toEqual([
      ending,
      {
        type: 'LineString',
        coordinates: [
          [1, 2, 3],
          [5, 6, 7],
        ],
      },
    ]);
    expect(notes.join(' ')).toContain('M values');
  }
});

test('GPX written by GDAL', async () => {
  writeFileSync(
    at('gpx.geojson'),
    JSON.stringify({ type: 'Feature', geometry: { type: 'Point', coordinates: [8.5, 47.4] }, properties: { name: 'Spring' } }),
  );
  ogr('-f', 'GPX', at('w.gpx'), at('gpx.geojson'), '-nln', 'waypoints');
  const { table } = await read('w.gpx');
  expect(geometryAt(table, 0)).toEqual({ type: 'Point', coordinates: [8.5, 47.4] });
  expect(table.columns.map((column) => [column.name, valueAt(column, 0)])).toEqual([
    ['kind', 'waypoint'],
    ['name', 'Spring'],
  ]);
});

describe('archives', () => {
  const bytes = (name: string) => new Uint8Array(readFileSync(at(name)));
  test('a zip with several shapefiles, a read-me and names that climb out', async () => {
    for (const kind of ['points', 'lines'] as const) ogr(at(`in-${kind}.shp`), at(`${kind}.geojson`), '-lco', 'ENCODING=ISO-8859-1');
    const parts: Record<string, Uint8Array> = { '../../README.md': bytes('points.geojson') };
    for (const kind of ['points', 'lines'] as const)
      for (const part of ['shp', 'shx', 'dbf', 'prj', 'cpg']) parts[`data/${kind}.${part.toUpperCase()}`] = bytes(`in-${kind}.${part}`);
    writeFileSync(at('two.zip'), zipSync(parts));
    const layers = await layersIn(await fileInput(at('two.zip')), host);
    expect(layers.map(({ name }) => name)).toEqual(['README', 'points', 'lines']);
    const { table, encoding } = await read('two.zip', 'points');
    expect(encoding).toBe('windows-1252');
    expect(valueAt(table.columns[1], 2)).toBe("O'Hara, naïve");
  });

  test('a GeoPackage and a KMZ in archives', async () => {
    writeFileSync(at('gpkg.zip'), zipSync({ 'many.gpkg': bytes('many.gpkg') }));
    expect((await read('gpkg.zip', 'polygons')).table.rows).toBe(3);
    writeFileSync(at('p.kmz'), zipSync({ 'doc.kml': bytes('points.kml') }));
    expect((await read('p.kmz')).table.rows).toBe(3);
  });

  test('a bomb is refused before it unfolds', async () => {
    const zeros = zipSync({ 'a.csv': [new Uint8Array(1 << 20), { level: 9 }] });
    // The size in the central directory is what counts; claiming 3 GB is enough.
    const view = new DataView(zeros.buffer, zeros.byteOffset);
    for (let i = 0; i + 4 < zeros.length; i++) if (view.getUint32(i, true) === 0x02014b50) view.setUint32(i + 24, 3_000_000_000, true);
    writeFileSync(at('bomb.zip'), zeros);
    await expect(read('bomb.zip')).rejects.toThrow('unfold to more than 2 GB');
  });
});

describe('damaged and disguised files say what is wrong', () => {
  const cut = (from: string, to: string, bytes: number) => {
    copyFileSync(at(from), at(to));
    truncateSync(at(to), bytes);
  };
  test.each(['points.fgb', 'points.parquet', 'many.gpkg', 'two.zip', 'points.kml', 'points.topojson'])('%s cut off', async (file) => {
    cut(file, `cut-${file}`, Math.floor(readFileSync(at(file)).length * 0.6));
    await expect(read(`cut-${file}`)).rejects.toMatchObject({ name: 'ReadError' });
  });

  test('a shapefile with a short table, a short shape file, and none', async () => {
    const parts = (name: string, shp: number, dbf: number) => {
      for (const ending of ['shp', 'dbf', 'prj']) copyFileSync(at(`points.${ending}`), at(`${name}.${ending}`));
      truncateSync(at(`${name}.shp`), shp);
      truncateSync(at(`${name}.dbf`), dbf);
    };
    const [shp, dbf] = ['points.shp', 'points.dbf'].map((name) => readFileSync(at(name)).length);
    parts('shortdbf', shp, dbf - 40);
    await expect(read('shortdbf.shp')).rejects.toThrow('ends in the middle of record');
    parts('shortshp', shp - 10, dbf);
    await expect(read('shortshp.shp')).rejects.toThrow('in the middle of record 3');
    parts('fewer', shp - 28, dbf);
    await expect(read('fewer.shp')).rejects.toThrow('has 2 shapes, but the .dbf file has 3 records');
    mkdirSync(at('lone'));
    copyFileSync(at('points.shp'), join(at('lone'), 'lone.shp'));
    const { table, notes } = await read('lone/lone.shp');
    expect([table.rows, table.columns.length]).toEqual([3, 0]);
    expect(notes.join(' ')).toContain('no .dbf file');
  });

  test('a database that is not a GeoPackage, entities in XML, a wrong ending', async () => {
    execFileSync('/usr/bin/python3', ['-c', `import sqlite3; sqlite3.connect('${at('plain.gpkg')}').execute('create table t(a)')`]);
    await expect(read('plain.gpkg')).rejects.toThrow('not a GeoPackage');
    writeFileSync(at('bomb.kml'), '<?xml version="1.0"?><!DOCTYPE k [<!ENTITY a "aaaa">]><kml>&a;</kml>');
    await expect(read('bomb.kml')).rejects.toThrow('XML entities');
    copyFileSync(at('many.gpkg'), at('renamed.csv'));
    expect((await read('renamed.csv', 'polygons')).table.rows).toBe(3);
  });
});

// Property test: whatever is changed in a file, it is read or refused with a ReadError; nothing else escapes.
test.each([
  'points.shp',
  'polygons.fgb',
  'polygons.parquet',
  'points.kml',
  'w.gpx',
  'lines.topojson',
  'points.csv',
  'two.zip',
  'many.gpkg',
])(
  '%s with bytes changed is read or refused',
  async (file) => {
    const good = readFileSync(at(file));
    const ending = file.slice(file.lastIndexOf('.'));
    const change = fc.tuple(fc.nat(good.length - 1), fc.nat(255));
    await fc.assert(
      fc.asyncProperty(
        fc.array(change, { minLength: 1, maxLength: 12 }),
        fc.integer({ min: 1, max: good.length }),
        async (changes, length) => {
          const bad = Buffer.from(good);
          for (const [where, byte] of changes) bad[where] = byte;
          const name = `fuzzed${ending}`;
          writeFileSync(at(name), bad.subarray(0, length > good.length / 2 ? good.length : length));
          if (ending === '.shp') copyFileSync(at('points.dbf'), at('fuzzed.dbf'));
          await read(name, file === 'many.gpkg' ? 'polygons' : undefined).catch((error: unknown) => {
            if (!(error instanceof ReadError)) throw error;
          });
        },
      ),
      { numRuns: 60 },
    );
  },
  60_000,
);

test('very wide, very long and oddly named: 2,000 columns, a feature of 10 MB, names of 300 characters', async () => {
  const names = Array.from({ length: 2000 }, (_, i) => `column "${i}" ${'x'.repeat(i === 7 ? 300 : 1)} 🌳`);
  const properties = Object.fromEntries(names.map((name, i) => [name, i]));
  const ring = Array.from({ length: 300_000 }, (_, i) => [8 + 0.1 * Math.cos(i / 47_746.5), 47 + 0.1 * Math.sin(i / 47_746.5)]);
  ring.push(ring[0]);
  const text = JSON.stringify({ type: 'Feature', properties, geometry: { type: 'Polygon', coordinates: [ring] } });
  expect(text.length).toBeGreaterThan(10_000_000);
  writeFileSync(at('large.geojson'), text);
  const { table } = await read('large.geojson');
  expect([table.rows, table.columns.length, table.columns[7].name]).toEqual([1, 2000, names[7]]);
  expect(count(new Sifter(table, 0).verdict(parseFilter('S_INTERSECTS(geometry, POINT(8 47))').expr).yes)).toBe(1);
});
