import { execFileSync } from 'node:child_process';
import type { APIRequestContext } from '@playwright/test';
import { expect, test, type Surface } from '../support/surface.ts';
import { trees } from '../support/demo_data.ts';

type Json = Record<string, never>;
interface Items {
  type: string;
  numberMatched: number;
  numberReturned: number;
  timeStamp: string;
  links: { rel: string; href: string; type: string }[];
  features: { id: number; geometry: { coordinates: number[] } | null; properties: Record<string, unknown> }[];
}

/** A sieve of these conditions, published from its menu. */
async function published(surface: Surface, sieve: string, how: 'publish-live' | 'publish-frozen'): Promise<string> {
  const { page } = surface;
  await surface.more(sieve);
  await page.getByText('Publish as a feed').click();
  const sheet = page.getByTestId('feed-sheet');
  await sheet.getByTestId(how).click();
  const link = sheet
    .getByTestId('feed')
    .filter({ hasText: how === 'publish-live' ? 'Live' : 'Frozen on' })
    .getByRole('link');
  await expect(link).toBeVisible();
  const address = (await link.getAttribute('href'))!.replace('?f=html', '');
  await sheet.getByRole('button', { name: 'Close' }).click();
  return address;
}
const json = async <T = Json>(request: APIRequestContext, url: string, headers: Record<string, string> = {}) => {
  // A connection that the server has closed meanwhile, as it rested, is not taken again.
  const response = await request.get(url, { headers: { ...headers, connection: 'close' } });
  return {
    status: response.status(),
    type: response.headers()['content-type'] ?? '',
    headers: response.headers(),
    body: (await response.json()) as T,
  };
};
const girth = (tree: (typeof trees)[number]) => Number(tree.properties.girth_cm);

test('the requirements of OGC API – Features, Parts 1 to 3, one by one', async ({ surface }) => {
  const { page } = surface;
  const { request } = page;
  await surface.open('Veterans overdue');
  const kept = await surface.keptCount();
  const base = await published(surface, 'Veterans overdue', 'publish-live');
  expect(/\/feeds\/[\w-]{24}$/.test(base)).toBe(true);

  // 17-069r4, /req/core/root-success, /req/core/api-definition-success, /req/core/conformance-success.
  const root = await json<{ links: Items['links'] }>(request, base);
  expect(root.body.links.map(({ rel }) => rel)).toEqual(
    expect.arrayContaining(['self', 'alternate', 'service-desc', 'service-doc', 'conformance', 'data']),
  );
  const api = await json<{ openapi: string; paths: object }>(request, root.body.links.find(({ rel }) => rel === 'service-desc')!.href);
  expect([api.type, api.body.openapi]).toEqual(['application/vnd.oai.openapi+json;version=3.0', '3.0.3']);
  const conformance = await json<{ conformsTo: string[] }>(request, `${base}/conformance`);
  expect(conformance.body.conformsTo).toContain('http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core');

  // /req/core/fc-md-success, sfc-md-success: the collection, its extent, its links; Part 2: crs and storageCrs.
  const { body: collections } = await json<{
    collections: { id: string; crs: string[]; storageCrs: string; extent: { spatial: { bbox: number[][] } }; links: Items['links'] }[];
  }>(request, `${base}/collections`);
  const [collection] = collections.collections;
  expect(collection.id).toBe('veterans-overdue');
  expect(collection.crs).toContain('http://www.opengis.net/def/crs/OGC/1.3/CRS84');
  expect(collection.crs).toContain(collection.storageCrs);
  expect(collection.extent.spatial.bbox[0][0]).toBeCloseTo(-12.2, 1);
  const own = `${base}/collections/${collection.id}`;
  expect((await json(request, `${base}/collections/other`)).status).toBe(404);

  // /req/core/fc-response, numberMatched, numberReturned, timeStamp, links; paging reaches every feature once.
  const first = await json<Items>(request, `${own}/items`);
  expect([first.type, first.headers['content-crs']]).toEqual(['application/geo+json', '<http://www.opengis.net/def/crs/OGC/1.3/CRS84>']);
  expect(first.body).toMatchObject({ type: 'FeatureCollection', numberMatched: kept, numberReturned: 100 });
  expect(Number.isNaN(Date.parse(first.body.timeStamp))).toBe(false);
  const seen = new Set<number>();
  let next: string | undefined = `${own}/items?limit=300`;
  while (next) {
    const { body }: { body: Items } = await json<Items>(request, next);
    body.features.forEach(({ id }) => seen.add(id));
    next = body.links.find(({ rel }) => rel === 'next')?.href;
  }
  expect(seen.size).toBe(kept);
  const one = await json<Items['features'][number]>(request, `${own}/items/${[...seen][0]}`);
  expect(one.body.id).toBe([...seen][0]);
  const outside = trees.findIndex((tree) => girth(tree) < 250) + 1;
  expect((await json(request, `${own}/items/${outside}`)).status).toBe(404);

  // /req/core/fc-limit, bbox, time, query-param-unknown, query-param-invalid.
  expect((await json<Items>(request, `${own}/items?limit=7`)).body.numberReturned).toBe(7);
  const boxed = await json<Items>(request, `${own}/items?bbox=-12.1,46.55,-12.05,46.6&limit=10000`);
  expect(boxed.body.numberMatched).toBeGreaterThan(5);
  for (const { geometry } of boxed.body.features) expect(geometry!.coordinates[0]).toBeGreaterThanOrEqual(-12.1);
  const turned = await json<Items>(
    request,
    `${own}/items?bbox=46.55,-12.1,46.6,-12.05&bbox-crs=http://www.opengis.net/def/crs/EPSG/0/4326`,
  );
  expect(turned.body.numberMatched).toBe(boxed.body.numberMatched);
  const over = await json<Items>(request, `${own}/items?bbox=170,46,-12.05,47`);
  expect(over.body.numberMatched).toBeLessThan(kept);
  const timed = await json<Items>(request, `${own}/items?datetime=1900-01-01/1949-12-31&limit=10000`);
  expect(timed.body.numberMatched).toBeLessThan(kept);
  for (const wrong of [
    'limit=0',
    'limit=x',
    'bbox=1,2,3',
    'bbox=9,9,1,8',
    'datetime=yesterday',
    'colour=red',
    'crs=nothing',
    'filter=girth_cm%20%3E',
    'filter=nothing%20%3D%201',
    "filter=S_WITHIN(geometry,AREA('x'))",
    "filter=S_WITHIN(geometry,SOURCE('Wards'))",
    'f=xml',
    'girth_cm=wide',
    'filter-lang=sql',
  ])
    expect([wrong, (await json(request, `${own}/items?${wrong}`)).status]).toEqual([wrong, 400]);

  // Part 2: the same places in other systems, axes in the order of their definitions.
  const id = first.body.features[0].id;
  const [lon, lat] = first.body.features[0].geometry!.coordinates;
  const geographic = await json<Items['features'][number]>(request, `${own}/items/${id}?crs=http://www.opengis.net/def/crs/EPSG/0/4326`);
  expect(geographic.body.geometry!.coordinates).toEqual([lat, lon]);
  const web = await json<Items['features'][number]>(request, `${own}/items/${id}?crs=http://www.opengis.net/def/crs/EPSG/0/3857`);
  expect(web.body.geometry!.coordinates[0]).toBeCloseTo((lon * Math.PI * 6378137) / 180, 3);
  expect(web.headers['content-crs']).toContain('3857');

  // Part 3: queryables, filters as text and JSON, property parameters.
  const queryables = await json<{ properties: Record<string, { type?: string }> }>(request, `${own}/queryables`);
  expect(queryables.type).toBe('application/schema+json');
  expect(queryables.body.properties.girth_cm.type).toBe('number');
  const wide = [...seen].filter((number) => girth(trees[number - 1]) >= 350).length;
  const byText = await json<Items>(request, `${own}/items?filter=${encodeURIComponent('girth_cm >= 350')}`);
  const byJson = await json<Items>(
    request,
    `${own}/items?filter-lang=cql2-json&filter=${encodeURIComponent('{"op":">=","args":[{"property":"girth_cm"},350]}')}`,
  );
  expect([byText.body.numberMatched, byJson.body.numberMatched]).toEqual([wide, wide]);
  const poor = [...seen].filter((number) => trees[number - 1].properties.condition === 'poor').length;
  expect((await json<Items>(request, `${own}/items?condition=poor`)).body.numberMatched).toBe(poor);
  const near = await json<Items>(
    request,
    `${own}/items?filter-crs=http://www.opengis.net/def/crs/EPSG/0/4326&filter=${encodeURIComponent('S_INTERSECTS(geometry, POLYGON((46.55 -12.1, 46.6 -12.1, 46.6 -12.05, 46.55 -12.05, 46.55 -12.1)))')}`,
  );
  expect(near.body.numberMatched).toBe(boxed.body.numberMatched);

  // HTML, by f and by what a browser accepts.
  const html = await request.get(`${own}/items?f=html`);
  expect(html.headers()['content-type']).toContain('text/html');
  expect(await html.text()).toContain(`1 to 100 of ${kept} features`);
  expect((await request.get(base, { headers: { accept: 'text/html,application/xhtml+xml' } })).headers()['content-type']).toContain(
    'text/html',
  );

  // GDAL's client of the standard reads every feature.
  const gdal = execFileSync('ogrinfo', ['-ro', '-al', '-so', `OAPIF:${base}`], { encoding: 'utf8' });
  expect(Number(/Feature Count: (\d+)/.exec(gdal)?.[1])).toBe(kept);
  const filtered = execFileSync('ogrinfo', ['-ro', '-al', '-so', '-where', "condition = 'poor'", `OAPIF:${base}`], { encoding: 'utf8' });
  expect(Number(/Feature Count: (\d+)/.exec(filtered)?.[1])).toBe(poor);

  // TileJSON tells where the tiles are and what their layer holds.
  const tileset = (await (await request.get(`${own}/tiles/WebMercatorQuad`)).json()) as {
    tilejson: string;
    tiles: string[];
    vector_layers: { id: string; fields: Record<string, string> }[];
  };
  expect(tileset.tilejson).toBe('3.0.0');
  expect(tileset.vector_layers[0].fields).toMatchObject({ species: 'String', girth_cm: 'Number' });
  const byTemplate = tileset.tiles[0].replace('{z}', '8').replace('{y}', '90').replace('{x}', '119');
  expect(byTemplate).toBe(`${own}/tiles/WebMercatorQuad/8/90/119`);
  // Vector tiles, read by GDAL: the whole island is in one tile, every feature once.
  const tile = await request.get(`${own}/tiles/WebMercatorQuad/8/90/119`);
  expect(tile.headers()['content-type']).toBe('application/vnd.mapbox-vector-tile');
  expect((await request.get(`${own}/tiles/WebMercatorQuad/2/9/9`)).status()).toBe(404);
});

test('a live feed follows its sieve, a frozen one does not; switched off, its link leads nowhere', async ({ surface }) => {
  const { page } = surface;
  const { request } = page;
  await surface.open('Dark and narrow');
  const before = await surface.keptCount();
  const own = await surface.text();
  const live = await published(surface, 'Dark and narrow', 'publish-live');
  const frozen = await published(surface, 'Dark and narrow', 'publish-frozen');
  const countAt = async (base: string) => {
    const { body } = await json<{ collections: { links: Items['links'] }[] }>(request, `${base}/collections`);
    const items = body.collections[0].links.find(({ rel, type }) => rel === 'items' && type !== 'text/html')!.href;
    return (await json<Items>(request, `${items}?limit=1`)).body.numberMatched;
  };
  expect([await countAt(live), await countAt(frozen)]).toEqual([before, before]);
  await surface.write('lit = FALSE');
  await expect(surface.kept).not.toHaveText(String(before));
  const after = await surface.keptCount();
  await expect.poll(() => countAt(live)).toBe(after);
  expect(await countAt(frozen)).toBe(before);
  expect((await json<{ description: string }>(request, frozen)).body.description).toContain('Frozen on');
  // Other flows count on the sieve as it was.
  await surface.write(own);
  await expect.poll(() => countAt(live)).toBe(before);

  await surface.more('Dark and narrow');
  await page.getByText('Publish as a feed').click();
  await page.getByTestId('feed-off').first().click();
  await expect(page.getByTestId('feed')).toHaveCount(1);
  expect((await json(request, live)).status).toBe(404);
  expect((await json(request, `${live.slice(0, -3)}abc`)).status).toBe(404);
});

test('a feed keeps its address when its sieve gets another name, and comes back with a sieve that comes back', async ({ surface }) => {
  const { page } = surface;
  const { request } = page;
  await surface.newSieve();
  // A name of its own: others make sieves that keep everything too.
  const name = 'Its first name';
  await surface.rename(name);
  const feed = await published(surface, name, 'publish-live');
  const idOf = async () => {
    const { status, body } = await json<{ collections: { id: string }[] }>(request, `${feed}/collections`);
    return status === 200 ? body.collections[0].id : status;
  };
  const before = await idOf();
  await surface.rename('Another name');
  await expect.poll(async () => (await json<{ title: string }>(request, feed)).body.title).toBe('Another name');
  expect(await idOf()).toBe(before);
  await surface.more('Another name');
  await page.locator('.v-list-item', { hasText: 'Remove' }).click();
  await expect.poll(idOf).toBe(404);
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect.poll(idOf).toBe(before);
  await surface.more('Another name');
  await page.getByText('Publish as a feed').click();
  await expect(page.getByTestId('feed')).toHaveCount(1);
});
