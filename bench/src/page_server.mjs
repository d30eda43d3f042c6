// A service of 100,000 points in pages that are made before it is asked, so that neither client waits for more than the connection.
import { createServer } from 'node:http';

const ROWS = 100_000;
const PAGE = 1000;
const point = (i) =>
  JSON.stringify({
    type: 'Feature',
    id: i + 1,
    geometry: { type: 'Point', coordinates: [((i * 7919) % 360) / 2 - 90 + i / 1e6, ((i * 104_729) % 17_000) / 100 - 85] },
    properties: { name: `Place ${i}`, amount: (i * 37) % 1000, share: i / 1000, seen: `2026-0${1 + (i % 9)}-15` },
  });
const pages = new Map();
for (let offset = 0; offset < ROWS; offset += PAGE) pages.set(offset, Array.from({ length: PAGE }, (_, i) => point(offset + i)).join(','));

const server = createServer((request, response) => {
  const origin = `http://${request.headers.host}`;
  const { pathname, searchParams } = new URL(request.url, origin);
  const json = (text, type = 'application/json') => response.writeHead(200, { 'content-type': type }).end(text);
  const link = (rel, path, type = 'application/json') => ({ rel, href: `${origin}${path}`, type });
  const collection = {
    id: 'places',
    title: 'Places',
    itemType: 'feature',
    links: [link('items', '/collections/places/items', 'application/geo+json')],
  };
  const data = [link('data', '/collections'), link('conformance', '/conformance'), link('self', '/')];
  if (pathname === '/') return json(JSON.stringify({ title: 'Places', description: '', links: data }));
  if (pathname === '/conformance')
    return json(
      JSON.stringify({ conformsTo: ['core', 'geojson'].map((name) => `http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/${name}`) }),
    );
  if (pathname === '/collections') return json(JSON.stringify({ collections: [collection], links: data }));
  if (pathname === '/collections/places') return json(JSON.stringify(collection));
  const offset = Math.floor(Number(searchParams.get('offset') ?? 0) / PAGE) * PAGE;
  const next =
    offset + PAGE < ROWS ? [link('next', `/collections/places/items?limit=${PAGE}&offset=${offset + PAGE}`, 'application/geo+json')] : [];
  const head = JSON.stringify({ type: 'FeatureCollection', numberMatched: ROWS, numberReturned: PAGE, links: next });
  json(`${head.slice(0, -1)},"features":[${pages.get(offset)}]}`, 'application/geo+json');
});
server.listen(0, '127.0.0.1', () => process.stdout.write(`http://127.0.0.1:${server.address().port}/\n`));
