import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WRITTEN_FORMATS } from '@clean-sieve/core';
import { runNote } from './run.ts';
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
