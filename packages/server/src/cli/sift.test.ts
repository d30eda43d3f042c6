import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WRITTEN_FORMATS } from '@clean-sieve/core';
import { lookAt } from './look.ts';
import { runNote } from './rerun.ts';
import { sift, type SiftCounts, type SiftOptions } from './sift.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-cli-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);

const feature = (code: string, girth: number | null, lon: number) => ({
  type: 'Feature',
  properties: { code, girth_cm: girth, seen: '2024-05-31' },
  geometry: {
    type: 'Polygon',
    coordinates: [
      [
        [lon, 47],
        [lon + 0.01, 47],
        [lon + 0.01, 47.01],
        [lon, 47.01],
        [lon, 47],
      ],
    ],
  },
});
const FEATURES = [feature('01', 120, 8), feature('02', 310, 8.5), feature('03', null, 9), feature('04', 250, 9.5)];
const FILE = at('trees.geojson');
writeFileSync(FILE, JSON.stringify({ type: 'FeatureCollection', features: FEATURES }));

const run = async (options: SiftOptions) => (await sift(FILE, { where: 'girth_cm >= 200', ...options })) as SiftCounts;
/** Rows of a file as GDAL writes them out again: a head, then one line a feature. */
const rowsOf = (path: string, ...options: string[]) => {
  const source = path.endsWith('.zip') ? `/vsizip/${path}` : path;
  return execFileSync('ogr2ogr', ['-f', 'CSV', '/vsistdout/', source, ...options], {
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'ignore'],
  })
    .trim()
    .split('\n');
};

test('what is kept, what is unknown, and nothing written unless asked', async () => {
  expect(await run({})).toEqual({ read: 4, kept: 2, unknown: 1 });
  expect((await sift(FILE, {})) as SiftCounts).toEqual({ read: 4, kept: 4, unknown: 0 });
});

// GeoParquet has no reader in Debian's GDAL; DuckDB and our own reader stand in for it in the tests of formats.
const ENDINGS = WRITTEN_FORMATS.filter(({ name }) => name !== 'geoparquet').map(({ writing }) => writing.extension);

test.each(ENDINGS)('%s with columns chosen, named and ordered', async (ending) => {
  const out = at(`chosen${ending}`);
  const counts = await run({ out, columns: 'girth_cm,code', rename: ['girth_cm=girth'], order: 'girth_cm:desc', geometry: 'centroid' });
  expect(counts).toMatchObject({ kept: 2, out });
  const [head, ...rows] = rowsOf(out, '-oo', 'HEADERS=FORCE');
  // KML adds fields of its own, and FlatGeobuf sorts features by place.
  expect(head).toContain('girth');
  expect(head).toContain('code');
  expect(head).not.toMatch(/girth_cm|seen/);
  const codes = rows.map((row) => /\b0[1-4]\b/.exec(row)?.[0]);
  expect(ending === '.fgb' ? codes.sort() : codes).toEqual(['02', '04']);
  expect(rows.find((row) => row.includes('02'))).toContain('310');
});

test('another system, checked with PROJ', async () => {
  await run({ out: at('utm.gpkg'), crs: 'EPSG:32632', geometry: 'centroid' });
  const [, first] = rowsOf(at('utm.gpkg'), '-lco', 'GEOMETRY=AS_XY');
  const [x, y] = first.split(',').map(Number);
  const theirs = execFileSync('gdaltransform', ['-s_srs', 'OGC:CRS84', '-t_srs', 'EPSG:32632', '-output_xy'], {
    input: '8.505 47.005',
    encoding: 'utf8',
  });
  const [theirX, theirY] = theirs.trim().split(' ').map(Number);
  // The centroid is that of the plane of degrees: what is compared is the change of system.
  expect(Math.hypot(x - theirX, y - theirY)).toBeLessThan(0.01);
});

test('shapes: inside, widened, simplified, left out, as well-known text', async () => {
  const wktOf = (path: string) => rowsOf(path, '-lco', 'GEOMETRY=AS_WKT', '-select', '')[1];
  await run({ out: at('inside.gpkg'), geometry: 'inside' });
  expect(wktOf(at('inside.gpkg'))).toMatch(/^"?POINT/);
  await run({ out: at('wide.gpkg'), geometry: 'buffer:50' });
  expect(wktOf(at('wide.gpkg'))).toMatch(/^"?(MULTI)?POLYGON/);
  await run({ out: at('simple.gpkg'), geometry: 'simplify:10' });
  expect(wktOf(at('simple.gpkg')).match(/ /g)!.length).toBeGreaterThan(4);
  await run({ out: at('none.csv'), geometry: 'none' });
  expect(readFileSync(at('none.csv'), 'utf8').split(/\r?\n/)[0]).toBe('code,girth_cm,seen');
  await run({ out: at('wkt.csv'), geometry: 'wkt' });
  expect(readFileSync(at('wkt.csv'), 'utf8')).toContain('POLYGON');
});

test('what cannot be is told before anything is written', async () => {
  const before = readdirSync(folder);
  const refused: [SiftOptions, string][] = [
    [{ columns: 'girth' }, 'There is no column girth; the columns are code, girth_cm, seen'],
    [{ rename: ['girth'] }, '--rename girth is not two names'],
    [{ columns: 'code', rename: ['seen=day'] }, 'There is no column seen'],
    [{ rename: ['code=x', 'seen=x'] }, 'Two columns would be called x'],
    [{ geometry: 'round' }, '--geometry round is not known'],
    [{ geometry: 'buffer:0' }, '--geometry buffer:0 is not known'],
    [{ crs: 'EPSG:1' }, 'EPSG:1'],
    [{ order: 'height' }, 'There is no column height to order by'],
  ];
  for (const [options, said] of refused) await expect(run({ out: at('no.gpkg'), ...options })).rejects.toThrow(said);
  await expect(run({ out: at('no.kml'), crs: 'EPSG:32632' })).rejects.toThrow('is in longitude and latitude');
  await expect(run({ out: at('no.doc') })).rejects.toThrow('has no ending that says which format to write');
  expect(readdirSync(folder)).toEqual(before);
});

test('a file that is there is not replaced unless that is asked for', async () => {
  writeFileSync(at('there.csv'), 'old');
  await expect(run({ out: at('there.csv') })).rejects.toThrow('there.csv is there already');
  expect(readFileSync(at('there.csv'), 'utf8')).toBe('old');
  await run({ out: at('there.csv'), overwrite: true });
  expect(readFileSync(at('there.csv'), 'utf8')).toContain('girth_cm');
});

test('run says what is wrong with a note or its files, and writes nothing', async () => {
  await expect(runNote(at('gone.json'), [], {})).rejects.toThrow('cannot be read as a note');
  writeFileSync(at('other.json'), '{"note":"else"}');
  await expect(runNote(at('other.json'), [], {})).rejects.toThrow('is JSON, but not the note of an extract');
  const note = {
    note: 'Clean Sieve extract',
    version: 1,
    madeAt: '2026-11-24T00:00:00Z',
    asOf: '2026-11-24',
    layers: [{ tree: {}, choices: [] }],
    sources: [{ name: 'Trees', file: 'elsewhere.gpkg', sha256: null, layer: null, derived: [], reading: {} }],
  };
  writeFileSync(at('note.json'), JSON.stringify(note));
  await expect(runNote(at('note.json'), [FILE], {})).rejects.toThrow(
    'The note needs elsewhere.gpkg for the source Trees; add its path, or "Trees=PATH"',
  );
  writeFileSync(at('result.csv'), 'old');
  await expect(runNote(at('note.json'), [FILE], { out: at('result.csv') })).rejects.toThrow('is there already');
  expect(existsSync(at('result.csv'))).toBe(true);
});

test('columns are computed before the filter is asked, each of those before it, and written', async () => {
  const out = at('derived.csv');
  const counts = await run({
    ...{ where: 'hectares > 50 AND class = 3', out, asOf: '2026-11-24' },
    derive: ["hectares = AREA_OF(geometry, 'ha')", 'class = CLASS_OF(girth_cm, 100, 300)', '"years seen" = AGE(seen)'],
  });
  expect(counts).toMatchObject({ read: 4, kept: 1, unknown: 1 });
  expect(counts.derived).toEqual([
    { name: 'hectares', type: 'number', blanks: [] },
    { name: 'class', type: 'number', blanks: [{ reason: 'girth_cm is blank', rows: 1 }] },
    { name: 'years seen', type: 'number', blanks: [] },
  ]);
  const [head, row] = readFileSync(out, 'utf8').trim().split(/\r?\n/);
  expect(head).toContain('hectares,class,years seen');
  expect(row).toMatch(/^02,310,.*,3,2/);
});

test.each([
  [['girth_cm = 1'], 'there is a column of that name already'],
  [['x'], "write it as in --derive 'ratio = hours / visits'"],
  [['x = girth / 2'], 'There is no column girth'],
  [["x = IF(girth_cm > 1, 'a', 2)"], 'All that IF can give is of one type'],
  [["x = S_INTERSECTS(geometry, AREA('Here'))"], 'A column is computed of its own row'],
])('--derive %j is refused', async (derive, message) => {
  await expect(run({ derive })).rejects.toThrow(message);
});

test('a look tells layers, columns and extent', async () => {
  const { layers } = await lookAt(FILE, {});
  expect(layers).toHaveLength(1);
  expect(layers[0]).toMatchObject({ features: 4, extent: [8, 47, 9.51, 47.01] });
  expect(layers[0].columns).toEqual([
    { name: 'code', type: 'text', blanks: 0, distinct: 4, smallest: '01', largest: '04' },
    { name: 'girth_cm', type: 'number', blanks: 1, distinct: 3, smallest: 120, largest: 310 },
    { name: 'seen', type: 'date', blanks: 0, distinct: 1, smallest: '2024-05-31', largest: '2024-05-31' },
  ]);
  await expect(lookAt(FILE, { layer: 'none' })).rejects.toThrow('There is no layer none; there are trees');
});

test('centres in a system of choice: the old observatory of Bern in that of Switzerland', async () => {
  const place = at('bern.csv');
  // Federal Office of Topography, "Formulas and constants for the calculation of the Swiss conformal cylindrical projection" (values
  // from memory): E 2 600 000 m, N 1 200 000 m is 46° 57′ 3.898″ N, 7° 26′ 19.077″ E of WGS 84.
  const degrees = (d: number, m: number, s: number) => d + m / 60 + s / 3600;
  writeFileSync(place, `id,lon,lat\n1,${degrees(7, 26, 19.077)},${degrees(46, 57, 3.898)}\n`);
  const derive = ["east = CENTRE_X(geometry, 'EPSG:2056')", "north = CENTRE_Y(geometry, 'EPSG:2056')"];
  await sift(place, { where: 'id = 1', derive, out: at('bern.out.csv'), overwrite: true });
  const [, line] = readFileSync(at('bern.out.csv'), 'utf8').trim().split(/\r?\n/);
  const [east, north] = line.split(',').slice(-2).map(Number);
  expect(Math.hypot(east - 2_600_000, north - 1_200_000)).toBeLessThan(1);
  await expect(sift(place, { derive: ["x = CENTRE_X(geometry, 'EPSG:99999')"] })).rejects.toThrow('EPSG:99999 is not in the EPSG list');
});

test('a table stands beside the features of the same key, before what is derived and asked', async () => {
  writeFileSync(at('rates.csv'), 'id,rate,planted\n01,1.5,1990-05-01\n02,2,\n4,9,2001\n99,7,1999\n,3,\n');
  const exact = await run({ join: [`${at('rates.csv')}:code=id`], derive: ['more = rate * 2'], where: 'more >= 3' });
  expect(exact).toMatchObject({ read: 4, kept: 2, unknown: 2 });
  expect(exact.joined).toEqual([
    { table: at('rates.csv'), matched: 2, without: 2, blank: 0, unused: 3, several: 0, columns: ['rate', 'planted'] },
  ]);
  const zeros = await run({ join: [`${at('rates.csv')}:code=id`], alike: 'zeros', where: 'rate > 1', out: at('rated.csv') });
  expect(zeros).toMatchObject({ kept: 3, joined: [{ matched: 3 }] });
  expect(
    rowsOf(at('rated.csv'))
      .slice(1)
      .map((row) => row.split(',')[0]),
  ).toEqual(['"01"', '"02"', '"04"']);
});

test('several rows of one key are refused in words, or brought together as it is said', async () => {
  writeFileSync(at('visits.csv'), 'code,hours,by\n01,1,A\n01,2.5,B\n02,,C\n02,4,D\n');
  const join = [`${at('visits.csv')}:code=code`];
  await expect(run({ join })).rejects.toThrow('2 rows of the table have the key 01');
  const summed = await run({ join, several: 'sum', where: 'hours = 3.5' });
  expect(summed).toMatchObject({ kept: 1, joined: [{ columns: ['hours'], leftOut: ['by'], several: 2 }] });
  expect(await run({ join, several: 'count', where: 'visits_count = 0' })).toMatchObject({ kept: 2, unknown: 0 });
  expect(await run({ join, several: 'first', where: "by = 'A' OR hours IS NULL" })).toMatchObject({ kept: 4 });
  expect(await run({ join: [...join, ...join], several: 'first', where: "by_2 = 'C'" })).toMatchObject({ kept: 1 });
});

test.each([
  [{ join: ['visits.csv'] }, "write it as in --join 'rates.csv:ward=ward_id'"],
  [{ join: ['visits.csv:code'] }, 'is not a file and its keys'],
  [{ join: ['nowhere.csv:code=code'] }, 'There is no file nowhere.csv'],
  [{ join: [`${at('visits.csv')}:coed=code`] }, 'There is no column coed to join by'],
  [{ join: [`${at('visits.csv')}:code=hour`] }, 'There is no column hour to join by'],
  [{ several: 'all' }, '--several all is not known'],
  [{ alike: 'case,hats' }, '--alike hats is not known'],
])('%j is refused', async (options, message) => {
  await expect(run(options)).rejects.toThrow(message);
});
