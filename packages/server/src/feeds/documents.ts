import { schemasOf, type PublishedFeed } from './published.ts';
import { CRS84_URI, KNOWN, MOST_ITEMS, storageUri, timeColumn } from './params.ts';

/** A link as OGC API documents have them. */
export interface Link {
  href: string;
  rel: string;
  type: string;
  title: string;
}

const PART1 = 'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf';
const PART3 = 'http://www.opengis.net/spec/ogcapi-features-3/1.0/conf';
const CQL2 = 'http://www.opengis.net/spec/cql2/1.0/conf';

/** The conformance classes of OGC 17-069r4, 18-058r1, 19-079r2 and 21-065r2 that feeds are made by. */
export const CONFORMANCE = [
  ...['core', 'oas30', 'html', 'geojson'].map((name) => `${PART1}/${name}`),
  'http://www.opengis.net/spec/ogcapi-features-2/1.0/conf/crs',
  ...['queryables', 'queryables-query-parameters', 'filter', 'features-filter'].map((name) => `${PART3}/${name}`),
  ...[
    'cql2-text',
    'cql2-json',
    'basic-cql2',
    'advanced-comparison-operators',
    'case-insensitive-comparison',
    'basic-spatial-functions',
    'basic-spatial-functions-plus',
    'spatial-functions',
    'temporal-functions',
    'array-functions',
    'property-property',
    'functions',
    'arithmetic',
  ].map((name) => `${CQL2}/${name}`),
];

export const JSON_TYPE = 'application/json';
export const HTML_TYPE = 'text/html';
export const GEOJSON_TYPE = 'application/geo+json';
export const OPENAPI_TYPE = 'application/vnd.oai.openapi+json;version=3.0';
export const SCHEMA_TYPE = 'application/schema+json';
/** Tiles are made down to this level of the WebMercatorQuad set. */
export const MOST_ZOOM = 24;
export const TILE_TYPE = 'application/vnd.mapbox-vector-tile';

const link = (href: string, rel: string, type: string, title: string): Link => ({ href, rel, type, title });

/** This document, in the form at hand and in the other. */
export function selfLinks(href: string, html: boolean, json = JSON_TYPE): Link[] {
  const [own, other] = html ? [HTML_TYPE, json] : [json, HTML_TYPE];
  const as = (f: string) => `${href}${href.includes('?') ? '&' : '?'}f=${f}`;
  return [
    link(html ? as('html') : href, 'self', own, 'This document'),
    link(as(html ? 'json' : 'html'), 'alternate', other, html ? 'The same as JSON' : 'The same as a page'),
  ];
}

export function landing(base: string, feed: PublishedFeed, html: boolean) {
  return {
    title: feed.title,
    description: feed.description,
    links: [
      ...selfLinks(base, html),
      link(`${base}/api`, 'service-desc', OPENAPI_TYPE, 'The API in OpenAPI 3.0'),
      link(`${base}/api?f=html`, 'service-doc', HTML_TYPE, 'The API on a page'),
      link(`${base}/conformance`, 'conformance', JSON_TYPE, 'Standards that it is made by'),
      link(`${base}/collections`, 'data', JSON_TYPE, 'The features'),
    ],
  };
}

export function collection(base: string, feed: PublishedFeed, html: boolean) {
  const own = `${base}/collections/${feed.collection}`;
  const { source, columns } = feed;
  const time = timeColumn(schemasOf(columns));
  const summary = columns.find(({ name }) => name === time?.name)?.summary;
  const interval = [summary?.min, summary?.max].map((value) => (typeof value === 'string' ? instant(value) : null));
  return {
    id: feed.collection,
    title: feed.title,
    description: feed.description,
    itemType: 'feature',
    extent: {
      ...(source.extent ? { spatial: { bbox: [source.extent], crs: CRS84_URI } } : {}),
      ...(time ? { temporal: { interval: [interval] } } : {}),
    },
    crs: feed.systems.map(({ uri }) => uri),
    storageCrs: storageUri(source.crs),
    links: [
      ...selfLinks(own, html),
      link(`${own}/items`, 'items', GEOJSON_TYPE, 'The features as GeoJSON'),
      link(`${own}/items?f=html`, 'items', HTML_TYPE, 'The features as a page'),
      link(`${own}/queryables`, 'http://www.opengis.net/def/rel/ogc/1.0/queryables', SCHEMA_TYPE, 'Columns to filter by'),
      link(`${own}/tiles/WebMercatorQuad`, 'describedby', JSON_TYPE, 'The vector tiles as TileJSON'),
      { ...link(`${own}/tiles/WebMercatorQuad/{tileMatrix}/{tileRow}/{tileCol}`, 'item', TILE_TYPE, 'Vector tiles'), templated: true },
    ],
  };
}

const TILE_FIELDS: Record<string, string> = { number: 'Number', boolean: 'Boolean' };

/** What tells a map client of the tiles: TileJSON 3.0.0, with the layer and its fields. */
export function tileJson(base: string, { collection: id, title, description, source, columns }: PublishedFeed) {
  const fields = Object.fromEntries(columns.map(({ name, type }) => [name, TILE_FIELDS[type] ?? 'String']));
  return {
    tilejson: '3.0.0',
    tiles: [`${base}/collections/${id}/tiles/WebMercatorQuad/{z}/{y}/{x}`],
    vector_layers: [{ id, description, fields }],
    name: title,
    description,
    scheme: 'xyz',
    ...(source.extent ? { bounds: source.extent } : {}),
    minzoom: 0,
    maxzoom: MOST_ZOOM,
  };
}

/** Extents are date-times (RFC 3339, section 5.6). */
function instant(text: string): string {
  return text.length > 10 ? text : `${text.padEnd(10, '-01')}T00:00:00Z`;
}

const SCHEMAS: Record<string, object> = {
  number: { type: 'number' },
  text: { type: 'string' },
  boolean: { type: 'boolean' },
  date: { type: 'string', format: 'date' },
  datetime: { type: 'string', format: 'date-time' },
};

/** The columns that filters can speak of, as a JSON Schema (19-079r2, requirement queryables-response). */
export function queryables(base: string, feed: PublishedFeed) {
  const own = `${base}/collections/${feed.collection}/queryables`;
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    $id: own,
    type: 'object',
    title: feed.title,
    properties: {
      geometry: { title: 'Shape', format: 'geometry-any', 'x-ogc-role': 'primary-geometry' },
      ...Object.fromEntries(
        feed.columns.map(({ name, type, title, description }) => [
          name,
          { ...SCHEMAS[type], title: title ?? name, ...(description ? { description } : {}) },
        ]),
      ),
    },
    additionalProperties: false,
  };
}

export function openApi(base: string, feed: PublishedFeed) {
  const json = (description: string, type = JSON_TYPE, schema: object = { type: 'object' }) => ({
    '200': { description, content: { [type]: { schema }, [HTML_TYPE]: { schema: { type: 'string' } } } },
    '400': { description: 'A parameter is unknown or has an invalid value' },
    '404': { description: 'There is nothing at this address' },
  });
  const f = { name: 'f', in: 'query', required: false, schema: { type: 'string', enum: ['json', 'html'] } };
  const own = `/collections/${feed.collection}`;
  const parameter = (name: string, description: string, schema: object, more: object = {}) => ({
    name,
    in: 'query',
    required: false,
    description,
    schema,
    ...more,
  });
  const list = { style: 'form', explode: false };
  const systems = feed.systems.map(({ uri }) => uri);
  const items = [
    parameter('limit', 'Features in a page', { type: 'integer', minimum: 1, maximum: MOST_ITEMS, default: 100 }, list),
    parameter('offset', 'Features before the page', { type: 'integer', minimum: 0, default: 0 }),
    parameter('bbox', 'Features that meet a box', { type: 'array', minItems: 4, maxItems: 6, items: { type: 'number' } }, list),
    parameter('bbox-crs', 'System of the box', { type: 'string', format: 'uri', enum: systems }),
    parameter('datetime', 'Features of a time', { type: 'string' }, list),
    parameter('crs', 'System of the answer', { type: 'string', format: 'uri', enum: systems }),
    parameter('filter', 'A CQL2 filter', { type: 'string' }),
    parameter('filter-lang', 'Encoding of the filter', { type: 'string', enum: ['cql2-text', 'cql2-json'], default: 'cql2-text' }),
    parameter('filter-crs', 'System of the geometries in the filter', { type: 'string', format: 'uri', enum: systems }),
    ...feed.columns
      .filter(({ name }) => !KNOWN.includes(name))
      .map(({ name, type }) => parameter(name, `Features with this ${name}`, SCHEMAS[type])),
    f,
  ];
  const crs = parameter('crs', 'System of the answer', { type: 'string', format: 'uri', enum: systems });
  const get = (operationId: string, summary: string, parameters: object[], responses: object) => ({
    get: { operationId, summary, parameters, responses },
  });
  const path = (name: string) => ({ name, in: 'path', required: true, schema: { type: 'integer', minimum: 0 } });
  return {
    openapi: '3.0.3',
    info: { title: feed.title, description: feed.description, version: '1.0.0' },
    servers: [{ url: base }],
    paths: {
      '/': get('landing', 'Landing page', [f], json('Links to everything')),
      '/conformance': get('conformance', 'Standards that it is made by', [f], json('Conformance classes')),
      '/api': get('api', 'This document', [f], json('OpenAPI 3.0', OPENAPI_TYPE)),
      '/collections': get('collections', 'The one collection of the feed', [f], json('Collections')),
      [own]: get('collection', feed.title, [f], json('The collection')),
      [`${own}/queryables`]: get('queryables', 'Columns to filter by', [f], json('JSON Schema', SCHEMA_TYPE)),
      [`${own}/items`]: get('items', 'Features', items, json('Features', GEOJSON_TYPE)),
      [`${own}/items/{featureId}`]: get(
        'item',
        'One feature',
        [{ ...path('featureId'), schema: { type: 'string' } }, crs, f],
        json('A feature', GEOJSON_TYPE),
      ),
      [`${own}/tiles/WebMercatorQuad`]: get('tiles', 'The vector tiles as TileJSON 3.0.0', [], json('TileJSON')),
      [`${own}/tiles/WebMercatorQuad/{tileMatrix}/{tileRow}/{tileCol}`]: get(
        'tile',
        'A vector tile',
        ['tileMatrix', 'tileRow', 'tileCol'].map(path),
        { '200': { description: 'Mapbox Vector Tile 2.1', content: { [TILE_TYPE]: { schema: { type: 'string', format: 'binary' } } } } },
      ),
    },
  };
}
