import { escaped } from '@clean-sieve/core';
import { Hono, type Context } from 'hono';
import { problemOf } from '../api/problems.ts';
import { safeDocument } from '../api/safe_headers.ts';
import type { LiveSources } from '../fetching/live_sources.ts';
import type { FreshColumns } from '../jobs/fresh_columns.ts';
import type { Log } from '../log.ts';
import type { SiftService } from '../sifting/sift_service.ts';
import { entities, type Store } from '../store/store.ts';
import * as documents from './documents.ts';
import { GEOJSON_TYPE, HTML_TYPE, JSON_TYPE, MOST_ZOOM, OPENAPI_TYPE, SCHEMA_TYPE, selfLinks, TILE_TYPE } from './documents.ts';
import { code, featureTable, linkList, page, paragraph, valueTable } from './pages.ts';
import { BadRequest, formatOf, itemsQuery, systemOf, type FeedCrs } from './params.ts';
import { NoFeed, publishedFeed, schemasOf, type PublishedFeed } from './published.ts';

export interface FeedServices {
  store: Store;
  /** The thread that readers ask, beside that of the interface. */
  published: SiftService;
  fresh: FreshColumns;
  live: LiveSources;
  log: Log;
}

/** Feeds and nothing else, for an address that others can reach. */
export function feedsOnly(services: FeedServices): Hono {
  return new Hono().use(safeDocument).route('/feeds', feedApp(services));
}

/** Published sieves as OGC API – Features (17-069r4), each at a link of its own, to be read by anyone who has the link. */
export function feedApp({ store, published, fresh, live, log }: FeedServices): Hono {
  const app = new Hono();

  app.onError((error, c) => {
    if (error instanceof NoFeed || error instanceof BadRequest) {
      const status = error instanceof NoFeed ? error.status : 400;
      return c.json({ code: String(status), description: error.message }, status);
    }
    const { status, message, fault } = problemOf(error);
    // The link is a secret: what is logged leaves it out.
    if (fault) log.error(`${c.req.method} a feed`, error);
    if (status === 503) c.header('retry-after', '60');
    return c.json({ code: String(status), description: message }, status);
  });
  app.use(async (_, next) => {
    await fresh.ensure();
    await next();
  });
  app.use(safeDocument);
  // A browser may read a feed from anywhere: who has the link has the right.
  app.use(async (c, next) => {
    await next();
    c.header('access-control-allow-origin', '*');
    c.header('access-control-expose-headers', 'content-crs, link');
    c.header('cache-control', 'no-cache');
  });

  const opened = async (c: Context): Promise<{ feed: PublishedFeed; base: string; query: URLSearchParams }> => {
    const url = new URL(c.req.url);
    const id = c.req.param('feed') ?? '';
    await live.ensureFeed(id);
    const feed = await publishedFeed(entities(store), id);
    const wanted = c.req.param('collection');
    if (wanted !== undefined && wanted !== feed.collection)
      throw new NoFeed(404, `There is no collection ${wanted}; there is ${feed.collection}`);
    return { feed, base: `${url.origin}/feeds/${id}`, query: url.searchParams };
  };
  /** As a page where that is asked for: by `f`, or by what the client accepts. */
  const wantsHtml = (c: Context, query: URLSearchParams): boolean => {
    const f = formatOf(query);
    if (f !== null) return f === 'html';
    const accept = c.req.header('accept') ?? '';
    return accept.includes(HTML_TYPE) && !/application\/(geo\+)?json/.test(accept);
  };
  const only = (query: URLSearchParams, ...names: string[]) => {
    for (const name of query.keys())
      if (!names.includes(name)) throw new BadRequest(`There is no parameter ${name}; there are ${names.join(', ')}`);
  };
  const answer = (c: Context, document: unknown, type = JSON_TYPE) => c.body(JSON.stringify(document), 200, { 'content-type': type });
  const about = ({ source, asOf }: PublishedFeed) => ({ sourceId: source.id, asOf });
  const given = ({ tree, rows, columns }: PublishedFeed) => ({ tree, rows, columns: columns.map(({ name }) => name) });
  const asking = (c: Context) => ({ signal: c.req.raw.signal });

  app.get('/:feed', async (c) => {
    const { feed, base, query } = await opened(c);
    only(query, 'f');
    const html = wantsHtml(c, query);
    const document = documents.landing(base, feed, html);
    return html ? c.html(page(feed.title, paragraph(feed.description) + linkList(document.links))) : answer(c, document);
  });
  app.get('/:feed/conformance', async (c) => {
    const { query } = await opened(c);
    only(query, 'f');
    const { CONFORMANCE: conformsTo } = documents;
    return wantsHtml(c, query)
      ? c.html(page('Standards', `<ul>${conformsTo.map((uri) => `<li><code>${uri}</code></li>`).join('')}</ul>`))
      : answer(c, { conformsTo });
  });
  app.get('/:feed/api', async (c) => {
    const { feed, base, query } = await opened(c);
    only(query, 'f');
    const document = documents.openApi(base, feed);
    if (!wantsHtml(c, query)) return answer(c, document, OPENAPI_TYPE);
    const paths = Object.entries(document.paths).map(
      ([path, { get }]) => `<tr><td><code>${path}</code></td><td>${escaped(get.summary)}</td></tr>`,
    );
    return c.html(
      page(
        `${feed.title}: the API`,
        paragraph(feed.description) + `<table>${paths.join('')}</table>${code(JSON.stringify(document, null, 1))}`,
      ),
    );
  });
  app.get('/:feed/collections', async (c) => {
    const { feed, base, query } = await opened(c);
    only(query, 'f');
    const html = wantsHtml(c, query);
    const one = documents.collection(base, feed, html);
    if (html) return c.html(page('Collections', `<h2>${escaped(one.title)}</h2>${paragraph(one.description)}${linkList(one.links)}`));
    return answer(c, { links: selfLinks(`${base}/collections`, html), collections: [one] });
  });
  app.get('/:feed/collections/:collection', async (c) => {
    const { feed, base, query } = await opened(c);
    only(query, 'f');
    const html = wantsHtml(c, query);
    const document = documents.collection(base, feed, html);
    return html ? c.html(page(feed.title, paragraph(feed.description) + linkList(document.links))) : answer(c, document);
  });
  app.get('/:feed/collections/:collection/queryables', async (c) => {
    const { feed, base, query } = await opened(c);
    only(query, 'f');
    const document = documents.queryables(base, feed);
    if (!wantsHtml(c, query)) return answer(c, document, SCHEMA_TYPE);
    const rows = Object.entries(document.properties).map(([name, about]) => [name, JSON.stringify(about)]);
    return c.html(page(`${feed.title}: columns to filter by`, valueTable(Object.fromEntries(rows) as Record<string, unknown>)));
  });

  app.get('/:feed/collections/:collection/items', async (c) => {
    const { feed, base, query } = await opened(c);
    const asked = itemsQuery(query, schemasOf(feed.columns), feed.systems);
    const { matched, features } = await published.ask(
      'items',
      about(feed),
      { ...given(feed), filter: asked.filter, offset: asked.offset, limit: asked.limit, system: asked.crs },
      asking(c),
    );
    const items = `${base}/collections/${feed.collection}/items`;
    const at = (offset: number) => {
      const other = new URLSearchParams(query);
      other.set('offset', String(offset));
      other.set('limit', String(asked.limit));
      return `${items}?${other.toString()}`;
    };
    const html = wantsHtml(c, query);
    const own = new URLSearchParams(query);
    own.delete('f');
    const links = selfLinks(own.size > 0 ? `${items}?${own.toString()}` : items, html, GEOJSON_TYPE);
    const type = html ? HTML_TYPE : GEOJSON_TYPE;
    if (asked.offset + features.length < matched)
      links.push({ href: at(asked.offset + asked.limit), rel: 'next', type, title: 'Next page' });
    if (asked.offset > 0) links.push({ href: at(Math.max(0, asked.offset - asked.limit)), rel: 'prev', type, title: 'Page before' });
    if (html) {
      const counts = paragraph(
        `${features.length === 0 ? 'No' : `${asked.offset + 1} to ${asked.offset + features.length}`} of ${matched} features`,
      );
      return c.html(
        page(
          feed.title,
          paragraph(feed.description) +
            counts +
            linkList(links.slice(1)) +
            featureTable(
              features.map((text) => JSON.parse(text) as never),
              items,
            ),
        ),
      );
    }
    const head = JSON.stringify({
      type: 'FeatureCollection',
      links,
      timeStamp: new Date().toISOString(),
      numberMatched: matched,
      numberReturned: features.length,
    });
    return c.body(`${head.slice(0, -1)},"features":[${features.join(',')}]}`, 200, geoHeaders(asked.crs));
  });
  app.get('/:feed/collections/:collection/items/:item', async (c) => {
    const { feed, base, query } = await opened(c);
    only(query, 'f', 'crs');
    const system = systemOf(query, 'crs', feed.systems);
    const text = c.req.param('item');
    const row = /^\d{1,9}$/.test(text) ? Number(text) - 1 : -1;
    const { feature } = await published.ask('item', about(feed), { ...given(feed), row, system }, asking(c));
    if (feature === null) throw new NoFeed(404, `There is no feature ${text} in this feed`);
    const own = `${base}/collections/${feed.collection}`;
    const html = wantsHtml(c, query);
    const links = [
      ...selfLinks(`${own}/items/${text}`, html, GEOJSON_TYPE),
      { href: own, rel: 'collection', type: JSON_TYPE, title: feed.title },
    ];
    if (html) {
      const { properties, geometry } = JSON.parse(feature) as {
        properties: Record<string, unknown>;
        geometry: unknown;
      };
      return c.html(page(`${feed.title}: ${text}`, linkList(links.slice(1)) + valueTable(properties) + code(JSON.stringify(geometry))));
    }
    return c.body(`${feature.slice(0, -1)},"links":${JSON.stringify(links)}}`, 200, geoHeaders(system));
  });
  app.get('/:feed/collections/:collection/tiles/WebMercatorQuad', async (c) => {
    const { feed, base, query } = await opened(c);
    only(query);
    return answer(c, documents.tileJson(base, feed));
  });
  app.get('/:feed/collections/:collection/tiles/WebMercatorQuad/:z/:y/:x', async (c) => {
    const { feed } = await opened(c);
    const [z, y, x] = ['z', 'y', 'x'].map((name) => (/^\d{1,8}$/.test(c.req.param(name) ?? '') ? Number(c.req.param(name)) : -1));
    if (z < 0 || z > MOST_ZOOM || x < 0 || y < 0 || x >= 2 ** z || y >= 2 ** z) throw new NoFeed(404, 'There is no such tile');
    const tile = await published.ask('tile', about(feed), { ...given(feed), z, x, y, name: feed.collection }, asking(c));
    return c.body(tile, 200, { 'content-type': TILE_TYPE });
  });
  app.all('*', () => {
    throw new NoFeed(404, 'There is nothing at this address');
  });
  return app;
}

/** The system of the answer, in the header that Part 2 asks for. */
function geoHeaders({ uri }: FeedCrs): Record<string, string> {
  return { 'content-type': GEOJSON_TYPE, 'content-crs': `<${uri}>` };
}
