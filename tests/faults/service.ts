import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';

/** A service of a few features (OGC API – Features Part 1, as little of it as there can be), for as long as this process runs. */
export async function serveFew(): Promise<string> {
  let address = '';
  const features = Array.from({ length: 23 }, (_, n) => ({
    ...{ type: 'Feature', id: n, geometry: { type: 'Point', coordinates: [n / 10, 1] }, properties: { n, name: `well ${n}` } },
  }));
  const answers: Record<string, object> = {
    '/': { title: 'Wells', links: [] },
    '/conformance': { conformsTo: ['http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core'] },
    '/collections': { collections: [{ id: 'wells', title: 'Wells', links: [] }], links: [] },
  };
  const server = createServer(({ url }, response) => {
    const items = { type: 'FeatureCollection', numberMatched: features.length, features, links: [] };
    const answer = answers[new URL(url!, address).pathname] ?? items;
    response.writeHead(200, { 'content-type': 'application/geo+json', connection: 'close' }).end(JSON.stringify(answer));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  server.unref();
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  return address;
}
