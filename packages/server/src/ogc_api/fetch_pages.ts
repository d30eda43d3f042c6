import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { appendFile, readFile, stat, truncate, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { FeatureScanner, parseJson, printFilter, ReadError, type Asked, type Declared } from '@clean-sieve/core';
import { pageDocument, type PageDocument } from './documents.ts';
import type { OwnSystem } from './own_system.ts';
import { PassingError, shown, type ServiceClient } from './service_client.ts';

/** Features that are asked for in a page; a service gives fewer if it likes. */
const PAGE = 1000;
const LEAST_PAGE = 50;
/** A page that takes longer than this, in milliseconds, is followed by smaller ones. */
const SLOW = 20_000;

/**
 * The address of features that are asked for, by the parameters of the standard.
 * @param system in which coordinates are wanted; null for longitude and latitude
 */
export function itemsAddress(
  items: URL,
  asked: Asked,
  declared: Pick<Declared, 'filter'> | null,
  limit: number,
  system: Pick<OwnSystem, 'uri'> | null = null,
): URL {
  const url = new URL(items);
  url.searchParams.set('limit', String(limit));
  if (asked.bbox) url.searchParams.set('bbox', asked.bbox.join(','));
  if (asked.datetime !== null) url.searchParams.set('datetime', asked.datetime);
  for (const [name, value] of asked.values) url.searchParams.set(name, value);
  if (system) url.searchParams.set('crs', system.uri);
  if (asked.filter !== null && declared?.filter) {
    const { language } = declared.filter;
    url.searchParams.set('filter', language === 'cql2-json' ? JSON.stringify(asked.filter) : printFilter(asked.filter));
    url.searchParams.set('filter-lang', language);
  }
  return url;
}

/** A page: its features as they were written, and what stands beside them. */
export interface Page {
  features: { text: string; id: string | null }[];
  document: PageDocument;
}

/**
 * A page of features. Throws a ReadError for what is none.
 * @param own the system that was asked for; null for longitude and latitude
 */
export async function pageAt(client: ServiceClient, address: URL, own: Pick<OwnSystem, 'uri'> | null = null): Promise<Page & { at: URL }> {
  return client.asked(address, 'application/geo+json, application/json;q=0.9', async ({ response, at, pieces }) => {
    const type = response.headers.get('content-type') ?? '';
    if (!/json/i.test(type))
      throw new ReadError(`The features at ${shown(at)} come as ${type || 'something without a type'}, not as GeoJSON`);
    const system = response.headers.get('content-crs');
    const isAsked = own ? system?.trim().replace(/^<|>$/g, '') === own.uri : system === null || /\/CRS84h?>?$/.test(system.trim());
    if (!isAsked)
      throw new ReadError(
        `The features at ${shown(at)} come ${system === null ? 'without a word of their system' : `in the system ${system}`}, where ${own?.uri ?? 'longitude and latitude'} ${own ? 'was' : 'were'} asked for`,
      );
    const features: Page['features'] = [];
    const tops: string[] = [];
    const scanner = new FeatureScanner(({ kind, text }) => {
      if (kind === 'feature') features.push({ text: text.replaceAll(/[\r\n]+/g, ' '), id: idOf(text) });
      else tops.push(text);
    });
    try {
      for await (const piece of pieces) scanner.push(piece);
      scanner.finish();
    } catch (error) {
      if (!(error instanceof ReadError)) throw error;
      // A page that was cut off is one that was lost on the way.
      throw new PassingError(`A page of ${client.name} is broken (${error.message})`);
    }
    const parsed = tops.length === 1 ? pageDocument.safeParse(JSON.parse(tops[0])) : null;
    if (!parsed?.success) throw new ReadError(`What ${shown(at)} answers is not a FeatureCollection`);
    return { features, document: parsed.data, at };
  });
}

/** The identifier of a feature, with its type, so that 1 and "1" are two. */
function idOf(text: string): string | null {
  // Exactly: beyond 2⁵³ two numbers would become one.
  const { id } = parseJson(text) as { id?: unknown };
  if (typeof id === 'string') return `text ${id}`;
  return typeof id === 'number' || typeof id === 'bigint' ? `number ${id}` : null;
}

/** What came over, told of a snapshot. */
export interface Fetched {
  /** Features in the file. */
  features: number;
  /** What the service said that there are; null where it said nothing. */
  matched: number | null;
  /** What is worth to be known of how it came. */
  remarks: string[];
}

/** How far a snapshot has come, kept beside its file, so that it can go on. */
interface Progress extends Fetched {
  /** Address of the first page: another one is another question. */
  first: string;
  /** Address of the page that comes next; null once all are there. */
  next: string | null;
  bytes: number;
  /** Features that came once more, and those with the identifier of another one. */
  twice: number;
  namesakes: number;
  /** The addresses of the pages that came, in a hash each. */
  pages: string[];
}

const PROGRESS = 'fetched.json';

/**
 * Fetches all features behind an address into a file in a folder, one a line, page by page until there is no next one. Goes on where an
 * earlier try in the same folder has stopped. Throws a ReadError.
 * @param report told how many are there, of how many
 * @param system that the first address asks for; null for longitude and latitude
 */
export async function fetchPages(
  client: ServiceClient,
  folder: string,
  file: string,
  first: URL,
  report: (features: number, matched: number | null) => void,
  system: Pick<OwnSystem, 'uri'> | null = null,
): Promise<Fetched> {
  const path = join(folder, file);
  const before = await progressIn(folder);
  const progress: Progress =
    before?.first === first.href
      ? before
      : { first: first.href, features: 0, matched: null, remarks: [], next: first.href, bytes: 0, twice: 0, namesakes: 0, pages: [] };
  if (progress.bytes === 0) await writeFile(path, '');
  // What was written after the last page that is known of is a part of one.
  else if ((await stat(path)).size !== progress.bytes) await truncate(path, progress.bytes);
  const [ids, pages] = [await idsIn(path), new Set(progress.pages)];
  report(progress.features, progress.matched);
  while (progress.next !== null) {
    const address = new URL(progress.next);
    if (pages.has(digest(address.href))) throw circle(client, progress);
    pages.add(digest(address.href));
    const began = Date.now();
    const { features, document, at } = await pageAt(client, address, system);
    const lines: string[] = [];
    for (const { text, id } of features) {
      if (id !== null) {
        const [own, content] = [digest(id), digest(text)];
        // One that is not the same in everything is not left out: not every service has identifiers of its own for each.
        if (ids.get(own)?.has(content)) {
          progress.twice++;
          continue;
        }
        if (ids.has(own)) progress.namesakes++;
        ids.set(own, (ids.get(own) ?? new Set()).add(content));
      }
      lines.push(`${text}\n`);
    }
    const block = Buffer.from(lines.join(''));
    await appendFile(path, block);
    progress.features += lines.length;
    progress.bytes += block.length;
    if (document.numberMatched !== undefined) {
      if (progress.matched !== null && progress.matched !== document.numberMatched)
        remark(
          progress,
          `While it was fetched, the number of features changed from ${counted(progress.matched)} to ${counted(document.numberMatched)}`,
        );
      progress.matched = document.numberMatched;
    }
    const next = document.links.find(({ rel }) => rel === 'next');
    if (next && features.length === 0)
      throw new ReadError(
        `${client.name} gives a page without features after ${counted(progress.features)} of them, and says there are more`,
        'The service has to be mended; nothing was brought in',
      );
    // Under another address the pages can be those of before.
    if (next && lines.length === 0) throw circle(client, progress);
    progress.next = next ? paced(new URL(next.href, at), Date.now() - began).href : null;
    progress.pages = [...pages];
    await writeFile(join(folder, PROGRESS), JSON.stringify(progress));
    report(progress.features, progress.matched);
  }
  const { features, matched, twice, namesakes } = progress;
  const remarks = [...progress.remarks];
  if (twice > 0) remarks.push(`${many(twice)} came once more, the same in everything, and ${twice === 1 ? 'is' : 'are'} there once`);
  if (namesakes > 0) remarks.push(`${many(namesakes)} came with the identifier of another one and other values; all of them are there`);
  if (matched !== null && matched !== features + twice)
    remarks.push(
      `The service said that there are ${many(matched)}, and gave ${counted(features + twice)}. ${
        matched > features + twice ? 'Some may be missing; ask who runs it' : 'There may be more by now'
      }`,
    );
  return { features, matched, remarks };
}

function circle({ name }: ServiceClient, { features }: Progress): ReadError {
  return new ReadError(
    `The pages of ${name} go round in a circle: after ${counted(features)} features the next page is one that was there before`,
    'The service has to be mended; nothing was brought in',
  );
}

function remark(progress: Progress, words: string): void {
  // The number may change with each page: the first and the last are enough.
  progress.remarks = [...progress.remarks.slice(0, 1), words];
}

/** The next page, smaller where the last one took long. The parameter stands in the service's own link, where it does. */
function paced(next: URL, millis: number): URL {
  const limit = Number(next.searchParams.get('limit'));
  const offset = next.searchParams.get('offset');
  // Without an offset, where a page begins may hang on how large pages are.
  if (millis > SLOW && Number.isInteger(limit) && limit > LEAST_PAGE && offset !== null)
    next.searchParams.set('limit', String(Math.max(LEAST_PAGE, Math.floor(limit / 2))));
  return next;
}

async function progressIn(folder: string): Promise<Progress | null> {
  try {
    return JSON.parse(await readFile(join(folder, PROGRESS), 'utf8')) as Progress;
  } catch {
    return null;
  }
}

/** The features of each identifier that are in a file, both as hashes. */
async function idsIn(path: string): Promise<Map<string, Set<string>>> {
  const ids = new Map<string, Set<string>>();
  for await (const line of createInterface({ input: createReadStream(path) })) {
    const id = idOf(line);
    if (id !== null) ids.set(digest(id), (ids.get(digest(id)) ?? new Set()).add(digest(line)));
  }
  return ids;
}

export const firstPage = (items: URL, asked: Asked, declared: Declared, system: OwnSystem | null = null): URL =>
  itemsAddress(items, asked, declared, PAGE, system);

// Sixteen bytes tell apart as many as any service has.
const digest = (text: string) => createHash('sha256').update(text).digest('base64url').slice(0, 22);
const counted = (count: number) => count.toLocaleString('en-GB');
const many = (count: number) => `${counted(count)} feature${count === 1 ? '' : 's'}`;
