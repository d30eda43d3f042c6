import { execFileSync } from 'node:child_process';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { geometryAt, lonLatGeometryAt, type FeatureTable } from '@clean-sieve/core';
import { readService } from '../cli/read_service.ts';

/** Places in longitude and latitude, and where PROJ has them: x, y. */
const PLACES = [
  [11.575, 48.137],
  [12.25, 48.9],
  [11.1, 47.5],
];
function byProj(code: number): number[][] {
  const input = PLACES.map((place) => place.join(' ')).join('\n');
  const out = execFileSync('gdaltransform', ['-s_srs', 'OGC:CRS84', '-t_srs', `EPSG:${code}`, '-output_xy'], { input, encoding: 'utf8' });
  return out
    .trim()
    .split('\n')
    .map((line) => line.split(' ').map(Number));
}

/** How a service gives coordinates in the system that it keeps its features in. */
interface Way {
  code: number;
  /** Coordinates as they stand in its answer, by those that PROJ has with the easting first. */
  gives: (xy: number[]) => number[];
  /** What it says of them; by default what was asked for. */
  says?: string | null;
  declares?: boolean;
}

const uriOf = (code: number) => `http://www.opengis.net/def/crs/EPSG/0/${code}`;
let server: Server | null = null;
afterEach(() => server?.close());

async function readFrom({ code, gives, says, declares = true }: Way): Promise<FeatureTable> {
  const own = byProj(code);
  server = createServer((request, response) => {
    const { pathname, searchParams } = new URL(request.url!, 'http://127.0.0.1');
    const json = (value: unknown, headers: Record<string, string> = {}) =>
      response.writeHead(200, { 'content-type': 'application/geo+json', ...headers }).end(JSON.stringify(value));
    if (pathname === '/') return json({ title: 'Wells', links: [] });
    const classes = ['features-1/1.0/conf/core', ...(declares ? ['features-2/1.0/conf/crs'] : [])];
    if (pathname === '/conformance') return json({ conformsTo: classes.map((one) => `http://www.opengis.net/spec/ogcapi-${one}`) });
    const crs = ['http://www.opengis.net/def/crs/OGC/1.3/CRS84', uriOf(code)];
    if (pathname === '/collections') return json({ collections: [{ id: 'wells', crs, storageCrs: uriOf(code), links: [] }], links: [] });
    const wanted = searchParams.get('crs');
    const features = PLACES.map((place, i) => ({
      ...{ type: 'Feature', id: i, properties: { n: i } },
      geometry: { type: 'Point', coordinates: wanted === null ? place : gives(own[i]) },
    }));
    const said = says === undefined ? `<${uriOf(code)}>` : says;
    json(
      { type: 'FeatureCollection', numberMatched: 3, features, links: [] },
      wanted !== null && said !== null ? { 'content-crs': said } : {},
    );
  });
  await new Promise<void>((resolve) => server!.listen(0, '127.0.0.1', resolve));
  const { table } = await readService(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`, undefined, null);
  return table;
}
const positions = (table: FeatureTable) => PLACES.map((_, row) => (geometryAt(table, row) as { coordinates: number[] }).coordinates);
const turned = ([x, y]: number[]) => [y, x];

test.each<[string, Way]>([
  // UTM has the easting first by its definition, Gauß-Krüger the northing (EPSG dataset).
  ['the easting first', { code: 25832, gives: (xy) => xy }],
  ['the northing first', { code: 31468, gives: turned }],
  // Not every service has the order of the definition.
  ['the easting first, against the definition', { code: 31468, gives: (xy) => xy }],
  ['latitude first', { code: 4258, gives: turned }],
])('features come in the system that they are kept in: %s', async (_, way) => {
  const table = await readFrom(way);
  expect(table.crs.name).toBe(`EPSG:${way.code}`);
  expect(positions(table)).toEqual(byProj(way.code));
  PLACES.forEach(([lon, lat], row) => {
    const { coordinates } = lonLatGeometryAt(table, row) as { coordinates: number[] };
    expect(Math.hypot(coordinates[0] - lon, coordinates[1] - lat)).toBeLessThan(1e-4);
  });
});

test.each<[string, Way]>([
  ['somewhere else', { code: 25832, gives: ([x, y]) => [x + 30_000, y] }],
  [
    'in longitude and latitude, whatever is asked for',
    { code: 25832, gives: () => PLACES[0], says: 'http://www.opengis.net/def/crs/OGC/1.3/CRS84' },
  ],
  ['without a word of their system', { code: 25832, gives: (xy) => xy, says: null }],
  ['in a system that it does not declare', { code: 25832, gives: (xy) => xy, declares: false }],
])('longitude and latitude are taken where coordinates are %s', async (_, way) => {
  const table = await readFrom(way);
  expect(table.crs.name).toMatch(/CRS84/);
  expect(positions(table)).toEqual(PLACES);
});
