import { ReadError, type Box, type ColumnType, type Declared, type FilterSupport } from '@clean-sieve/core';
import { z } from 'zod';
import type { ServiceCollection, ServiceSurvey } from '../api/contract.ts';
import {
  collectionDocument,
  collectionsDocument,
  conformanceDocument,
  landingDocument,
  queryablesDocument,
  type CollectionDocument,
  type Queryable,
  type ServiceLink,
} from './documents.ts';
import { shown, type ServiceClient } from './service_client.ts';

const REL = 'http://www.opengis.net/def/rel/ogc/1.0/';
const PART1 = 'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/';
const PART3 = 'http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/';
const CQL2 = 'http://www.opengis.net/spec/cql2/1.0/conf/';

/** What the document at an address is. */
const anyDocument = z.union([
  collectionsDocument.transform((document) => ({ kind: 'collections' as const, document })),
  collectionDocument.transform((document) => ({ kind: 'collection' as const, document })),
  z.object({ type: z.literal('FeatureCollection') }).transform(() => ({ kind: 'items' as const })),
  landingDocument.transform((document) => ({ kind: 'landing' as const, document })),
]);

/** Reads what a person typed as the address of a service. Throws a ReadError. */
export function addressOf(text: string): URL {
  const trimmed = text.trim();
  const url = URL.parse(/^[a-z][a-z\d+.-]*:\/\//i.test(trimmed) ? trimmed : `https://${trimmed}`);
  if (!url || (url.protocol !== 'http:' && url.protocol !== 'https:') || url.hostname === '')
    throw new ReadError(`${trimmed} is not an address`, 'An address is as in https://data.example.org/api');
  if (url.username !== '' || url.password !== '')
    throw new ReadError('An address with a password in it would be shown wherever the source is', 'Give the key as a header instead');
  url.hash = '';
  return url;
}

/**
 * What there is at an address, which is that of a landing page, of the list of collections, of a collection or of its items.
 * Throws a ReadError.
 */
export async function survey(client: ServiceClient, address: URL): Promise<ServiceSurvey> {
  const { document: found, at } = await client.document(address, anyDocument, 'the document');
  if (found.kind === 'items') return survey(client, above(at, 'items'));
  if (found.kind === 'collection') {
    const root = above(above(at, found.document.id), 'collections');
    const service = await serviceAt(client, root, found.document.links);
    return { ...service, chosen: found.document.id, collections: [collectionOf(found.document, at)] };
  }
  if (found.kind === 'collections') return await listed(client, above(at, 'collections'), at);
  const { links, title, description } = found.document;
  const data = linkTo(links, at, 'data', `${REL}data`) ?? below(at, 'collections');
  const all = await listed(client, at, data, links);
  return { ...all, title: title || all.title, description: description ?? '' };
}

async function listed(client: ServiceClient, root: URL, list: URL, links: ServiceLink[] = []): Promise<ServiceSurvey> {
  const { document, at } = await client.document(list, collectionsDocument, 'the list of collections');
  const service = await serviceAt(client, root, [...links, ...document.links]);
  const features = document.collections.filter(({ itemType }) => itemType === 'feature');
  if (features.length === 0) throw new ReadError(`${shown(list)} has no collection of features`);
  return { ...service, chosen: null, collections: features.map((one) => collectionOf(one, below(at, one.id))) };
}

/** What a service declares, beside its collections. */
async function serviceAt(client: ServiceClient, root: URL, links: ServiceLink[]) {
  const address = linkTo(links, root, 'conformance', `${REL}conformance`) ?? below(root, 'conformance');
  const { document } = await client.document(address, conformanceDocument, 'the list of conformance classes');
  if (!document.conformsTo.some((uri) => /\/ogcapi-features-1\/[\d.]+\/(conf|req)\/core$/.test(uri)))
    throw new ReadError(
      `${shown(root)} does not declare to be an OGC API – Features service`,
      `A service of features declares ${PART1}core`,
    );
  // What stands in a query may be a key: it is not kept.
  const kept = new URL(root);
  kept.search = '';
  return { address: kept.href, title: root.host, description: '', conformance: document.conformsTo, hasKey: false };
}

function collectionOf(document: CollectionDocument, at: URL): ServiceCollection {
  const { id, title, description, extent, crs, storageCrs, links } = document;
  const [box] = extent?.spatial?.bbox ?? [];
  const [interval] = extent?.temporal?.interval ?? [];
  return {
    id,
    title: title || id,
    description: description ?? '',
    extent: boxOf(box),
    period: interval?.some((end) => end !== null) ? [interval[0] ?? null, interval[1] ?? null] : null,
    systems: crs ?? [],
    storage: storageCrs ?? null,
    items: (itemsLink(links, at) ?? below(at, 'items')).href,
    queryables: (linkTo(links, at, `${REL}queryables`, 'queryables', '[ogc-rel:queryables]') ?? below(at, 'queryables')).href,
  };
}

/** Four numbers, or six with heights. */
function boxOf(numbers: (number | null)[] | undefined): Box | null {
  const flat = numbers?.length === 6 ? [numbers[0], numbers[1], numbers[3], numbers[4]] : numbers;
  if (flat?.length !== 4) return null;
  const [west, south, east, north] = flat;
  return west === null || south === null || east === null || north === null ? null : [west, south, east, north];
}

function itemsLink(links: readonly ServiceLink[], at: URL): URL | null {
  const own = links.filter(({ rel }) => rel === 'items');
  const json = own.find(({ type }) => /geo\+json/.test(type ?? '')) ?? own.find(({ type }) => type === undefined || /json/.test(type));
  return json ? URL.parse(json.href, at) : null;
}

function linkTo(links: readonly ServiceLink[], at: URL, ...rels: string[]): URL | null {
  const own = links.filter(({ rel }) => rels.includes(rel));
  const json = own.find(({ type }) => /json/.test(type ?? '')) ?? own.find(({ type }) => type === undefined);
  return json ? URL.parse(json.href, at) : null;
}

/** The address without its last part and what comes behind. */
function above(address: URL, part: string): URL {
  const path = address.pathname.replace(/\/+$/, '');
  const at = path.lastIndexOf('/');
  if (decodeURIComponent(path.slice(at + 1)) !== part)
    throw new ReadError(
      `${shown(address)} is not where OGC API – Features has it: its address would end with /${part}`,
      'Give the address of the landing page',
    );
  const url = new URL(address);
  url.pathname = path.slice(0, at) || '/';
  url.search = '';
  return url;
}

function below(address: URL, part: string): URL {
  const url = new URL(address);
  url.pathname = `${url.pathname.replace(/\/+$/, '')}/${encodeURIComponent(part)}`;
  url.search = '';
  return url;
}

/** What filters can be about, by what the service declares (19-079r2). Throws a ReadError. */
export async function declaredOf(
  client: ServiceClient,
  conformance: readonly string[],
  { queryables, storage, period }: ServiceCollection,
): Promise<Declared> {
  const has = (uri: string) => conformance.includes(uri);
  const known = has(`${PART3}queryables`) || has(`${PART3}filter`) || has(`${PART3}queryables-query-parameters`);
  const properties = known
    ? Object.entries((await client.document(new URL(queryables), queryablesDocument, 'the list of queryables')).document.properties)
    : [];
  const columns = new Map<string, ColumnType>();
  for (const [name, one] of properties) {
    const type = typeOf(one);
    if (type !== null) columns.set(name, type);
  }
  const times = properties.filter(([name]) => columns.get(name) === 'date' || columns.get(name) === 'datetime');
  const named = times.filter(([, one]) => one['x-ogc-role'] === 'primary-instant');
  const one = named.length === 1 ? named : times;
  return {
    columns,
    wholes: new Set(properties.filter(([, { type }]) => [type ?? []].flat().includes('integer')).map(([name]) => name)),
    geometry: properties.find(([, queryable]) => isGeometry(queryable))?.[0] ?? null,
    filter: filterSupport(has),
    values: has(`${PART3}queryables-query-parameters`),
    // With several times, which of them the parameter is about is the service's own affair.
    time: one.length === 1 && period !== null ? one[0][0] : null,
    projected: storage !== null && !/\/CRS84h?$|\/EPSG\/[^/]+\/(4326|4979|4258|4269)$/.test(storage),
  };
}

function filterSupport(has: (uri: string) => boolean): FilterSupport | null {
  if (!has(`${PART3}filter`) || !has(`${PART3}features-filter`) || !has(`${CQL2}basic-cql2`)) return null;
  const language = has(`${CQL2}cql2-text`) ? 'cql2-text' : has(`${CQL2}cql2-json`) ? 'cql2-json' : null;
  return language && { language, advanced: has(`${CQL2}advanced-comparison-operators`), boxes: has(`${CQL2}basic-spatial-functions`) };
}

const isGeometry = ({ format, $ref, ...one }: Queryable): boolean =>
  one['x-ogc-role'] === 'primary-geometry' ||
  format?.startsWith('geometry-') === true ||
  /geojson\.org\/schema|#\/.*geometry/i.test($ref ?? '');

/** What a queryable's values are read as; null for what cannot be compared. */
function typeOf(queryable: Queryable): ColumnType | null {
  if (isGeometry(queryable)) return null;
  const types = [queryable.type ?? []].flat().filter((type) => type !== 'null');
  if (types.length !== 1) return null;
  switch (types[0]) {
    case 'integer':
    case 'number':
      return 'number';
    case 'boolean':
      return 'boolean';
    case 'string':
      return queryable.format === 'date' ? 'date' : queryable.format === 'date-time' ? 'datetime' : 'text';
    default:
      return null;
  }
}
