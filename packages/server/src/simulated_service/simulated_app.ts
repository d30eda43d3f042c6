import { setTimeout as wait } from 'node:timers/promises';
import { FilterError } from '@clean-sieve/core';
import type { HttpBindings } from '@hono/node-server';
import { RESPONSE_ALREADY_SENT } from '@hono/node-server/utils/response';
import { Hono, type Context } from 'hono';
import { BadRequest, CRS84_URI, FEED_CRS84, itemsQuery } from '../feeds/params.ts';
import { GEOJSON_TYPE, JSON_TYPE, SCHEMA_TYPE } from '../feeds/documents.ts';
import { MOODS, type Mood } from './moods.ts';
import type { StormReports } from './storm_reports.ts';

const PART1 = 'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf';
const PART3 = 'http://www.opengis.net/spec/ogcapi-features-3/1.0/conf';
const CQL2 = 'http://www.opengis.net/spec/cql2/1.0/conf';
const COLLECTION = 'storm_reports';
/** Features in a page at most, and when nothing is said. */
const MOST = 1000;
const USUAL = 100;
const SCHEMAS = {
  number: { type: 'integer' },
  text: { type: 'string' },
  boolean: { type: 'boolean' },
  date: { type: 'string', format: 'date' },
  datetime: { type: 'string', format: 'date-time' },
};

/**
 * The storm reports of Vell Island as an OGC API – Features service (17-069r4, 19-079r2) of some other office, all made up: one landing
 * page a mood, in which it does what services do.
 */
export function simulatedApp(reports: StormReports): Hono {
  const app = new Hono({ strict: false });
  /** How often a page was asked for, by mood and address. */
  const asked = new Map<string, number>();
  app.onError((error, c) => {
    const known = error instanceof BadRequest || error instanceof FilterError;
    return c.json({ code: known ? '400' : '500', description: error.message }, known ? 400 : 500);
  });
  app.get('/', (c) => c.json({ services: MOODS.map(({ name, meaning }) => ({ href: `${originOf(c)}/${name}`, meaning })) }));
  for (const mood of MOODS) app.route(`/${mood.name}`, serviceOf(mood, reports, asked));
  app.all('*', (c) => c.json({ code: '404', description: 'There is nothing at this address' }, 404));
  return app;
}

/** It breaks connections off, which only the server under it can do. */
interface Served {
  Bindings: HttpBindings;
}

const originOf = (c: Context) => new URL(c.req.url).origin;

function serviceOf(mood: Mood, reports: StormReports, asked: Map<string, number>): Hono<Served> {
  const service = new Hono<Served>({ strict: false });
  const base = (c: Context) => `${originOf(c)}/${mood.name}`;
  const link = (href: string, rel: string, type: string, title: string) => ({ href, rel, type, title });
  const answer = (c: Context, document: unknown, type = JSON_TYPE) => c.body(JSON.stringify(document), 200, { 'content-type': type });
  service.use(async (c, next) => {
    if (mood.slow) await wait(mood.slow);
    if (mood.key && c.req.header(mood.key.header) !== mood.key.value)
      return c.json({ code: '401', description: `The header ${mood.key.header} is missing or wrong` }, 401);
    if (mood.html) return c.html('<!doctype html><title>Storm reports</title><p>Please use the map.</p>');
    if (mood.elsewhere === 'redirect') return c.redirect('http://moved.invalid/reports');
    return next();
  });
  service.get('/', (c) =>
    answer(c, {
      title: 'Storm reports',
      description: `What was called in on Vell Island. This service is simulated; it ${mood.meaning}.`,
      links: [
        link(base(c), 'self', JSON_TYPE, 'This document'),
        link(`${base(c)}/conformance`, 'conformance', JSON_TYPE, 'Standards'),
        link(`${base(c)}/collections`, 'data', JSON_TYPE, 'The features'),
      ],
    }),
  );
  service.get('/conformance', (c) =>
    answer(c, {
      conformsTo: [
        ...['core', 'geojson'].map((name) => `${PART1}/${name}`),
        ...(mood.filters
          ? [
              ...['queryables', 'queryables-query-parameters', 'filter', 'features-filter'].map((name) => `${PART3}/${name}`),
              ...[mood.filters, 'basic-cql2', 'advanced-comparison-operators', 'basic-spatial-functions'].map((name) => `${CQL2}/${name}`),
            ]
          : []),
      ],
    }),
  );
  const collection = (c: Context) => {
    const own = `${base(c)}/collections/${COLLECTION}`;
    return {
      id: COLLECTION,
      title: 'Storm reports',
      description: 'Trees, branches, roofs and roads, as they were called in',
      itemType: 'feature',
      extent: {
        spatial: { bbox: [[-12.23, 46.54, -11.97, 46.66]], crs: CRS84_URI },
        temporal: { interval: [['2026-09-01T00:00:00Z', null]] },
      },
      crs: [CRS84_URI],
      links: [
        link(`${own}/items`, 'items', GEOJSON_TYPE, 'The reports'),
        ...(mood.filters
          ? [link(`${own}/queryables`, 'http://www.opengis.net/def/rel/ogc/1.0/queryables', SCHEMA_TYPE, 'Queryables')]
          : []),
      ],
    };
  };
  service.get('/collections', (c) =>
    answer(c, { links: [link(`${base(c)}/collections`, 'self', JSON_TYPE, 'This document')], collections: [collection(c)] }),
  );
  service.get(`/collections/${COLLECTION}`, (c) => answer(c, collection(c)));
  service.get(`/collections/${COLLECTION}/queryables`, (c) => {
    const role = (name: string) => (name === 'reported_at' ? { 'x-ogc-role': 'primary-instant' } : {});
    const columns = reports.columns.map(({ name, type }) => [name, { ...SCHEMAS[type], ...role(name) }] as const);
    return answer(
      c,
      {
        $schema: 'https://json-schema.org/draft/2020-12/schema',
        type: 'object',
        properties: { geometry: { format: 'geometry-point', 'x-ogc-role': 'primary-geometry' }, ...Object.fromEntries(columns) },
        additionalProperties: false,
      },
      SCHEMA_TYPE,
    );
  });
  service.get(`/collections/${COLLECTION}/items`, async (c) => {
    const query = new URL(c.req.url).searchParams;
    if (!mood.filters)
      for (const name of query.keys())
        if (!['limit', 'offset', 'bbox', 'datetime', 'f'].includes(name)) throw new BadRequest(`There is no parameter ${name}`);
    const times = (asked.get(c.req.url) ?? 0) + 1;
    asked.set(c.req.url, times);
    if (mood.busy && times <= mood.busy) return c.json({ code: '429', description: 'Too many questions' }, 429, { 'retry-after': '1' });
    // What is given when no limit is named.
    const limit = Math.min(MOST, Number(query.get('limit') ?? USUAL));
    const { filter, offset } = itemsQuery(query, reports.columns, [FEED_CRS84]);
    const { matched, features } = await reports.page(filter, offset, limit);
    const more = offset + features.length < matched;
    const step = mood.twice ? limit - 1 : limit;
    const links = more ? [link(nextOf(c, mood, query, offset + step, limit), 'next', GEOJSON_TYPE, 'Next page')] : [];
    const count = mood.count === 'none' ? {} : { numberMatched: mood.count === 'wrong' ? matched + 300 : matched };
    const head = { type: 'FeatureCollection', links, timeStamp: new Date().toISOString(), numberReturned: features.length, ...count };
    const text = `${JSON.stringify(head).slice(0, -1)},"features":[${features.join(',')}]}`;
    if (mood.lost && times <= mood.lost) return brokenOff(c, '');
    if (mood.broken && times <= mood.broken + (mood.lost ?? 0)) return brokenOff(c, text.slice(0, text.length / 2));
    return c.body(text, 200, { 'content-type': GEOJSON_TYPE });
  });
  return service;
}

function nextOf(c: Context, mood: Mood, query: URLSearchParams, offset: number, limit: number): string {
  const next = new URLSearchParams(query);
  next.set('offset', String(mood.circle && offset >= 3 * limit ? limit : offset));
  next.set('limit', String(limit));
  const origin = mood.elsewhere === 'link' ? 'http://elsewhere.invalid' : originOf(c);
  return `${origin}${new URL(c.req.url).pathname}?${next.toString()}`;
}

/** An answer whose connection ends after so much of it. */
function brokenOff({ env: { outgoing } }: Context<Served>, text: string): Response {
  outgoing.writeHead(200, { 'content-type': GEOJSON_TYPE });
  outgoing.write(text === '' ? ' ' : text, () => outgoing.destroy());
  return RESPONSE_ALREADY_SENT;
}
