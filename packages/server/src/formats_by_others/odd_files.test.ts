import { zipSync } from 'fflate';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Geometry } from 'geojson';
import {
  chosenLayer,
  geometryAt,
  layersIn,
  readLayer,
  TableBuilder,
  valueAt,
  writtenFormatNamed,
  type FeatureTable,
  type WrittenLayer,
} from '@clean-sieve/core';
import { writeLayers } from '../export/write_layers.ts';
import { fileInput, host } from '../files/file_input.ts';

// Files that are odd in one way each: nothing in them is lost without a word, and what is sound beside it is read.

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-odd-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const fileOf = (name: string, content: string | Uint8Array): string => {
  const path = join(folder, name);
  writeFileSync(path, content);
  return path;
};
const layersOf = async (path: string) => layersIn(await fileInput(path), host);
const read = async (path: string) => readLayer(chosenLayer(await layersOf(path), undefined, path), {}, host);
const column = (table: FeatureTable, name: string) => {
  const found = table.columns.find((one) => one.name === name)!;
  return Array.from({ length: table.rows }, (_, row) => valueAt(found, row));
};
const text = (content: string) => new TextEncoder().encode(content);
const POINTS =
  '{"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"Point","coordinates":[8,47]},"properties":{"n":1}}]}';

describe('archives', () => {
  test('what a text says beside the data is no layer', async () => {
    const companions = {
      'places.VERSION.txt': text('5.1.1'),
      'README.txt': text('Places of the world.\nMade by hand, with care, over years.\n\nUse them well.'),
      'licence.txt': text('Public domain\n'),
    };
    const path = fileOf('places.zip', zipSync({ 'places.geojson': text(POINTS), ...companions }));
    expect((await layersOf(path)).map(({ name }) => name)).toEqual(['places']);
    expect((await read(path)).table.rows).toBe(1);
  });

  test('a table stays one, whatever it is called', async () => {
    const rows = Array.from({ length: 9 }, (_, i) => `${i},${8 + i / 10},47`).join('\n');
    const path = fileOf('tables.zip', zipSync({ 'stations.txt': text(`id,lon,lat\n${rows}\n`), 'readme.txt': text('Hello') }));
    expect((await read(path)).table.rows).toBe(9);
  });

  test('a file whose checksum does not fit is damaged', async () => {
    const bytes = zipSync({ 'places.geojson': [text(POINTS), { level: 0 }] });
    const at = Buffer.from(bytes).indexOf('[8,47]');
    bytes[at + 1] = '9'.charCodeAt(0);
    await expect(layersOf(fileOf('damaged.zip', bytes))).rejects.toThrow(
      'places.geojson in damaged.zip is damaged: its checksum does not fit',
    );
  });
});

test('a column may be called anything', async () => {
  const names = ['constructor', 'toString', '__proto__', 'hasOwnProperty', 'length'];
  const json = `{"type":"FeatureCollection","features":[{"type":"Feature","geometry":null,"properties":{${names.map((name, i) => `"${name}":${i}`).join(',')}}}]}`;
  const builder = new TableBuilder();
  names.forEach((name, i) => builder.column(name).addTyped(0, i));
  builder.addFeature({ type: 'Point', coordinates: [8, 47] }, null);
  const table = builder.finish();
  const layer: WrittenLayer = {
    name: 'odd',
    description: null,
    table,
    rows: Uint32Array.of(0),
    shapes: true,
    about: new Map(),
    colour: '#2c5b4b',
    wkt: null,
    coordinates: 'wkt',
    guarded: false,
    made: new Date(0),
  };
  expect((await read(fileOf('names.geojson', json))).table.columns.map(({ name }) => name)).toEqual(names);
  for (const [format, ending] of [
    ['geojson', 'geojson'],
    ['geopackage', 'gpkg'],
    ['csv', 'csv'],
    ['topojson', 'topojson'],
    ['flatgeobuf', 'fgb'],
  ]) {
    const path = join(folder, `names_there.${ending}`);
    rmSync(path, { force: true });
    await writeLayers(path, writtenFormatNamed(format), [layer]);
    expect((await read(path)).table.columns.map(({ name }) => name)).toEqual(expect.arrayContaining(names));
  }
});

test('GPX: what has no valid position is counted', async () => {
  const gpx = `<?xml version="1.0"?><gpx version="1.1" xmlns="http://www.topografix.com/GPX/1/1"><wpt lat="47" lon="8"><name>a</name></wpt><wpt lat="" lon="x"><name>b</name></wpt><trk><name>empty</name></trk></gpx>`;
  const { table, notes } = await read(fileOf('odd.gpx', gpx));
  expect(table.rows).toBe(1);
  expect(notes.join(' ')).toMatch(/1 of the waypoints had no valid position.*1 of the tracks had no valid position/);
});

test('KML with a prefix before its names is the same KML', async () => {
  const kml = (prefix: string) =>
    `<?xml version="1.0" encoding="UTF-8"?><${prefix}kml xmlns${prefix ? `:${prefix.slice(0, -1)}` : ''}="http://www.opengis.net/kml/2.2"><${prefix}Document><${prefix}Placemark><${prefix}name>Mill</${prefix}name><${prefix}Point><${prefix}coordinates>8,47</${prefix}coordinates></${prefix}Point></${prefix}Placemark></${prefix}Document></${prefix}kml>`;
  for (const prefix of ['', 'k:']) {
    const { table } = await read(fileOf('prefixed.kml', kml(prefix)));
    expect([column(table, 'name'), geometryAt(table, 0)]).toEqual([['Mill'], { type: 'Point', coordinates: [8, 47] }]);
  }
});

test('a table whose rows are in several systems is refused', async () => {
  const path = fileOf('systems.csv', 'wkt,n\n"SRID=32629;POINT(1 2)",1\n"SRID=32630;POINT(1 2)",2\n');
  await expect(read(path)).rejects.toThrow('Row 3 is in EPSG:32630, the rows before it in EPSG:32629');
});

test('one coordinate that is no number leaves the others alone', async () => {
  const json = POINTS.replace(
    '"features":[',
    '"features":[{"type":"Feature","geometry":{"type":"Point","coordinates":[1e999,1]},"properties":{"n":0}},',
  );
  const { table, notes } = await read(fileOf('infinite.geojson', json));
  expect([geometryAt(table, 0), geometryAt(table, 1)?.type]).toEqual([null, 'Point']);
  expect(notes.join(' ')).toContain('a coordinate is not a finite number');
});

test('generated columns of a GeoPackage are read', async () => {
  const path = join(folder, 'generated.gpkg');
  execFileSync('ogr2ogr', ['-f', 'GPKG', path, fileOf('plain.geojson', POINTS), '-nln', 'plain']);
  const script = `import sqlite3; c = sqlite3.connect('${path}'); c.execute('alter table plain add column twice integer generated always as (n * 2) virtual'); c.commit()`;
  execFileSync('/usr/bin/python3', ['-c', script]);
  expect(column((await read(path)).table, 'twice')).toEqual([2]);
});

// GDAL reads what was written: a column without decimals would be one of whole numbers.
test('every number of a shapefile survives another reader', async () => {
  const numbers = [1e-7, 2.5e-7, 0, 1, 123456.789, 1e21, 1.5e300, -3e-12, 0.1, 2 ** 53];
  for (const values of [[1e-7, 2.5e-7], [1e21, 5], numbers]) {
    const builder = new TableBuilder();
    for (const n of values) builder.addFeature({ type: 'Point', coordinates: [8, 47] }, { n });
    const table = builder.finish();
    const layer: WrittenLayer = {
      name: 'numbers',
      description: null,
      table,
      rows: Uint32Array.from(values, (_, i) => i),
      shapes: true,
      about: new Map(),
      colour: '#2c5b4b',
      wkt: null,
      coordinates: null,
      guarded: false,
      made: new Date(0),
    };
    const path = join(folder, 'numbers.zip');
    rmSync(path, { force: true });
    await writeLayers(path, writtenFormatNamed('shapefile'), [layer]);
    expect(column((await read(path)).table, 'n')).toEqual(values);
    const script = `from osgeo import ogr; import json; d = ogr.Open('/vsizip/${path}'); print(json.dumps([f['n'] for f in d.GetLayer(0)]))`;
    expect(JSON.parse(execFileSync('/usr/bin/python3', ['-c', script]).toString())).toEqual(values);
  }
});

test('a shape whose parts do not fit its positions is told, and the others are read', async () => {
  const lines = {
    type: 'FeatureCollection',
    features: [0, 1].map((i) => ({
      type: 'Feature',
      geometry: {
        type: 'LineString',
        coordinates: [
          [8 + i, 47],
          [9 + i, 47],
        ],
      },
      properties: { i },
    })),
  };
  const shp = join(folder, 'lines.shp');
  // The ending of the file says the format.
  execFileSync('ogr2ogr', [shp, fileOf('lines.geojson', JSON.stringify(lines))]);
  const bytes = readFileSync(shp);
  // The first part of the first record begins at vertex 7 of 2.
  bytes.writeInt32LE(7, 100 + 8 + 44);
  writeFileSync(shp, bytes);
  const { table, remarks } = await read(shp);
  expect([geometryAt(table, 0), geometryAt(table, 1)?.type]).toEqual([null, 'LineString']);
  expect(remarks[0].reason).toContain('part 1 begins at vertex 7 of 2');
});

// Whole numbers of 64 bits, written by GDAL in formats that have them: a double would round them.
describe('whole numbers beyond 2⁵³', () => {
  const BIG =
    '{"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"Point","coordinates":[8,47]},"properties":{"n":1,"big":9007199254740993}},{"type":"Feature","geometry":{"type":"Point","coordinates":[8,47]},"properties":{"n":2,"big":-5}}]}';
  test.each(['geojson', 'shp', 'fgb', 'gpkg', 'csv'])('%s', async (ending) => {
    const from = fileOf('from.geojson', BIG);
    const path = join(folder, `big.${ending}`);
    // The ending of the file says the format.
    const options = ending === 'csv' ? ['-lco', 'GEOMETRY=AS_XY'] : [];
    if (ending === 'geojson') fileOf('big.geojson', BIG);
    else execFileSync('ogr2ogr', [path, from, ...options], { stdio: 'pipe' });
    const { table, notes } = await read(path);
    expect(column(table, 'big')).toEqual(['9007199254740993', '-5']);
    expect(column(table, 'n')).toEqual([1, 2]);
    if (ending !== 'csv') expect(notes.join(' ')).toContain('big has whole numbers of more than 15 digits');
  });

  test('TopoJSON', async () => {
    const topology =
      '{"type":"Topology","arcs":[],"objects":{"a":{"type":"Point","coordinates":[8,47],"properties":{"big":18446744073709551615,"list":[9007199254740993]}}}}';
    const { table } = await read(fileOf('big.topojson', topology));
    expect([column(table, 'big'), column(table, 'list')]).toEqual([['18446744073709551615'], ['[9007199254740993]']]);
  });
});

describe('what a file does not hold', () => {
  const builder = new TableBuilder();
  const shapes: Geometry[] = [
    { type: 'Point', coordinates: [8, 47, 431.5] },
    {
      type: 'LineString',
      coordinates: [
        [8, 47, 1],
        [9, 47, 2],
      ],
    },
    {
      type: 'LineString',
      coordinates: [
        [8, 47, 1],
        [9, 47],
      ],
    },
    {
      type: 'GeometryCollection',
      geometries: [
        { type: 'Point', coordinates: [8, 47] },
        {
          type: 'LineString',
          coordinates: [
            [8, 47],
            [9, 48],
          ],
        },
      ],
    },
    { type: 'Polygon', coordinates: [] },
  ];
  const long = 'é'.repeat(128);
  shapes.forEach((shape, i) =>
    builder.addFeature(shape, { i, a_long_name: ['=1+1', '', long, 'x', null][i], at: '2024-05-31T12:00:00+02:00', day: '2024-05-31' }),
  );
  const table = builder.finish();
  const layerOf = (rows: number[], more: Partial<WrittenLayer> = {}): WrittenLayer => ({
    name: 'odd',
    description: null,
    table,
    rows: Uint32Array.from(rows),
    shapes: true,
    about: new Map(),
    colour: '#2c5b4b',
    wkt: null,
    coordinates: null,
    guarded: true,
    made: new Date(0),
    ...more,
  });
  const losses = (format: string, rows: number[], more?: Partial<WrittenLayer>) =>
    (writtenFormatNamed(format).writing.losses?.(layerOf(rows, more)) ?? []).map(
      ({ text, lost }) => `${lost ? 'lost' : 'changed'}: ${text}`,
    );
  const ALL = [0, 1, 2, 3, 4];

  test('is told of each format', () => {
    expect(losses('shapefile', ALL)).toEqual([
      'changed: Names of ten characters: a_long_name → a_long_nam',
      'lost: 1 text of a_long_name is longer than 254 bytes and is cut off',
      'changed: One file a kind of shape: odd_points.shp, odd_lines.shp, odd_polygons.shp',
      'lost: 1 collection of several kinds of shape cannot be in a shapefile and is left out',
      'changed: 1 empty text becomes a missing value',
    ]);
    expect(losses('csv', ALL)).toEqual([
      'lost: 1 shape has a height at some corners only, and is written without',
      'changed: 1 empty text becomes a missing value',
      'changed: 1 text that a spreadsheet would take for a formula has an apostrophe in front',
    ]);
    expect(losses('csv', [0], { guarded: false })).toEqual([]);
    expect(losses('workbook', ALL, { coordinates: 'columns' })[0]).toMatch(/^lost: Shapes that are no points/);
    expect(losses('geopackage', [0])).toEqual(['changed: 1 time of at is written in UTC, without the offset']);
    expect(losses('flatgeobuf', [0])).toEqual(['changed: Dates of day are written as the midnights that begin them']);
    expect(losses('topojson', [0, 1])).toEqual(['lost: Where shapes share corners, one height is kept for all of them']);
    const vague = new TableBuilder();
    for (const day of ['2024-05-31', '2019']) vague.addFeature(null, { day });
    for (const format of ['geopackage', 'geoparquet', 'flatgeobuf', 'shapefile', 'workbook'])
      expect(losses(format, [0, 1], { table: vague.finish() })).toEqual([
        'changed: Dates of day are written as texts: some are known to the month or year only',
      ]);
    for (const format of ['geojson', 'geojsonseq', 'kml', 'kmz', 'topojson']) expect(losses(format, [3, 4])).toEqual([]);
  });

  test('heights stand in tables of cells, and an empty shape is one', async () => {
    const write = async (format: string, name: string, layer: WrittenLayer) => {
      rmSync(join(folder, name), { force: true });
      await writeLayers(join(folder, name), writtenFormatNamed(format), [layer]);
      return join(folder, name);
    };
    const points = await write('csv', 'heights.csv', layerOf([0], { guarded: false }));
    expect(readFileSync(points, 'utf8').split('\r\n').slice(0, 2)).toEqual([
      'i,a_long_name,at,day,longitude,latitude,height',
      '0,=1+1,2024-05-31T12:00:00+02:00,2024-05-31,8,47,431.5',
    ]);
    const texts = await write('csv', 'texts.csv', layerOf(ALL));
    const script = `
import csv, json, openpyxl
from osgeo import ogr
rows = list(csv.DictReader(open('${texts}', newline='')))
print(json.dumps([ogr.CreateGeometryFromWkt(row['wkt']).ExportToIsoWkt() for row in rows]))`;
    expect(JSON.parse(execFileSync('/usr/bin/python3', ['-c', script]).toString())).toEqual([
      'POINT Z (8 47 431.5)',
      'LINESTRING Z (8 47 1,9 47 2)',
      'LINESTRING (8 47,9 47)',
      'GEOMETRYCOLLECTION (POINT (8 47),LINESTRING (8 47,9 48))',
      'POLYGON EMPTY',
    ]);
    const back = (await read(texts)).table;
    expect(ALL.map((row) => geometryAt(back, row)).slice(0, 2)).toEqual(shapes.slice(0, 2));
    const book = await write('workbook', 'heights.xlsx', layerOf([0]));
    const cells = `import json, openpyxl; print(json.dumps([list(map(str, row)) for row in openpyxl.load_workbook('${book}').active.iter_rows(values_only=True)]))`;
    expect(JSON.parse(execFileSync('/usr/bin/python3', ['-c', cells]).toString())).toEqual([
      ['i', 'a_long_name', 'at', 'day', 'longitude', 'latitude', 'height'],
      ['0', '=1+1', '2024-05-31T12:00:00+02:00', '2024-05-31 00:00:00', '8', '47', '431.5'],
    ]);
  });
});

test('damaged data in an archive is not passed over for what is sound beside it', async () => {
  const path = fileOf('half.zip', zipSync({ 'places.geojson': text(POINTS), 'cut.topojson': text('{"type":"Topology","obj') }));
  await expect(layersOf(path)).rejects.toThrow(/half\.zip: cut\.topojson.* is not valid JSON/);
});
