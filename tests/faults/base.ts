import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Client } from '../../e2e/support/api_client.ts';
import { startServer } from '../../e2e/support/own_server.ts';
import { serveFew } from './service.ts';

/** Points in a row, with a number, a text and a day each. */
export function points(count: number, more: object = {}): string {
  const features = Array.from({ length: count }, (_, n) => ({
    type: 'Feature',
    geometry: { type: 'Point', coordinates: [n / 10, n / 10] },
    properties: { n, name: `place ${n}`, ...more },
  }));
  return JSON.stringify({ type: 'FeatureCollection', features });
}

/** Three squares, one of which crosses itself. */
function squares(): string {
  const rings = [
    [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
      [0, 0],
    ],
    [
      [2, 0],
      [3, 1],
      [3, 0],
      [2, 1],
      [2, 0],
    ],
    [
      [4, 0],
      [5, 0],
      [5, 1],
      [4, 1],
      [4, 0],
    ],
  ];
  const features = rings.map((ring, n) => ({ type: 'Feature', geometry: { type: 'Polygon', coordinates: [ring] }, properties: { n } }));
  return JSON.stringify({ type: 'FeatureCollection', features });
}

/** What a trial begins with: two sources, sieves of which one is about the other source and an area, an extract, an older version. */
export interface Base {
  folder: string;
  places: number;
  squares: number;
  /** The sieve that names the source and the area. */
  sieve: number;
  area: number;
  extract: string;
  /** Address of a service with one collection, `wells`. */
  service: string;
}

export const condition = (id: string, expr: object) => ({ kind: 'condition', id, expr });
export const treeOf = (...children: object[]) => ({ kind: 'group', id: 'root', combine: 'all', children });
const about = (place: object) => condition('c', { op: 's_intersects', args: [{ property: 'geometry' }, place] });

/** The request for an extract of all of a source. */
export const extractOf = (sourceId: number, title: string) => ({
  ...{ title, format: 'geopackage', within: null, zip: false, coordinates: null, guarded: false },
  layers: [
    {
      sourceId,
      tree: treeOf(),
      name: title,
      columns: [{ name: 'n', as: 'n', codes: 'code' }],
      shape: { kind: 'as-is' },
      crs: null,
      order: null,
      cut: null,
      colour: '#2c5b4b',
    },
  ],
});

export async function makeBase(): Promise<Base> {
  const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-faults-'));
  const service = await serveFew();
  const server = await startServer({ demo: false, data: join(folder, 'base'), removeData: false });
  const client = new Client(server.url);
  const [places] = await client.bringIn({ 'places.geojson': points(50) });
  const [shapes] = await client.bringIn({ 'squares.geojson': squares() });
  const { id: area } = await client.send<{ id: number }>('POST', 'api/areas', {
    name: 'here',
    shape: { type: 'Point', coordinates: [1, 1] },
  });
  const tree = treeOf(about({ op: 'SOURCE', args: ['squares'] }), { ...about({ op: 'AREA', args: ['here'] }), id: 'd' });
  const { id: sieve } = await client.send<{ id: number }>('POST', 'api/sieves', {
    sourceId: places,
    name: 'edit 0',
    tree,
    colour: 0,
    visible: true,
  });
  const job = await client.send<{ id: string }>('POST', 'api/extracts', extractOf(places, 'first'));
  const { extract } = await client.job<{ extract: { id: string } }>(job.id);
  await server.stop();
  return { folder, places, squares: shapes, sieve, area, extract: extract.id, service };
}

/** A copy of the base to work on. */
export function copyOf({ folder }: Base, name: string): string {
  const copy = join(folder, name);
  rmSync(copy, { recursive: true, force: true });
  cpSync(join(folder, 'base'), copy, { recursive: true });
  return copy;
}
