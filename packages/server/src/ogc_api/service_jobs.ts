import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { FilterError, partFilter, ReadError, printFilter, type Declared, type PartedFilter } from '@clean-sieve/core';
import type { WantedPart, LayerLook, ServiceCollection, ServiceLook, ServiceLookRequest, ServiceSurvey } from '../api/contract.ts';
import { listening, type Report } from '../fetching/listening.ts';
import { fitting, meantBy, NOTHING } from '../fetching/meant.ts';
import type { Snapshot } from '../fetching/snapshot.ts';
import { look } from '../jobs/look.ts';
import { areaShapes } from '../workspace_state.ts';
import { entities, type Store } from '../store/store.ts';
import { addressOf, declaredOf, survey } from './survey.ts';
import { fetchPages, firstPage, itemsAddress, pageAt } from './fetch_pages.ts';
import { declaredSystem, provedSystem, type OwnSystem } from './own_system.ts';
import { ServiceClient, type ServiceKey } from './service_client.ts';

const NO_FEATURES = '{"type":"FeatureCollection","features":[]}\n';

/** Features that a look asks for. */
const SAMPLE = 500;

/** A client that listens for the end of the job while it waits, and tells what it waits for. */
function withClient<T>(address: URL, key: ServiceKey | null, report: Report, work: (client: ServiceClient, tell: Report) => Promise<T>) {
  let done = 0;
  return listening(address.host, report, (signal, tell) => {
    const telling: Report = (share, words) => tell((done = share), words);
    const waits = (words: string) => tell(done, words);
    return work(new ServiceClient(address, { key, signal, waits }), telling);
  });
}

/** What there is at an address that was typed. */
export async function surveyService(text: string, key: ServiceKey | null, report: Report): Promise<ServiceSurvey> {
  const address = addressOf(text);
  return withClient(address, key, report, (client) => survey(client, address));
}

/** The file in which the features of a collection stand. */
export function fileOf({ id }: ServiceCollection): string {
  return `${id.replaceAll(/[^\p{L}\p{N}._-]+/gu, '_').slice(0, 80) || 'features'}.geojsonl`;
}

/** What would come of a collection: its first features, how many there are, and of the conditions where each is decided. */
export async function lookAtService(
  orm: Store,
  { query, key, folder }: { query: ServiceLookRequest; key: ServiceKey | null; folder: string },
  report: Report,
): Promise<ServiceLook> {
  const { collection, conformance, filter, known } = query;
  const address = new URL(query.address);
  return withClient(address, key, report, async (client) => {
    const declared = await declaredOf(client, conformance, collection);
    const items = new URL(collection.items);
    const first = known === null ? await lookAtFirst(client, folder, collection, declared) : null;
    const system = first && declaredSystem(conformance, collection);
    const own = system && (await provedSystem(client, items, system));
    const looked = first && own ? { ...first, crs: own.crs } : first;
    const columns = known ?? looked!.columns;
    const all = looked?.features ?? null;
    try {
      const { expr, asked, conditions } = meantBy(filter, columns, await areaShapes(entities(orm)), declared);
      const isAll = asked.filter === null && asked.bbox === null && asked.datetime === null && asked.values.length === 0;
      const matched =
        isAll && looked ? all : ((await pageAt(client, itemsAddress(items, asked, declared, 1))).document.numberMatched ?? null);
      const parts = expr === null ? [] : partFilter(expr, declared).conditions;
      const stack = matched === null || parts.length < 2 ? null : await alongService(client, items, parts, declared, matched);
      return { look: looked, matched, all, problem: null, conditions, stack };
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      return { look: looked, matched: null, all, problem: error.line, conditions: [], stack: null };
    }
  });
}

/**
 * How many are left after each of some conditions, as far as the service decides all of them: after one that it does not, nobody knows.
 * @param matched what the service said of all that it was asked
 */
async function alongService(
  client: ServiceClient,
  items: URL,
  parts: PartedFilter['conditions'],
  declared: Declared,
  matched: number,
): Promise<ServiceLook['stack']> {
  const decided = parts.findIndex(({ by }) => by !== 'there');
  const told = decided < 0 ? parts.length : decided;
  const rows: { left: number | null; unknown: null }[] = parts.map(() => ({ left: null, unknown: null }));
  for (let n = 1; n <= told; n++) {
    const { asked } = partFilter({ op: 'and', args: parts.slice(0, n).map(({ expr }) => expr) }, declared);
    const page = n === parts.length ? null : await pageAt(client, itemsAddress(items, asked, declared, 1));
    rows[n - 1].left = page === null ? matched : (page.document.numberMatched ?? null);
  }
  return told === 0 ? null : { kept: told === parts.length ? matched : null, rows };
}

/** The first features of a collection, with how many there are in all. */
async function lookAtFirst(client: ServiceClient, folder: string, collection: ServiceCollection, declared: Declared): Promise<LayerLook> {
  const { features, document } = await pageAt(client, itemsAddress(new URL(collection.items), NOTHING, declared, SAMPLE));
  const isMore = document.links.some(({ rel }) => rel === 'next');
  const all = document.numberMatched ?? (isMore ? null : features.length);
  return typed(await sampleLook(folder, collection, features), declared, all);
}

async function sampleLook(folder: string, collection: ServiceCollection, features: readonly { text: string }[]): Promise<LayerLook> {
  await mkdir(folder, { recursive: true });
  const file = fileOf(collection);
  // A collection may have nothing in it.
  await writeFile(join(folder, file), features.length === 0 ? NO_FEATURES : features.map(({ text }) => `${text}\n`).join(''));
  const [found] = await look(folder, [file], {}, () => undefined);
  if (found.error !== null) throw new ReadError(`The features of ${collection.title} cannot be read: ${found.error.replace(/\.$/, '')}`);
  return found;
}

/** A column in which nothing is shown may have no values among the features looked at: it is of the type that the service tells. */
function typed(looked: LayerLook, declared: Declared, all: number | null): LayerLook {
  const isBlank = looked.columns.map((_, i) => looked.rows.every((row) => row[i] === null));
  const columns = looked.columns.map(({ name, type }, i) => ({
    name,
    type: (isBlank[i] && type === 'text' && declared.columns.get(name)) || type,
  }));
  const more = [...declared.columns].filter(([name]) => looked.rows.length === 0 && !columns.some((column) => column.name === name));
  return { ...looked, features: all, columns: [...columns, ...more.map(([name, type]) => ({ name, type }))] };
}

const disagrees = ({ crs }: OwnSystem) =>
  `The coordinates that the service gives in ${crs.name} are not where those in longitude and latitude are, or cannot be compared with them; they came in longitude and latitude`;

/** Fetches what is asked for into a folder. Goes on where an earlier try in it has stopped. */
export async function fetchPagesOf(
  orm: Store,
  query: WantedPart,
  { key, folder }: { key: ServiceKey | null; folder: string },
  report: Report,
): Promise<Snapshot> {
  const { collection, conformance } = query;
  const address = new URL(query.address);
  return withClient(address, key, report, async (client, tell) => {
    const declared = await declaredOf(client, conformance, collection);
    const { columns } = await lookAtFirst(client, join(folder, 'sample'), collection, declared);
    const { expr, asked, conditions } = fitting(query.filter, columns, await areaShapes(entities(orm)), declared);
    const askedAt = new Date().toISOString();
    const file = fileOf(collection);
    const items = new URL(collection.items);
    const system = declaredSystem(conformance, collection);
    const own = system && (await provedSystem(client, items, system));
    const progress = (features: number, matched: number | null) =>
      tell(
        matched ? Math.min(1, features / matched) : 0,
        `${features.toLocaleString('en-GB')}${matched === null ? '' : ` of ${matched.toLocaleString('en-GB')}`} features fetched from ${address.host}`,
      );
    const fetched = await fetchPages(client, folder, file, firstPage(items, asked, declared, own), progress, own);
    const remarks = system && !own && fetched.features > 0 ? [...fetched.remarks, disagrees(system)] : fetched.remarks;
    // What is live may have nothing just now.
    if (fetched.features === 0 && query.live) await writeFile(join(folder, file), NO_FEATURES);
    else if (fetched.features === 0)
      throw new ReadError(
        expr === null ? `${collection.title} has no features` : `No feature of ${collection.title} is as it was asked for`,
        'Nothing was brought in',
      );
    return {
      came: { file, system: own },
      columns,
      filter: expr,
      conditions,
      from: {
        address: query.address,
        collection: collection.id,
        filter: expr === null ? null : printFilter(expr),
        leftOut: query.leftOut,
        askedAt,
        matched: fetched.matched,
        came: fetched.features,
      },
      remarks,
    };
  });
}
