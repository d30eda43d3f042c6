import { execFile } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { Client } from '../support/api_client.ts';
import { startServer, TOP } from '../support/own_server.ts';
import { expect, Surface, test } from '../support/surface.ts';

interface Well {
  id: number;
  depth: number;
  keeper: string;
}

/** Stands in the features and nowhere else. */
const MARKER = 'gannet on the mole';

/** A service of wells, ten on a page, that can be changed and stopped. */
class Wells {
  wells: Well[] = Array.from({ length: 25 }, (_, i) => ({ id: i + 1, depth: i, keeper: i % 2 === 0 ? MARKER : 'tern' }));
  refuses = false;
  asked = 0;
  #server: Server | null = null;
  #port = 0;

  get address(): string {
    return `http://127.0.0.1:${this.#port}/`;
  }

  async start(): Promise<void> {
    const server = createServer((request, response) => {
      const { pathname, searchParams } = new URL(request.url!, this.address);
      const json = (value: unknown, status = 200) =>
        response.writeHead(status, { 'content-type': 'application/geo+json', connection: 'close' }).end(JSON.stringify(value));
      if (pathname === '/') return json({ title: 'Wells', links: [] });
      if (pathname === '/conformance') return json({ conformsTo: ['http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core'] });
      if (pathname === '/collections') return json({ collections: [{ id: 'wells', title: 'Wells', links: [] }], links: [] });
      if (this.refuses) return json({ description: 'The disk is full' }, 400);
      this.asked++;
      const offset = Number(searchParams.get('offset') ?? 0);
      const features = this.wells.slice(offset, offset + 10).map(({ id, ...properties }) => ({
        type: 'Feature',
        id,
        geometry: { type: 'Point', coordinates: [-12.1 + id / 1000, 46.6] },
        properties,
      }));
      const href = `${this.address}collections/wells/items?offset=${offset + 10}`;
      const links = offset + 10 < this.wells.length ? [{ rel: 'next', href }] : [];
      return json({ type: 'FeatureCollection', numberMatched: this.wells.length, features, links });
    });
    await new Promise<void>((resolve) => server.listen(this.#port, '127.0.0.1', resolve));
    this.#port = (server.address() as AddressInfo).port;
    this.#server = server;
  }

  stop(): Promise<unknown> {
    return new Promise((resolve) => this.#server?.close(resolve));
  }
}

/** Makes an extract again from the shell. */
function rerun(...args: string[]): Promise<{ code: number | null; text: string }> {
  return new Promise((resolve) => {
    const child = execFile(join(TOP, 'clean-sieve'), ['run', ...args], (_, out, problem) =>
      resolve({ code: child.exitCode, text: out + problem }),
    );
  });
}

async function askFor({ page }: Surface, wells: Wells): Promise<void> {
  await page.getByTestId('from-service').click();
  await page.getByTestId('service-address').locator('input').fill(wells.address);
  await page.getByTestId('survey').click();
  await expect(page.getByTestId('would-come')).toContainText('25 features would come, all there are');
  await page.getByTestId('as-live').check();
  await page.getByTestId('fetch').click();
  await expect(page.getByTestId('live-line')).toContainText(/Live, asked today at \d\d:\d\d/);
}

test('what is live is asked anew, also when it cannot be had or there is nothing, and handed over with when it was asked', async ({
  surface,
  server,
}) => {
  const { page } = surface;
  const wells = new Wells();
  await wells.start();
  await askFor(surface, wells);
  await surface.newSieveOf('Wells', '25');
  await surface.write('depth >= 20');
  await expect(surface.kept).toHaveText('5');
  await page.getByRole('tab', { name: 'Table' }).click();

  wells.wells = [...wells.wells.slice(1), { id: 26, depth: 30, keeper: 'tern' }, { id: 27, depth: 31, keeper: 'tern' }];
  wells.wells[0] = { ...wells.wells[0], depth: 40 };
  await page.getByTestId('ask-anew').click();
  await expect(page.getByTestId('notice')).toContainText('Wells was asked anew: 26 features, 2 new, 1 changed, 1 gone.');
  await expect(surface.kept).toHaveText('8');
  await expect(surface.table.getByRole('row')).toHaveCount(9);

  wells.refuses = true;
  await page.getByTestId('ask-anew').click();
  const job = page.getByTestId('job').filter({ hasText: 'Asking for Wells' });
  await expect(job).toContainText('answers with an error (400): The disk is full');
  await expect(surface.kept).toHaveText('8');
  await job.getByRole('button', { name: 'Dismiss' }).click();
  wells.refuses = false;

  const { text } = await surface.handOver(/^GeoJSON \.geojson$/, 'wells');
  expect((JSON.parse(text) as { features: unknown[] }).features).toHaveLength(8);
  const client = new Client(surface.url);
  const [{ id }] = (await client.get<{ extracts: { id: string }[] }>('api/extracts')).extracts;
  const note = await client.get<{ sources: { fetched: object }[] }>(`api/extracts/${id}/wells.note.json`);
  const file = join(server.data, 'extracts', id, 'wells.note.json');
  const unasked = await rerun(file);
  expect(unasked.text).toContain(`add "Wells=${wells.address}" to ask there again`);
  expect(unasked.code).toBe(2);
  expect((await rerun(file, `Wells=${wells.address}`)).text).toContain('"identical":true');
  wells.wells[5] = { ...wells.wells[5], depth: 50 };
  const later = await rerun(file, `Wells=${wells.address}`);
  expect(later.text).toContain('"kept":9,"of":26');
  expect(later.code).toBe(1);
  expect(note.sources[0].fetched).toMatchObject({ address: wells.address, collection: 'wells', matched: 26, came: 26, live: true });

  wells.wells = [];
  await page.getByTestId('ask-anew').click();
  await expect(page.getByTestId('notice')).toContainText('Wells was asked anew: 0 features, 0 new, 0 changed, 26 gone.');
  await expect(surface.kept).toHaveText('0');
  await surface.open('Wells');
  await expect(surface.kept).toHaveText('0');
  wells.wells = [{ id: 1, depth: 22, keeper: 'tern' }];
  await page.getByTestId('ask-anew').click();
  await expect(surface.kept).toHaveText('1');
  await wells.stop();
});

test('nothing of it is there after the end, and it is asked when it is wanted again', async ({ page }) => {
  const wells = new Wells();
  await wells.start();
  const first = await startServer({ demo: false, removeData: false });
  let surface = new Surface(page, first.url);
  await page.goto(first.url);
  await askFor(surface, wells);
  await surface.newSieveOf('Wells', '25');
  await surface.write(`keeper = '${MARKER.slice(0, 6)}' OR depth < 7`);
  await expect(surface.kept).toHaveText('7');
  const client = new Client(first.url);
  const sieveOf = async () => (await client.get<{ sieves: { id: number; tree: { children: unknown[] } }[] }>('api/workspace')).sieves[0];
  await expect.poll(async () => (await sieveOf()).tree.children.length).toBe(1);
  const { id: sieve } = await sieveOf();
  const { id: feed } = await client.send<{ id: string }>('POST', `api/sieves/${sieve}/feeds`, { frozen: false });
  await expect(client.send('POST', `api/sieves/${sieve}/feeds`, { frozen: true })).rejects.toThrow(
    'Wells is live, and what it answers is not stored',
  );
  await first.stop();
  expect(existsSync(join(first.data, 'held'))).toBe(false);
  for (const name of readdirSync(first.data, { recursive: true, encoding: 'utf8' }))
    if (/sqlite|log/.test(name)) expect(readFileSync(join(first.data, name)).includes(MARKER)).toBe(false);

  // Nobody there: the workspace opens, and says so where it matters.
  await wells.stop();
  const second = await startServer({ demo: false, data: first.data, removeData: false });
  await page.goto(second.url);
  await page
    .getByText(/keeper is/i)
    .first()
    .click();
  await expect(page.getByTestId('sift-problem')).toContainText('Wells is a live source, and could not be asked: Nothing answers at');
  await expect(surface.kept).toHaveText('?');
  const refused = await page.request.get(`${second.url}feeds/${feed}/collections`);
  expect(refused.status()).toBe(503);
  await second.stop();

  await wells.start();
  wells.wells = wells.wells.slice(2);
  const third = await startServer({ demo: false, data: first.data });
  // Whoever reads the feed has it asked.
  const read = await page.request.get(`${third.url}feeds/${feed}/collections/wells/items?f=json`);
  expect(((await read.json()) as { numberMatched: number }).numberMatched).toBe(5);
  const asked = wells.asked;
  surface = new Surface(page, third.url);
  await page.goto(third.url);
  await page
    .getByText(/keeper is/i)
    .first()
    .click();
  await expect(surface.kept).toHaveText('5');
  await expect(surface.stack).toContainText('kept of 23');
  expect(wells.asked).toBe(asked);
  await third.stop();
  await wells.stop();
});

test('the reports of the demo are live, asked for less and again for all, and a place for stored features', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Bad and still open');
  await expect(surface.kept).not.toHaveText('0');
  await expect(surface.stack).toContainText(/kept of 5,2\d\d/);
  const kept = await surface.keptCount();
  await page.getByTestId('ask-other').click();
  await expect(page.getByTestId('would-come')).toContainText('features would come, all there are');
  const condition = page.getByTestId('service-condition').locator('.cm-content');
  await condition.fill("reported_at > AS_OF(-1, 'months')");
  await expect(page.getByTestId('condition-problem')).toContainText('cannot be asked for by a date that counts from the as-of date');
  await expect(page.getByTestId('fetch')).toBeDisabled();
  await condition.fill("severity >= 4 AND kind < 'g'");
  await expect(page.getByTestId('decided')).toContainText(/there\s*severity >= 4.*here\s*kind < 'g'/s);
  await page.getByTestId('fetch').click();
  const line = page.getByTestId('live-line').getByRole('listitem');
  await expect(line).toHaveText([/^there\s*severity >= 4$/, /^here\s*kind < 'g'$/, /^here\s*all conditions below$/]);
  expect(await surface.keptCount()).toBeLessThan(kept);
  await expect(surface.stack).not.toContainText(/kept of 5,2\d\d/);
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect(surface.stack).toContainText(/kept of 5,2\d\d/);
  await expect(line).toHaveCount(0);
  await surface.newSieve();
  await surface.write("S_DWITHIN(geometry, SIEVE('Bad and still open'), 50, 'm')");
  expect(await surface.keptCount()).toBeGreaterThan(10);
  await expect(page.getByTestId('sift-problem')).toHaveCount(0);
});
