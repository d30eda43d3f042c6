import { spawn, spawnSync } from 'node:child_process';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fetchPages } from '../../packages/server/src/ogc_api/fetch_pages.ts';
import { ServiceClient } from '../../packages/server/src/ogc_api/service_client.ts';
import { compare, type Outcome } from './compared.ts';

const ROWS = 100_000;

/** 100,000 features of a service, page by page into lines of GeoJSON, against GDAL's client of the same service. */
export async function fetching(): Promise<Outcome> {
  const server = spawn(process.execPath, [new URL('./page_server.mjs', import.meta.url).pathname], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const address = await new Promise<string>((resolve) => server.stdout.once('data', (line: Buffer) => resolve(line.toString().trim())));
  const folder = await mkdtemp(join(tmpdir(), 'clean-sieve-bench-'));
  const first = new URL('collections/places/items?limit=1000', address);
  const lines = async (path: string) => (await readFile(path, 'utf8')).trimEnd().split('\n').length;
  try {
    return await compare(
      {
        name: '100,000 features of a service, page by page',
        ours: async () => {
          const own = await mkdtemp(join(folder, 'own-'));
          const client = new ServiceClient(first, { key: null, signal: new AbortController().signal });
          await fetchPages(client, own, 'it.geojsonl', first, () => undefined);
          return lines(join(own, 'it.geojsonl'));
        },
        reference: {
          name: 'GDAL',
          run: async () => {
            const out = join(await mkdtemp(join(folder, 'other-')), 'it.geojsonl');
            const { status, stderr } = spawnSync('ogr2ogr', [
              ...['-f', 'GeoJSONSeq', out, `OAPIF:${address}`, 'places', '-oo', 'PAGE_SIZE=1000'],
              ...['--config', 'GDAL_HTTP_TIMEOUT', '60'],
            ]);
            if (status !== 0) throw new Error(stderr.toString());
            return lines(out);
          },
        },
        target: 1.5,
        agree: (ours, reference) => ours === ROWS && reference === ROWS,
      },
      3,
    );
  } finally {
    server.kill();
    await rm(folder, { recursive: true, force: true });
  }
}
