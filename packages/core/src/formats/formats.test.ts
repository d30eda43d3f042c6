import fc from 'fast-check';
import { valueAt } from '../features/column.ts';
import { geometryAt, type FeatureTable } from '../features/table.ts';
import type { ReadOptions } from './format.ts';
import { memoryInput, type Input } from './input.ts';
import { readLayer, type Host } from './file_layers.ts';
import { ReadError } from './read_error.ts';
import type { WrittenLayer } from './writing.ts';
import { formatNamed, recognise, writtenFormatNamed, writtenFormatOf } from './format_registry.ts';

const host: Host = {
  openDatabase: () => Promise.reject(new Error('not here')),
  crsOf: () => Promise.resolve(null),
};
const bytesOf = (content: string | Uint8Array) => (typeof content === 'string' ? new TextEncoder().encode(content) : content);
const inPieces = (input: Input, content: Uint8Array, size: number): Input => ({
  ...input,
  async *stream() {
    for (let at = 0; at < content.length; at += size) yield await Promise.resolve(content.subarray(at, at + size));
  },
});
const read = async (name: string, content: string | Uint8Array, options: ReadOptions = {}, size = 1 << 16) => {
  const format = formatNamed(name);
  const bytes = bytesOf(content);
  const input = inPieces(memoryInput(`test${format.extensions[0]}`, bytes), bytes, size);
  const [layer] = await format.layers(input);
  return readLayer({ ...layer, inner: layer.name, format, input }, options, host);
};
const layerOf = (table: FeatureTable, more: Partial<WrittenLayer> = {}): WrittenLayer => ({
  name: 'test',
  description: null,
  table,
  rows: Uint32Array.from({ length: table.rows }, (_, i) => i),
  shapes: true,
  about: new Map(),
  colour: '#2c5b4b',
  wkt: null,
  coordinates: null,
  guarded: false,
  made: new Date(0),
  ...more,
});
const write = (format: string, table: FeatureTable, more: Partial<WrittenLayer> = {}) => {
  const { writing } = writtenFormatNamed(format);
  if (writing.kind !== 'file') throw new Error('not one file');
  return [...(writing.pieces(layerOf(table, more)) as Iterable<string>)].join('');
};
const features = (table: FeatureTable) =>
  Array.from({ length: table.rows }, (_, row) => ({
    geometry: geometryAt(table, row),
    values: table.columns.map((c) => [c.name, valueAt(c, row)]),
  }));

const FEATURE = '{"type":"Feature","geometry":{"type":"Point","coordinates":[8.5,47.4]},"properties":{"name":"Zürich \\"}{[","n":1}}';

describe('GeoJSON', () => {
  // The example of RFC 7946, section 1.5.
  const EXAMPLE = `{
       "type": "FeatureCollection",
       "features": [{
           "type": "Feature",
           "geometry": { "type": "Point", "coordinates": [102.0, 0.5] },
           "properties": { "prop0": "value0" }
       }, {
           "type": "Feature",
           "geometry": { "type": "LineString", "coordinates": [ [102.0, 0.0], [103.0, 1.0], [104.0, 0.0], [105.0, 1.0] ] },
           "properties": { "prop0": "value0", "prop1": 0.0 }
       }, {
           "type": "Feature",
           "geometry": { "type": "Polygon", "coordinates": [ [ [100.0, 0.0], [101.0, 0.0], [101.0, 1.0], [100.0, 1.0], [100.0, 0.0] ] ] },
           "properties": { "prop0": "value0", "prop1": { "this": "that" } }
       }]
   }`;
  test.each([1, 7, 64, 1 << 16])('the example of the standard, in pieces of %d bytes', async (size) => {
    const { table } = await read('geojson', EXAMPLE, {}, size);
    expect(table.rows).toBe(3);
    expect(geometryAt(table, 1)).toMatchObject({ type: 'LineString' });
    expect(table.columns.map((c) => [c.name, c.type, valueAt(c, 2)])).toEqual([
      ['prop0', 'text', 'value0'],
      ['prop1', 'text', '{"this":"that"}'],
    ]);
  });

  test('one feature a line, text sequences, and features before the type', async () => {
    for (const text of [
      `${FEATURE}\n${FEATURE}\n`,
      `\u001e${FEATURE}\n\u001e${FEATURE}\n`,
      `{"features":[${FEATURE},${FEATURE}],"type":"FeatureCollection"}`,
      `\ufeff${FEATURE}${FEATURE}`,
    ]) {
      const { table } = await read('geojson', text, {}, 11);
      expect(table.rows).toBe(2);
      expect(valueAt(table.columns[0], 1)).toBe('Zürich "}{[');
    }
  });

  test('identifiers outside the properties come back there', async () => {
    const { table } = await read(
      'geojson',
      `{"type":"FeatureCollection","features":[${FEATURE.replace('"geometry"', '"id":"a7","geometry"')}]}`,
    );
    expect(JSON.parse(write('geojson', table))).toMatchObject({ features: [{ id: 'a7', properties: { n: 1 } }] });
  });

  test('no feature is a table without rows', async () => {
    const { table } = await read('geojson', '{"type":"FeatureCollection","features":[]}');
    expect([table.rows, table.columns.length]).toEqual([0, 0]);
    expect(JSON.parse(write('geojson', table))).toEqual({ type: 'FeatureCollection', features: [] });
  });

  test('rings left open are closed, and it is said', async () => {
    const { notes } = await read('geojson', '{"type":"Polygon","coordinates":[[[0,0],[1,0],[1,1]]]}');
    expect(notes[0]).toContain('1 time: a polygon ring did not end where it begins');
  });

  test.each([
    ['', 'empty'],
    ['hello', 'begins with “h”'],
    ['[1,2]', 'begins with “[”'],
    ['{"type":"FeatureCollection","features":[', 'ends before'],
    [`{"type":"FeatureCollection","features":[${FEATURE},\n${FEATURE.slice(0, 60)}`, 'in the middle of feature 2, which begins on line 2'],
    [`{"type":"FeatureCollection","features":[${FEATURE}\n${FEATURE}]}`, 'comma is missing'],
    [`{"type":"FeatureCollection","features":[${FEATURE},]}`, 'comma too many'],
    ['{"type":"FeatureCollection","features":[1]}', 'not an object'],
    ['{"type":"FeatureCollection"}', 'no “features” array'],
    ['{"type":"Topology","objects":{}}', 'not GeoJSON'],
    [
      `{"type":"FeatureCollection","features":[\n\n{"type":"Feature","properties":{"a":01},"geometry":null}]}`,
      'Feature 1 (line 3) is not valid JSON',
    ],
    ['{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[1]}}', 'not a position'],
    ['{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":["1","2"]}}', 'not a position'],
    [
      '{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[95.2,47.4]}}{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[47.4,95.2]}}',
      'Feature 2 (line 1): 47.4, 95.2',
    ],
    ['{"type":"Feature","properties":{},"geometry":{"type":"Circle","coordinates":[1,2]}}', 'not a geometry type'],
    ['{"type":"Feature","properties":{},"geometry":{"type":"LineString","coordinates":[1,2]}}', 'where coordinates should be'],
    ['{"type":"Feature","properties":[],"geometry":null}', '“properties” is not an object'],
    ['{"type":"FeatureCollection","crs":{"type":"name","properties":{"name":"urn:ogc:def:crs:EPSG::32629"}},"features":[]}', 'EPSG:32629'],
  ])('%s is refused', async (text, message) => {
    await expect(read('geojson', text)).rejects.toThrow(ReadError);
    await expect(read('geojson', text)).rejects.toThrow(message);
  });

  test('bytes that are not UTF-8 are refused', async () => {
    const bytes = new TextEncoder().encode(FEATURE);
    bytes[bytes.indexOf(0xc3)] = 0xff;
    await expect(read('geojson', bytes)).rejects.toThrow('not UTF-8');
  });

  test('any bytes are read or refused with a ReadError', async () => {
    const piece = fc.constantFrom('{', '}', '[', ']', ',', ':', '"', '\\', '"features"', '"type"', '"Feature"', 'null', '1', FEATURE, '\n');
    await fc.assert(
      fc.asyncProperty(fc.array(piece, { maxLength: 20 }), async (parts) => {
        await read('geojson', parts.join(''), {}, 5).catch((error: unknown) => expect(error).toBeInstanceOf(ReadError));
      }),
      { numRuns: 500 },
    );
  });
});

describe('CSV', () => {
  test('delimiter, quotes, byte order mark and types', async () => {
    const { table, notes } = await read(
      'csv',
      '\ufeffcode;Lon;Lat;note;n;d;ok\r\n0142;8.5;47.4;"a ""b"";\r\nc";1.50;2020-01-01;true\r\n77;;;;;;\r\n',
      {},
      9,
    );
    expect(table.columns.map((c) => [c.name, c.type, valueAt(c, 0), valueAt(c, 1)])).toEqual([
      ['code', 'text', '0142', '77'],
      ['Lon', 'number', 8.5, null],
      ['Lat', 'number', 47.4, null],
      ['note', 'text', 'a "b";\r\nc', null],
      ['n', 'number', 1.5, null],
      ['d', 'date', '2020-01-01', null],
      ['ok', 'boolean', true, null],
    ]);
    expect(geometryAt(table, 0)).toEqual({ type: 'Point', coordinates: [8.5, 47.4] });
    expect(geometryAt(table, 1)).toBeNull();
    expect(notes).toEqual(['1 time: the row has no coordinates; taken without geometry (first: row 3).']);
  });

  test('names that stand twice are told apart', async () => {
    const { table, notes } = await read('csv', 'lon,lat,a,a,\n1,2,x,y,z\n');
    expect(table.columns.map((c) => c.name)).toEqual(['lon', 'lat', 'a', 'a_2', 'column_5']);
    expect(notes[0]).toContain('a_2');
  });

  test('a number spelled with a final zero keeps its spelling if the column turns out to be text', async () => {
    const { table } = await read('csv', 'x,y,v\n1,2,1.50\n1,2,0.10\n1,2,n/a\n');
    expect([0, 1, 2].map((row) => valueAt(table.columns[2], row))).toEqual(['1.50', '0.10', 'n/a']);
  });

  test('the coordinate columns can be named', async () => {
    const { table } = await read('csv', 'east,north\n8.5,47.4\n', { longitude: 'east', latitude: 'north' });
    expect(geometryAt(table, 0)).toEqual({ type: 'Point', coordinates: [8.5, 47.4] });
  });

  test.each([
    ['', 'empty'],
    ['a,b\n1,2\n', 'longitude and latitude columns'],
    ['lon,b\n1,2\n', 'latitude column'],
    ['lon,lat\n1,2,3\n', 'Row 2 has 3 cells'],
    ['lon,lat\n1,2\n465000,5249000\n', 'Row 3: 465000, 5249000'],
    ['lon,lat\n"1,2\n', 'Row 2: a quoted cell'],
  ])('%j is refused', async (text, message) => {
    await expect(read('csv', text)).rejects.toThrow(ReadError);
    await expect(read('csv', text)).rejects.toThrow(message);
  });

  test('what is written is read back the same', async () => {
    const text = fc.string({ maxLength: 8 }).filter((t) => !/^\s*$/.test(t) || t === '');
    const record = fc.record({
      name: fc.oneof(text, fc.constantFrom('a,b', 'q"q', 'x\ny', ' lead')),
      n: fc.double({ noNaN: true, noDefaultInfinity: true }),
      lon: fc.double({ min: -180, max: 180, noNaN: true }),
      lat: fc.double({ min: -90, max: 90, noNaN: true }),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(record, { minLength: 2, maxLength: 12 }), async (records) => {
        const lines = records.map(({ name, n, lon, lat }) =>
          JSON.stringify({
            type: 'Feature',
            geometry: { type: 'Point', coordinates: [lon, lat] },
            properties: { name, n, mark: 'm' },
          }),
        );
        const { table } = await read('geojsonseq', lines.join('\n'));
        const back = (await read('csv', write('csv', table))).table;
        expect(features(back).map((f) => f.geometry)).toEqual(features(table).map((f) => f.geometry));
        expect(records.map((_, row) => valueAt(back.columns[1], row))).toEqual(records.map(({ n }) => (Object.is(n, -0) ? 0 : n)));
      }),
      { numRuns: 100 },
    );
  });
});

test('GeoJSON written and read back is the same table', async () => {
  const { table } = await read(
    'geojson',
    `{"type":"FeatureCollection","features":[${FEATURE},{"type":"Feature","geometry":null,"properties":{"n":null,"d":"2020-01-01","when":"2020-01-01T10:00:00+02:00","b":false}}]}`,
  );
  for (const format of ['geojson', 'geojsonseq'])
    expect(features((await read(format, write(format, table))).table)).toEqual(features(table));
});

test('a file is known by its first bytes, then by its ending', async () => {
  const named = async (name: string, content: string) => (await recognise(memoryInput(name, bytesOf(content)))).name;
  expect(await named('A.GeoJSON', '{}')).toBe('geojson');
  expect(await named('a.csv', 'a,b')).toBe('csv');
  expect(await named('data.txt', '  {"type":"FeatureCollection"')).toBe('geojson');
  expect(await named('map.json', '{"type":"Topology"')).toBe('topojson');
  expect(await named('renamed.csv', 'SQLite format 3\0')).toBe('geopackage');
  expect(await named('places.xml', '<?xml version="1.0"?>\n<kml xmlns="x">')).toBe('kml');
  expect(await named('a.csv', 'fgb_id,x,y')).toBe('csv');
  expect(await named('a.bin', 'fgb\u0003fgb\u0001')).toBe('flatgeobuf');
  await expect(named('a.docx', 'x')).rejects.toThrow('a.docx has no ending');
  await expect(named('a.csv', '')).rejects.toThrow('empty');
  await expect(named('a.gml', '<?xml version="1.0"?><gml/>')).rejects.toThrow('neither KML nor GPX');
  expect(writtenFormatOf('out.geojson').name).toBe('geojson');
  expect(() => writtenFormatOf('out.gpx')).toThrow('which format to write');
});

describe('shapes alone as well-known text', () => {
  const lines = 'POINT(8.5 47.4)\r\n\r\nSRID=4326;LINESTRING(8 47, 9 48)\nPOLYGON EMPTY\nPOLYGON((0 0, 1 0\nPOINT Z (1 2 3)';

  test.each([1, 2, 7, 65_536])('one a line, in pieces of %d bytes', async (size) => {
    const { table, remarks } = await read('wkt', lines, {}, size);
    expect(features(table).map(({ geometry }) => geometry)).toEqual([
      { type: 'Point', coordinates: [8.5, 47.4] },
      {
        type: 'LineString',
        coordinates: [
          [8, 47],
          [9, 48],
        ],
      },
      null,
      null,
      { type: 'Point', coordinates: [1, 2, 3] },
    ]);
    expect(Array.from({ length: 5 }, (_, row) => valueAt(table.columns[0], row))).toEqual([1, 3, 4, 5, 6]);
    expect(remarks.map(({ where }) => where)).toEqual(['Line 5']);
    const old = await read('wkt', 'POINT(1 2)\rPOINT(3\rPOINT(5 6)\r', {}, size);
    expect([old.table.rows, old.remarks.map(({ where }) => where)]).toEqual([3, ['Line 2']]);
  });

  test('the definition of a coordinate system, shapes of two systems and nothing at all are refused', async () => {
    await expect(read('wkt', 'GEOGCS["WGS 84",DATUM["WGS_1984"]]')).rejects.toThrow('holds no shape in well-known text');
    await expect(read('wkt', ' \n')).rejects.toThrow('holds no shape');
    await expect(read('wkt', 'SRID=25832;POINT(1 2)\nSRID=4326;POINT(1 2)')).rejects.toThrow('Line 2 is in EPSG:4326');
  });
});

describe('tables as offices write them', () => {
  test('decimal commas, another encoding, and projected coordinates', async () => {
    const text = 'Ort;Rechtswert;Hochwert;Höhe\nZürich;8,54;47,36;408,5\nBern;7,44;46,95;540\n';
    const latin1 = Uint8Array.from(text, (c) => c.charCodeAt(0));
    const { table, notes, encoding } = await read('csv', latin1);
    expect(encoding).toBe('windows-1252');
    expect(table.columns.map((c) => [c.name, c.type, valueAt(c, 0)])).toEqual([
      ['Ort', 'text', 'Zürich'],
      ['Rechtswert', 'number', 8.54],
      ['Hochwert', 'number', 47.36],
      ['Höhe', 'number', 408.5],
    ]);
    expect(notes.join(' ')).toMatch(/windows-1252.*decimal comma.*does not say which coordinate system/);
    await expect(read('csv', 'easting,northing\n2683000,1247000\n')).rejects.toThrow('does not say which coordinate system');
  });

  test('well-known text in a column, with and without a system', async () => {
    const { table, remarks } = await read(
      'csv',
      'id\twkt\n1\tPOINT (8.5 47.4)\n2\tPOLYGON((0 0, 1 0, 1 1))\n3\t\n4\tPOINT EMPTY\n5\thello\n',
    );
    expect([0, 2, 3].map((row) => geometryAt(table, row))).toEqual([{ type: 'Point', coordinates: [8.5, 47.4] }, null, null]);
    expect(remarks.map(({ kind, where }) => [kind, where])).toEqual([
      ['refused', 'Row 3'],
      ['refused', 'Row 4'],
      ['refused', 'Row 6'],
    ]);
    const ewkt = await read('csv', 'geom\nSRID=4326;POINT(1 2)\n');
    expect(geometryAt(ewkt.table, 0)).toEqual({ type: 'Point', coordinates: [1, 2] });
    expect(ewkt.notes).toEqual([]);
  });

  test('UTF-16 with its byte order mark', async () => {
    const text = '\ufefflon,lat,n\n1,2,é\n';
    const bytes = new Uint8Array(2 * text.length);
    for (let i = 0; i < text.length; i++) new DataView(bytes.buffer).setUint16(2 * i, text.charCodeAt(i), true);
    expect(valueAt((await read('csv', bytes, {}, 7)).table.columns[2], 0)).toBe('é');
  });
});

test('a record without an end is refused before the memory is full', async () => {
  const piece = new TextEncoder().encode('x'.repeat(1 << 20));
  const endless: Input = {
    ...memoryInput('endless.csv', new Uint8Array()),
    size: 1e9,
    async *stream() {
      yield await Promise.resolve(new TextEncoder().encode('lon,lat,text\n1,2,"'));
      for (let n = 0; n < 400; n++) yield await Promise.resolve(piece);
    },
  };
  await expect(formatNamed('csv').read(endless, {})).rejects.toThrow('Row 2 is longer than 64 million characters');
});
