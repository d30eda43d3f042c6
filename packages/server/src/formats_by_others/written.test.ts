import { DuckDBInstance } from '@duckdb/node-api';
import fc from 'fast-check';
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Geometry } from 'geojson';
import {
  chosenLayer,
  geometryAt,
  layersIn,
  makeTable,
  readLayer,
  TableBuilder,
  valueAt,
  vectorTile,
  WRITTEN_FORMATS,
  writtenFormatNamed,
  type Crs,
  type FeatureTable,
  type Geos,
  type WrittenLayer,
} from '@clean-sieve/core';
import { crsNamed, wktOf } from '../crs/epsg.ts';
import { writeLayers } from '../export/write_layers.ts';
import { fileInput, host } from '../files/file_input.ts';

// What we write is read by GDAL (Debian gdal-bin and python3-gdal), openpyxl and DuckDB, and by our own readers.

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-written-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);

const SHAPES: Record<'points' | 'lines' | 'polygons' | 'mixed', (Geometry | null)[]> = {
  points: [{ type: 'Point', coordinates: [8.5, 47.4] }, null, { type: 'Point', coordinates: [-12.25, 46.5] }],
  lines: [
    {
      type: 'LineString',
      coordinates: [
        [0, 0],
        [1, 1],
        [2, 0.5],
      ],
    },
    null,
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
  ],
  polygons: [
    {
      type: 'Polygon',
      coordinates: [
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
      ],
    },
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
    null,
  ],
  mixed: [
    { type: 'Point', coordinates: [1, 2] },
    {
      type: 'LineString',
      coordinates: [
        [0, 0, 5],
        [1, 1, 6.5],
      ],
    },
    {
      type: 'MultiPoint',
      coordinates: [
        [1, 1],
        [2, 2],
      ],
    },
  ],
};
const ROWS = [
  {
    code: '0142',
    name: 'Zürich “See” 木',
    size: 12.5,
    whole: 7,
    big: 9007199254740991,
    seen: '2024-05-01',
    known: '2019',
    at: '2024-05-01T12:30:00+02:00',
    lit: true,
    formula: '=1+1',
  },
  { code: '0077', name: null, size: null, whole: null, big: null, seen: null, known: null, at: null, lit: null, formula: '' },
  {
    code: '0101',
    name: 'O\'Hara, naïve\n"x"',
    size: -0.1,
    whole: -3,
    big: 3e9,
    seen: '1999-12-31',
    known: '2020-01-02',
    at: '1969-12-31T23:59:59Z',
    lit: false,
    formula: '@x',
  },
];
const NAMES = Object.keys(ROWS[0]);

function tableOf(kind: keyof typeof SHAPES, crs?: Crs): FeatureTable {
  const builder = new TableBuilder();
  NAMES.forEach((name) => builder.column(name));
  SHAPES[kind].forEach((shape, i) => builder.addFeature(shape, ROWS[i]));
  const table = builder.finish();
  if (!crs) return table;
  const recipe = {
    columns: NAMES.map((name) => ({ name, as: name, codes: 'code' as const })),
    shape: { kind: 'as-is' as const },
    crs,
    order: null,
  };
  return makeTable(table, Uint32Array.of(0, 1, 2), recipe, new Map(), null as unknown as Geos).table;
}

function layerOf(table: FeatureTable, more: Partial<WrittenLayer> = {}): WrittenLayer {
  return {
    name: 'set',
    description: 'A set “of” three',
    table,
    rows: Uint32Array.from({ length: table.rows }, (_, i) => i),
    shapes: true,
    about: new Map([['size', { title: 'Size', description: 'in metres, "as measured"' }]]),
    colour: '#b85a26',
    wkt: wktOf(table.crs),
    coordinates: null,
    guarded: true,
    made: new Date('2024-05-31T10:00:00Z'),
    ...more,
  };
}
const written = async (format: string, name: string, layer: WrittenLayer) => {
  await writeLayers(at(name), writtenFormatNamed(format), [layer]);
  return at(name);
};

/** What GDAL finds in a file: of each layer its name, type, system, columns and features, by its Python binding. */
const READER = `
import json, sys
from osgeo import ogr, osr
ogr.UseExceptions()
out = []
d = ogr.Open(sys.argv[1])
for i in range(d.GetLayerCount()):
    l = d.GetLayer(i)
    s = l.GetSpatialRef()
    f = l.GetLayerDefn()
    cols = [(f.GetFieldDefn(c).GetName(), f.GetFieldDefn(c).GetTypeName(), f.GetFieldDefn(c).GetSubType()) for c in range(f.GetFieldCount())]
    rows = []
    for t in l:
        g = t.GetGeometryRef()
        rows.append([g.ExportToIsoWkt() if g else None, {c[0]: (None if t.IsFieldNull(k) or not t.IsFieldSet(k) else t.GetFieldAsString(k)) for k, c in enumerate(cols)}])
    out.append({'name': l.GetName(), 'type': ogr.GeometryTypeToName(l.GetGeomType()), 'epsg': s.GetAuthorityCode(None) if s else None, 'columns': cols, 'rows': rows})
print(json.dumps(out))
`;
writeFileSync(at('reader.py'), READER);
interface Seen {
  name: string;
  type: string;
  epsg: string | null;
  columns: [string, string, number][];
  rows: [string | null, Record<string, string | null>][];
}
const python = (...args: string[]) =>
  execFileSync('/usr/bin/python3', args, { encoding: 'utf8', maxBuffer: 1 << 28, stdio: ['ignore', 'pipe', 'pipe'] });
const gdal = (path: string) => JSON.parse(python(at('reader.py'), path)) as Seen[];

/** Numbers in text, rounded to what a format keeps. */
const rounded = (wkt: string | null) =>
  wkt?.replaceAll(/-?\d+(\.\d+)?(e-?\d+)?/g, (number) => String(Number(Number(number).toFixed(6)))) ?? null;
const WKT: Record<string, (string | null)[]> = {
  points: ['POINT (8.5 47.4)', null, 'POINT (-12.25 46.5)'],
  lines: ['MULTILINESTRING ((0 0,1 1,2 0.5))', null, 'MULTILINESTRING ((0 0,1 1),(3 3,4 4))'],
  polygons: [
    'MULTIPOLYGON (((0 0,4 0,4 4,0 4,0 0),(1 1,1 2,2 2,2 1,1 1)))',
    'MULTIPOLYGON (((10 10,11 10,11 11,10 10)),((20 20,21 20,21 21,20 20)))',
    null,
  ],
};

describe.each(['points', 'lines', 'polygons'] as const)('%s as GeoPackage', (kind) => {
  test('GDAL reads the same features, values, blanks, types, descriptions and system', async () => {
    const path = await written('geopackage', `${kind}.gpkg`, layerOf(tableOf(kind)));
    const [seen] = gdal(path);
    expect(seen).toMatchObject({ name: 'set', epsg: '4326' });
    expect(seen.rows.map(([wkt]) => rounded(wkt))).toEqual(WKT[kind]);
    expect(Object.fromEntries(seen.columns.map(([name, type]) => [name, type]))).toEqual({
      code: 'String',
      name: 'String',
      size: 'Real',
      whole: 'Integer',
      big: 'Integer64',
      seen: 'Date',
      known: 'String',
      at: 'DateTime',
      lit: 'Integer',
      formula: 'String',
    });
    expect(seen.rows[0][1]).toEqual({
      code: '0142',
      name: 'Zürich “See” 木',
      size: '12.5',
      whole: '7',
      big: '9007199254740991',
      seen: '2024/05/01',
      known: '2019',
      at: '2024/05/01 10:30:00+00',
      lit: '1',
      formula: '=1+1',
    });
    expect(seen.rows[1][1]).toEqual({ ...Object.fromEntries(NAMES.map((name) => [name, null])), code: '0077', formula: '' });
    expect(seen.rows[2][1]).toMatchObject({ name: ROWS[2].name, at: '1969/12/31 23:59:59+00' });
  });

  test('it passes the checks of the standard’s abstract tests that GDAL ships', async () => {
    const path = await written('geopackage', `${kind}_checked.gpkg`, layerOf(tableOf(kind)));
    const out = python('/usr/lib/python3/dist-packages/osgeo_utils/samples/validate_gpkg.py', path);
    expect(out).toBe('');
  });
});

test('a GeoPackage of several layers, in another system, with heights, and without shapes', async () => {
  const utm = crsNamed('EPSG:32629');
  const layers = [
    layerOf(tableOf('points', utm), { name: 'Trees' }),
    layerOf(tableOf('mixed'), { name: 'trees' }),
    layerOf(tableOf('points'), { name: 'gpkg_x', shapes: false }),
  ];
  await writeLayers(at('many.gpkg'), writtenFormatNamed('geopackage'), layers);
  const seen = gdal(at('many.gpkg'));
  expect(seen.map(({ name, epsg, rows }) => [name, epsg, rows.length])).toEqual([
    ['Trees', '32629', 3],
    ['trees_2', '4326', 3],
    ['layer_gpkg_x', null, 3],
  ]);
  expect(seen[1].rows[1][0]).toBe('LINESTRING Z (0 0 5,1 1 6.5)');
  expect(python('/usr/lib/python3/dist-packages/osgeo_utils/samples/validate_gpkg.py', at('many.gpkg'))).toBe('');
});

test('the index of a GeoPackage finds what is there, is sound by its module’s own check, and stays so when others edit', async () => {
  const script = `
import json, sqlite3, sys
from osgeo import ogr
ogr.UseExceptions()
check = lambda: sqlite3.connect(sys.argv[1]).execute("SELECT rtreecheck('rtree_set_geom')").fetchone()[0]
d = ogr.Open(sys.argv[1], 1)
l = d.GetLayer(0)
l.SetSpatialFilterRect(-20, -10, 60, 50)
found, first = l.GetFeatureCount(), check()
l.SetSpatialFilter(None)
count = l.GetFeatureCount()
for i in range(60):
    f = ogr.Feature(l.GetLayerDefn()); f.SetGeometry(ogr.CreateGeometryFromWkt('POINT (%s 5)' % (i / 100))); l.CreateFeature(f)
for i in range(1, count, 2): l.DeleteFeature(i)
l.SetSpatialFilterRect(-1, 4, 1, 6)
added = l.GetFeatureCount(); d = None
print(json.dumps([found, first, check(), added]))
`;
  const coordinate = (most: number) => fc.double({ min: -most, max: most, noNaN: true });
  const place = fc.option(fc.tuple(coordinate(170), coordinate(80)), { freq: 20 });
  await fc.assert(
    fc.asyncProperty(fc.array(place, { minLength: 1, maxLength: 3000 }), async (places) => {
      const builder = new TableBuilder();
      places.forEach((at, n) => builder.addFeature(at && { type: 'Point', coordinates: at }, { n }));
      rmSync(at('index.gpkg'), { force: true });
      const path = await written('geopackage', 'index.gpkg', layerOf(builder.finish()));
      const inside = (w: number, s: number, e: number, n: number, from = 0, step = 1) =>
        places.filter((at, i) => i >= from && (i - from) % step === 0 && at && at[0] >= w && at[0] <= e && at[1] >= s && at[1] <= n).length;
      const [found, first, after, added] = JSON.parse(python('-c', script, path)) as unknown[];
      expect([found, first, after]).toEqual([inside(-20, -10, 60, 50), 'ok', 'ok']);
      // Of those that were there, features 1, 3, 5 … are gone, as far as they come before the last.
      const kept = inside(-1, 4, 1, 6, 1, 2) + (places.length % 2 === 1 ? inside(-1, 4, 1, 6, places.length - 1, places.length) : 0);
      expect(added).toBe(60 + kept);
    }),
    { numRuns: 12 },
  );
});

test.each(['points', 'lines', 'polygons'] as const)('%s as a shapefile in a zip', async (kind) => {
  const table = tableOf(kind, crsNamed('EPSG:32629'));
  const path = await written('shapefile', `${kind}.zip`, layerOf(table));
  const [seen] = gdal(`/vsizip/${path}/set.shp`);
  expect(seen.epsg).toBe('32629');
  expect(seen.columns.map(([name, type]) => [name, type])).toEqual([
    ['code', 'String'],
    ['name', 'String'],
    ['size', 'Real'],
    ['whole', 'Integer'],
    ['big', 'Integer64'],
    ['seen', 'Date'],
    ['known', 'String'],
    ['at', 'String'],
    ['lit', 'String'],
    ['formula', 'String'],
  ]);
  expect(seen.rows[0][1]).toMatchObject({
    code: '0142',
    name: 'Zürich “See” 木',
    size: '12.5',
    whole: '7',
    big: '9007199254740991',
    seen: '2024/05/01',
    at: '2024-05-01T12:30:00+02:00',
    lit: 'T',
  });
  expect(seen.rows[2][1]).toMatchObject({ size: '-0.1', whole: '-3' });
  const back = await readBack(`${kind}.zip`);
  expect(back.geometries.map(wound)).toEqual(SHAPES[kind].map((_, row) => wound(geometryAt(table, row))));
});

test('a shapefile a kind of shape, names of ten characters, texts that are cut', async () => {
  const builder = new TableBuilder();
  const long = 'é'.repeat(200);
  SHAPES.mixed.forEach((shape, i) => builder.addFeature(shape, { last_inspected: i, last_inspection: i, höhe_über_null: long }));
  const path = await written('shapefile', 'mixed.zip', layerOf(builder.finish()));
  const [points, lines, multi] = ['points', 'lines', 'multipoints'].map((kind) => gdal(`/vsizip/${path}/set_${kind}.shp`)[0]);
  expect([points, lines, multi].map(({ rows }) => rows.length)).toEqual([1, 1, 1]);
  expect(lines.rows[0][0]).toBe('LINESTRING Z (0 0 5,1 1 6.5)');
  expect(points.columns.map(([name]) => name)).toEqual(['last_inspe', 'last_ins_1', 'höhe_übe']);
  expect(points.rows[0][1]['höhe_übe']).toBe('é'.repeat(127));
});

/** Rings run the way that a format asks for. */
function wound(geometry: Geometry | null): unknown {
  const turned = (rings: number[][][]) => rings.map((ring) => [ring, ring.toReversed()].map((one) => JSON.stringify(one)).sort()[0]);
  if (geometry?.type === 'Polygon') return turned(geometry.coordinates);
  return geometry?.type === 'MultiPolygon' ? geometry.coordinates.map(turned) : geometry;
}

/** A single shape as a multiple one of one part, which all of a layer are where both occur. */
function multiple(geometry: Geometry): Geometry {
  if (geometry.type === 'Polygon') return { type: 'MultiPolygon', coordinates: [geometry.coordinates] };
  return geometry.type === 'LineString' ? { type: 'MultiLineString', coordinates: [geometry.coordinates] } : geometry;
}

async function readBack(name: string) {
  const layers = await layersIn(await fileInput(at(name)), host);
  const { table } = await readLayer(chosenLayer(layers, undefined, name), {}, host);
  return {
    table,
    geometries: Array.from({ length: table.rows }, (_, row) => geometryAt(table, row)),
    rows: Array.from({ length: table.rows }, (_, row) =>
      Object.fromEntries(table.columns.map((column) => [column.name, valueAt(column, row)])),
    ),
  };
}

describe.each(['points', 'lines', 'polygons', 'mixed'] as const)('%s as FlatGeobuf', (kind) => {
  test('GDAL reads every feature, and finds it by its index', async () => {
    const path = await written('flatgeobuf', `${kind}.fgb`, layerOf(tableOf(kind)));
    const [seen] = gdal(path);
    expect(seen.epsg).toBe('4326');
    const order = ROWS.map(({ code }) => seen.rows.findIndex(([, row]) => row.code === code));
    expect([...order].sort()).toEqual([0, 1, 2]);
    if (kind !== 'mixed') expect(order.map((i) => rounded(seen.rows[i][0]))).toEqual(WKT[kind]);
    expect(seen.rows[order[0]][1]).toMatchObject({
      name: 'Zürich “See” 木',
      size: '12.5',
      whole: '7',
      big: '9007199254740991',
      seen: '2024/05/01 00:00:00',
      known: '2019',
      lit: '1',
    });
    expect(seen.rows[order[1]][1]).toMatchObject({ name: null, size: null, lit: null, seen: null });
    const back = await readBack(`${kind}.fgb`);
    const expected = kind === 'mixed' ? SHAPES.mixed : SHAPES[kind].map((shape) => (shape && kind !== 'points' ? multiple(shape) : shape));
    expect(order.map((i) => back.geometries[i])).toEqual(expected);
    const found = execFileSync('ogrinfo', ['-al', '-so', '-spat', '8', '47', '9', '48', path], { encoding: 'utf8' });
    expect(/Feature Count: (\d+)/.exec(found)?.[1]).toBe(kind === 'points' ? '1' : '0');
  });
});

test('the index of a FlatGeobuf finds what GDAL finds without one', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.tuple(fc.double({ min: -170, max: 170, noNaN: true }), fc.double({ min: -80, max: 80, noNaN: true })), {
        minLength: 1,
        maxLength: 700,
      }),
      async (places) => {
        const builder = new TableBuilder();
        places.forEach(([x, y], n) => builder.addFeature({ type: 'Point', coordinates: [x, y] }, { n }));
        const path = await written('flatgeobuf', 'index.fgb', layerOf(builder.finish()));
        const out = execFileSync('ogrinfo', ['-al', '-so', '-spat', '-20', '-10', '60', '50', path], { encoding: 'utf8' });
        const inside = places.filter(([x, y]) => x >= -20 && x <= 60 && y >= -10 && y <= 50).length;
        expect(Number(/Feature Count: (\d+)/.exec(out)?.[1])).toBe(inside);
      },
    ),
    { numRuns: 12 },
  );
});

test.each(['points', 'lines', 'polygons', 'mixed'] as const)('%s as GeoParquet: DuckDB reads the values, we the shapes', async (kind) => {
  const table = tableOf(kind);
  const path = await written('geoparquet', `${kind}.parquet`, layerOf(table));
  const connection = await (await DuckDBInstance.create(':memory:')).connect();
  const result = await connection.runAndReadAll(
    `SELECT * EXCLUDE geometry, typeof(seen) AS t1, typeof("at") AS t2, typeof(whole) AS t3, typeof(big) AS t4 FROM read_parquet('${path}')`,
  );
  const rows = result.getRowObjectsJson();
  expect(rows[0]).toMatchObject({
    code: '0142',
    name: 'Zürich “See” 木',
    size: 12.5,
    whole: 7,
    seen: '2024-05-01',
    known: '2019',
    lit: true,
    t1: 'DATE',
    t2: 'TIMESTAMP WITH TIME ZONE',
    t3: 'INTEGER',
    t4: 'BIGINT',
  });
  expect(JSON.stringify(rows[0].big).replaceAll('"', '')).toBe('9007199254740991');
  expect(rows[1]).toMatchObject({
    name: null,
    size: null,
    whole: null,
    seen: null,
    at: null,
    lit: null,
    formula: '',
  });
  const back = await readBack(`${kind}.parquet`);
  expect(back.geometries).toEqual(SHAPES[kind]);
});

test.each([
  'EPSG:32629',
  'EPSG:27700',
  'EPSG:2154',
  'EPSG:3035',
  'EPSG:5070',
  'EPSG:2193',
  'EPSG:3857',
  'EPSG:4258',
  'EPSG:28992',
  'EPSG:2230',
])('%s as PROJJSON is what PROJ has under that code', async (name) => {
  const { projJsonOf } = await import('@clean-sieve/core');
  const crs = crsNamed(name);
  const json = projJsonOf(crs, wktOf(crs));
  writeFileSync(at('crs.json'), JSON.stringify({ ...(json as object), id: undefined }));
  const script = `
import sys
from osgeo import osr
a, b = osr.SpatialReference(), osr.SpatialReference()
a.SetFromUserInput(open(sys.argv[1]).read()); b.ImportFromEPSG(int(sys.argv[2]))
for s in (a, b): s.SetAxisMappingStrategy(osr.OAMS_TRADITIONAL_GIS_ORDER)
g = b.CloneGeogCS(); g.SetAxisMappingStrategy(osr.OAMS_TRADITIONAL_GIS_ORDER)
h = a.CloneGeogCS(); h.SetAxisMappingStrategy(osr.OAMS_TRADITIONAL_GIS_ORDER)
w = b.GetAreaOfUse() if hasattr(b, 'GetAreaOfUse') else None
x, y = float(sys.argv[3]), float(sys.argv[4])
print([round(v, 4) for v in osr.CoordinateTransformation(h, a).TransformPoint(x, y)[:2]], [round(v, 4) for v in osr.CoordinateTransformation(g, b).TransformPoint(x, y)[:2]], sep='|')
`;
  const place: Record<string, string[]> = {
    'EPSG:27700': ['-1', '53'],
    'EPSG:2154': ['3', '47'],
    'EPSG:3035': ['10', '50'],
    'EPSG:5070': ['-100', '40'],
    'EPSG:2193': ['174', '-40'],
    'EPSG:28992': ['5', '52'],
    'EPSG:2230': ['-117', '33'],
  };
  const [mine, theirs] = python('-c', script, at('crs.json'), name.slice(5), ...(place[name] ?? ['-9.5', '46']))
    .trim()
    .split('|');
  expect(mine).toBe(theirs);
});

test.each(['points', 'lines', 'polygons'] as const)('%s as KML and KMZ', async (kind) => {
  const layer = layerOf(tableOf(kind));
  for (const path of [await written('kml', `${kind}.kml`, layer), await written('kmz', `${kind}.kmz`, layer)]) {
    const [seen] = gdal(path);
    const shapes = seen.rows.map(([wkt]) => rounded(wkt?.replaceAll(' Z', '').replaceAll(/ 0(?=[,)])/g, '') ?? null));
    if (kind === 'points') expect(shapes).toEqual(WKT.points);
    expect(seen.rows[0][1]).toMatchObject({ code: '0142', Name: 'Zürich “See” 木', size: '12.5', whole: '7', known: '2019' });
    expect(seen.rows[1][1].size).toBeNull();
  }
  expect(readFileSync(at(`${kind}.kml`), 'utf8')).toContain('<color>ff265ab8</color>');
  expect((await readBack(`${kind}.kml`)).geometries).toEqual(SHAPES[kind].map((shape) => shape));
});

test.each(['points', 'lines', 'polygons', 'mixed'] as const)('%s as TopoJSON', async (kind) => {
  await written('topojson', `${kind}.topojson`, layerOf(tableOf(kind)));
  const back = await readBack(`${kind}.topojson`);
  expect(back.rows.map(({ code, size, lit }) => ({ code, size, lit }))).toEqual(ROWS.map(({ code, size, lit }) => ({ code, size, lit })));
  // That reader leaves features without a shape out.
  const [seen] = gdal(at(`${kind}.topojson`));
  expect(seen.rows.map(([wkt]) => wkt !== null)).toEqual(SHAPES[kind].flatMap((shape) => (shape ? [true] : [])));
});

test.each(['points', 'polygons'] as const)('%s as a workbook, read by openpyxl', async (kind) => {
  const path = await written('workbook', `${kind}.xlsx`, layerOf(tableOf(kind)));
  const script = `
import json, sys, openpyxl
w = openpyxl.load_workbook(sys.argv[1])
s = w.active
print(json.dumps({'title': s.title, 'frozen': s.freeze_panes, 'rows': [[(c.value.isoformat() if hasattr(c.value, 'isoformat') else c.value, c.data_type) for c in r] for r in s.iter_rows()]}))
`;
  const { title, frozen, rows } = JSON.parse(python('-c', script, path)) as { title: string; frozen: string; rows: [unknown, string][][] };
  expect([title, frozen]).toEqual(['set', 'A2']);
  const extra = kind === 'points' ? ['longitude', 'latitude'] : ['wkt'];
  expect(rows[0].map(([value]) => value)).toEqual([...NAMES, ...extra]);
  const cells = Object.fromEntries(rows[1].map((cell, i) => [rows[0][i][0] as string, cell] as const));
  expect(cells).toMatchObject({
    code: ['0142', 's'],
    size: [12.5, 'n'],
    seen: ['2024-05-01T00:00:00', 'd'],
    known: ['2019', 's'],
    lit: [true, 'b'],
    formula: ['=1+1', 's'],
  });
  expect(rows[2].map(([value]) => value).filter((value) => value !== null)).toEqual([
    '0077',
    ...(kind === 'points' ? [] : [expect.stringContaining('MULTIPOLYGON') as string]),
  ]);
});

test('CSV: texts that a spreadsheet would take for formulas are kept from that, numbers are not touched', async () => {
  await written('csv', 'guarded.csv', layerOf(tableOf('points')));
  const text = readFileSync(at('guarded.csv'), 'utf8');
  expect(text).toContain(",'=1+1,");
  expect(text).toContain('-0.1');
  expect(text).not.toContain("'-0.1");
  const [seen] = gdal(at('guarded.csv'));
  expect(seen.rows.map(([, row]) => [row.longitude, row.latitude])).toEqual([
    ['8.5', '47.4'],
    ['', ''],
    ['-12.25', '46.5'],
  ]);
  await written('csv', 'utm.csv', layerOf(tableOf('points', crsNamed('EPSG:32629')), { guarded: false, coordinates: 'wkt' }));
  expect(readFileSync(at('utm.csv'), 'utf8')).toMatch(/,=1\+1,POINT\(1818\d+/);
});

test.each([
  ['shapefile', 256, 'Shapefile has room for 255 columns, and these are 256'],
  ['geopackage', 1999, 'GeoPackage has room for 1,998 columns, and these are 1,999'],
])('%s of %i columns is refused before anything is written; one fewer is read whole', async (format, columns, said) => {
  const wide = (count: number) => {
    const builder = new TableBuilder();
    builder.addFeature({ type: 'Point', coordinates: [0, 0] }, Object.fromEntries(Array.from({ length: count }, (_, i) => [`c${i}`, i])));
    return layerOf(builder.finish());
  };
  const ending = format === 'shapefile' ? 'zip' : 'gpkg';
  await expect(written(format, `wide.${ending}`, wide(columns))).rejects.toThrow(said);
  const path = await written(format, `wide.${ending}`, wide(columns - 1));
  const [seen] = gdal(format === 'shapefile' ? `/vsizip/${path}/set.shp` : path);
  expect(seen.columns).toHaveLength(columns - 1);
  expect(Object.values(seen.rows[0][1]).map(Number)).toEqual(Array.from({ length: columns - 1 }, (_, i) => i));
});

test('the longest row that a shapefile can have is read whole', async () => {
  const builder = new TableBuilder();
  // 255 columns of 254 bytes are 64,770; the header has two bytes for that.
  builder.addFeature(null, Object.fromEntries(Array.from({ length: 255 }, (_, i) => [`c${i}`, 'x'.repeat(254)])));
  const path = await written('shapefile', 'long.zip', layerOf(builder.finish()));
  expect(gdal(`/vsizip/${path}/set.dbf`)[0].rows[0][1].c254).toBe('x'.repeat(254));
});

test('a cancelled or failing file leaves nothing behind', async () => {
  const stop = () => {
    throw new Error('stop');
  };
  for (const { name } of WRITTEN_FORMATS) {
    const layer = layerOf(tableOf('points'));
    await expect(writeLayers(at('stopped/x'), writtenFormatNamed(name), [layer], stop)).rejects.toThrow();
    await expect(writeLayers(at(`stopped.${name}`), writtenFormatNamed(name), [layer], stop)).rejects.toThrow('stop');
  }
  expect(execFileSync('ls', [folder], { encoding: 'utf8' })).not.toMatch(/stopped|part/);
});

test('an empty layer is written in every format', async () => {
  for (const { name, writing } of WRITTEN_FORMATS) {
    const layer = layerOf(tableOf('points'), { rows: new Uint32Array(0) });
    const path = await written(name, `empty${writing.extension}`, layer);
    // GDAL takes no empty newline-delimited file for one, and does not know the others.
    if (['workbook', 'kmz', 'geoparquet', 'geojsonseq'].includes(name)) continue;
    const seen = gdal(name === 'shapefile' ? `/vsizip/${path}` : path);
    expect([name, seen.flatMap(({ rows }) => rows)]).toEqual([name, []]);
  }
});

test('a vector tile, read by GDAL: every kept feature once, where it is, whatever its size', () => {
  const builder = new TableBuilder();
  const tiny = [
    [
      [-12.1, 46.6],
      [-12.09999999, 46.6],
      [-12.1, 46.60000001],
      [-12.1, 46.6],
    ],
  ];
  const ring = (x: number, y: number, w: number) => [
    [x, y],
    [x + w, y],
    [x + w, y + w],
    [x, y + w],
    [x, y],
  ];
  const shapes: Geometry[] = [
    { type: 'Point', coordinates: [-12.05, 46.55] },
    { type: 'Polygon', coordinates: tiny },
    { type: 'Polygon', coordinates: [ring(-12.2, 46.5, 0.3), ring(-12.1, 46.6, 0.05)] },
    {
      type: 'LineString',
      coordinates: [
        [-40, 41.5],
        [10, 50],
      ],
    },
    { type: 'Polygon', coordinates: [ring(-60, 20, 100)] },
    { type: 'Point', coordinates: [100, 0] },
    { type: 'Point', coordinates: [-12, 46.5] },
  ];
  shapes.forEach((shape, n) => builder.addFeature(shape, { n, half: n / 2, even: n % 2 === 0, name: `é${n}`, none: n === 1 ? 'x' : null }));
  const table = builder.finish();
  const kept = Uint32Array.of(0b0111111);
  const [z, x, y] = [8, 119, 90];
  const tile = vectorTile(table, kept, table.columns, 'set', z, x, y);
  mkdirSync(at(`tiles/${z}/${x}`), { recursive: true });
  writeFileSync(at(`tiles/${z}/${x}/${y}.mvt`), tile);
  const [seen] = gdal(at(`tiles/${z}/${x}/${y}.mvt`));
  expect(seen.rows.map(([, { n }]) => n).sort()).toEqual(['0', '1', '2', '3', '4']);
  const of = (n: number) => seen.rows.find(([, row]) => row.n === String(n))!;
  expect(of(1)[1]).toMatchObject({ half: '0.5', even: '0', name: 'é1', none: 'x' });
  expect(of(0)[1].none).toBeNull();
  // Web Mercator of the point, to the size of a unit at this zoom: 40 075 017 m / 256 / 4096.
  const [px, py] = /\(([-\d.]+) ([-\d.]+)\)/.exec(of(0)[0]!)!.slice(1).map(Number);
  expect(Math.abs(px - (-12.05 * Math.PI * 6378137) / 180)).toBeLessThan(39);
  expect(Math.abs(py - 6378137 * Math.log(Math.tan(Math.PI / 4 + (46.55 * Math.PI) / 360)))).toBeLessThan(39);
  expect(of(2)[0]).toMatch(/^(MULTI)?POLYGON \(+[^()]*\),\([^()]*\)+$/);
  expect(vectorTile(table, kept, table.columns, 'set', 8, 0, 0)).toHaveLength(0);
});
