import { createServer, type Server } from 'node:http';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { Client } from '../support/api_client.ts';
import { expect, test, type Surface } from '../support/surface.ts';

/** Address of the simulated service of the demo, in one of its moods. */
async function simulated({ page, url }: Surface, mood: string): Promise<string> {
  const { simulatedAt } = (await (await page.request.get(`${url}api/workspace`)).json()) as { simulatedAt: string };
  return simulatedAt.replace(/reports$/, mood);
}

async function lookAt({ page }: Surface, address: string): Promise<void> {
  await page.getByTestId('from-service').click();
  await page.getByTestId('service-address').locator('input').fill(address);
  await page.getByTestId('survey').click();
}

const condition = ({ page }: Surface, text: string) => page.getByTestId('service-condition').locator('.cm-content').fill(text);
const named = ({ page }: Surface, name: string) => page.getByTestId('fetch-name').locator('input').fill(name);

test('a service is looked at, a part of it fetched by conditions, sifted, and fetched again', async ({ surface }) => {
  const { page } = surface;
  await page.getByTestId('from-service').click();
  await page.getByTestId('use-simulated').click();
  await expect(page.getByTestId('would-come')).toContainText(/^5,2\d\d features would come, all there are$/);
  // Of each condition that the service decides, how many are left; of two that leave the same, the same.
  await condition(surface, 'severity >= 4 AND severity > 3 AND severity < 5');
  const left = page.getByTestId('decided').getByRole('listitem');
  await expect(left.nth(2)).toContainText(/\d+ left/);
  const counts = (await left.allInnerTexts()).map((text) => Number(text.replaceAll(',', '').match(/(\d+) left/)![1]));
  // The reports grow meanwhile.
  expect(Math.abs(counts[1] - counts[0])).toBeLessThan(20);
  expect(counts[2]).toBeLessThan(counts[1]);
  await expect(page.getByTestId('would-come')).toContainText(/of 5,2\d\d would come/);
  await condition(surface, "severity >= 4 AND S_DWITHIN(geometry, POINT(-12.1 46.6), 3, 'km') AND kind < 'g'");
  await expect(page.getByTestId('decided')).toContainText(/there\s*severity >= 4.*there \+ here\s*S_DWITHIN.*here\s*kind < 'g'/s);
  await expect(page.getByTestId('would-come')).toContainText('would come, of which fewer are kept');
  await expect(left.nth(0)).toContainText(/\d+ left/);
  await expect(left.nth(1)).toContainText('it leaves most others out');
  const come = Number((await page.getByTestId('would-come').innerText()).match(/^\d+/)![0]);
  await page.getByRole('checkbox', { name: 'Take the column note' }).uncheck();
  await named(surface, 'Bad ones');
  await page.getByTestId('fetch').click();
  await expect(surface.stack.getByRole('heading', { level: 1 })).toHaveText('Bad ones');
  // As the demo's own file has it: a box of about 6 km comes, a circle of it is kept.
  const kept = await surface.keptCount();
  expect(kept).toBeLessThan(come);
  expect(kept).toBeGreaterThan(30);
  await expect(surface.table.getByRole('columnheader', { name: 'Severity' })).toBeVisible();
  await expect(surface.table.getByRole('columnheader', { name: 'Note' })).toHaveCount(0);
  const sheet = await surface.openSheet('Bad ones');
  await sheet.getByRole('tab', { name: 'Where it came from' }).click();
  await expect(sheet).toContainText(new RegExp(`Fetched on .* collection storm_reports: ${come} features came`));
  await page.keyboard.press('Escape');
  await expect(sheet).toBeHidden();
  await surface.more('Bad ones');
  await page.getByText('Fetch it again and compare').click();
  const version = page.getByTestId('version-sheet');
  await expect(version).toContainText(`${kept} the same`);
  await page.keyboard.press('Escape');
  await expect(version).toBeHidden();
});

test('what is not right about a condition is said before anything is asked, and what has none of it is not fetched', async ({
  surface,
}) => {
  const { page } = surface;
  await lookAt(surface, await simulated(surface, 'reports/collections/storm_reports'));
  await expect(page.getByTestId('would-come')).toContainText('would come');
  await condition(surface, "severity >= 'four'");
  await expect(page.getByTestId('condition-problem')).toContainText('severity');
  await expect(page.getByTestId('fetch')).toBeDisabled();
  await condition(surface, 'severity > 9');
  await expect(page.getByTestId('would-come')).toContainText(/^None of 5,2\d\d would come$/);
  await expect(page.getByTestId('fetch')).toBeDisabled();
});

test('what is no service, or is somewhere else, says so', async ({ surface }) => {
  const { page } = surface;
  await lookAt(surface, await simulated(surface, 'page'));
  await expect(page.getByTestId('service-problem')).toContainText('comes as a web page, not as JSON');
  await page
    .getByTestId('service-address')
    .locator('input')
    .fill(await simulated(surface, 'moved'));
  await page.getByTestId('survey').click();
  await expect(page.getByTestId('service-problem')).toContainText(
    'redirects to another host, http://moved.invalid, which was not asked for',
  );
  await page.getByTestId('service-address').locator('input').fill('nothing like this');
  await page.getByTestId('survey').click();
  await expect(page.getByTestId('service-problem')).toContainText('is not an address');
});

test('a key opens a service, is kept in the workspace, and stands nowhere else', async ({ surface, server }) => {
  const { page } = surface;
  await lookAt(surface, await simulated(surface, 'locked'));
  await expect(page.getByTestId('service-problem')).toContainText('wants a key, or another one (401)');
  await page.getByTestId('with-key').click();
  await page.getByTestId('key-header').locator('input').fill('X-Report-Key');
  await page.getByTestId('key-value').locator('input').fill('gannet-7431');
  await page.getByTestId('survey').click();
  await expect(page.getByTestId('service-dialog')).toContainText('A key is kept for it in this workspace');
  await condition(surface, 'severity = 5');
  await expect(page.getByTestId('would-come')).toContainText(/^\d+ of/);
  await named(surface, 'Behind a door');
  await page.getByTestId('fetch').click();
  await expect(surface.stack.getByRole('heading', { level: 1 })).toHaveText('Behind a door');
  // It is known the next time, without being asked for.
  await surface.more('Behind a door');
  await page.getByText('Fetch it again and compare').click();
  await expect(page.getByTestId('version-sheet')).toContainText('the same');
  await page.getByRole('button', { name: 'Leave it as it is' }).click();
  const { text } = await surface.handOver(/^GeoJSON \.geojson$/, 'behind-a-door');
  const told = [
    text,
    await (await page.request.get(`${server.url}api/workspace`)).text(),
    await (await page.request.get(`${server.url}api/extracts`)).text(),
  ];
  const extracts = join(server.data, 'extracts');
  for (const path of readdirSync(extracts, { recursive: true, encoding: 'utf8' }))
    if (/\.(json|md|html|geojson|log)$/.test(path)) told.push(readFileSync(join(extracts, path), 'utf8'));
  const log = join(server.data, 'errors.log');
  if (existsSync(log)) told.push(readFileSync(log, 'utf8'));
  expect(told.length).toBeGreaterThan(4);
  for (const one of told) expect(one).not.toMatch(/X-Report-Key|gannet-7431/i);
});

test('fetching is cancelled at once, and nothing is left of it', async ({ surface }) => {
  const { page } = surface;
  await lookAt(surface, await simulated(surface, 'slow'));
  await expect(page.getByTestId('would-come')).toContainText('would come');
  await named(surface, 'Slow ones');
  await page.getByTestId('fetch').click();
  const job = page.getByTestId('job').filter({ hasText: 'Fetching Slow ones' });
  await expect(job).toContainText('features fetched from');
  await job.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByTestId('notice')).toContainText('Cancelled; nothing was brought in.');
  await expect(surface.list.getByRole('button', { name: 'Slow ones', exact: true })).toHaveCount(0);
});

/** A service of 25 features in pages of ten, whose second page is refused until it is mended. */
async function failing(): Promise<{ server: Server; address: string; mend: () => void; asked: string[] }> {
  const asked: string[] = [];
  let mended = false;
  const server = createServer((request, response) => {
    const { pathname, searchParams } = new URL(request.url!, 'http://127.0.0.1');
    const origin = `http://${request.headers.host}`;
    const json = (value: unknown, status = 200) =>
      response.writeHead(status, { 'content-type': 'application/geo+json' }).end(JSON.stringify(value));
    if (pathname === '/') return json({ title: 'Wells', links: [] });
    if (pathname === '/conformance') return json({ conformsTo: ['http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core'] });
    if (pathname === '/collections') return json({ collections: [{ id: 'wells', title: 'Wells', links: [] }], links: [] });
    const offset = Number(searchParams.get('offset') ?? 0);
    asked.push(String(offset));
    if (offset === 10 && !mended) return json({ description: 'The disk is full' }, 400);
    const features = Array.from({ length: Math.min(10, 25 - offset) }, (_, i) => ({
      type: 'Feature',
      id: offset + i,
      geometry: { type: 'Point', coordinates: [offset + i, 0] },
      properties: { depth: offset + i },
    }));
    const next = offset + 10 < 25 ? [{ rel: 'next', href: `${origin}/collections/wells/items?offset=${offset + 10}` }] : [];
    return json({ type: 'FeatureCollection', numberMatched: 25, features, links: next });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { server, address: `http://127.0.0.1:${(server.address() as AddressInfo).port}/`, mend: () => (mended = true), asked };
}

test('what stopped half-way goes on where it was, and is there once it is whole', async ({ surface }) => {
  const { page } = surface;
  const { server, address, mend, asked } = await failing();
  await lookAt(surface, address);
  await expect(page.getByTestId('would-come')).toContainText('25 features would come, all there are');
  await page.getByTestId('fetch').click();
  const job = page.getByTestId('job').filter({ hasText: 'Fetching Wells' });
  await expect(job).toContainText('answers with an error (400): The disk is full');
  await expect(surface.list.getByRole('button', { name: 'Wells', exact: true })).toHaveCount(0);
  mend();
  asked.length = 0;
  await job.getByTestId('go-on').click();
  await expect(surface.kept).toHaveText('25');
  // The first look at it aside, what had come is not asked for once more.
  expect(asked).toEqual(['0', '10', '20']);
  server.close();
});

test('features of a service come in the system that it keeps them in, as they are there', async ({ server }) => {
  const client = new Client(server.url);
  // The northing is the first coordinate of this system in a feed.
  const crs = { type: 'name', properties: { name: 'urn:ogc:def:crs:EPSG::31468' } };
  const features = [4468503.25, 4468600.5, 4470000.125].map((x, i) => ({
    ...{ type: 'Feature', properties: { n: i } },
    geometry: { type: 'Point', coordinates: [x, 5333000.0625 + i] },
  }));
  const [sourceId] = await client.bringIn({ 'grid.geojson': JSON.stringify({ type: 'FeatureCollection', crs, features }) });
  const tree = { kind: 'group', id: 'root', combine: 'all', children: [] };
  const sieve = await client.send<{ id: number }>('POST', 'api/sieves', { sourceId, name: 'Grid', tree, colour: 0, visible: true });
  const { id: feed } = await client.send<{ id: string }>('POST', `api/sieves/${sieve.id}/feeds`, { frozen: false });
  const looked = await client.send<{ id: string }>('POST', 'api/services/surveys', { address: `${server.url}feeds/${feed}`, key: null });
  const { survey } = await client.job<{ survey: { address: string; conformance: string[]; collections: object[] } }>(looked.id);
  const { address, conformance, collections } = survey;
  const query = { address, conformance, collection: collections[0], filter: null, leftOut: [], into: null, name: 'Grid again' };
  const { job } = await client.send<{ job: { id: string } }>('POST', 'api/services/fetches', { ...query, live: true });
  const { sourceId: fetched } = await client.job<{ sourceId: number }>(job.id);
  const [own, other] = await Promise.all(
    [sourceId, fetched].map((id) => client.get<{ crs: { name: string }; extent: number[] }>(`api/sources/${id}`)),
  );
  expect(own.crs.name).toBe('EPSG:31468');
  expect(other.crs.name).toBe('EPSG:31468');
  expect(other.extent).toEqual(own.extent);
});
