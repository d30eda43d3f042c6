import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { layersIn, partFilter, printFilter, readLayer, takeRows, withKnownColumns, type Expr, type LayerRead } from '@clean-sieve/core';
import { NOTHING } from '../fetching/meant.ts';
import { fileInput, host } from '../files/file_input.ts';
import { fetchPages, firstPage } from '../ogc_api/fetch_pages.ts';
import { declaredSystem, provedSystem, withAxesOf } from '../ogc_api/own_system.ts';
import { ServiceClient, type ServiceKey } from '../ogc_api/service_client.ts';
import { addressOf, declaredOf, survey } from '../ogc_api/survey.ts';
import { UsageError } from './usage_error.ts';

/** The name of the environment's variable that holds a header for services, so that it stands in no history of commands. */
const KEY = 'CLEAN_SIEVE_KEY';

/** What came of a service or a database, and what it was asked. */
export interface ReadElsewhere extends LayerRead {
  /** The parts of the filter that are decided there and here, as CQL2 text; null where there is none. */
  pushed: string | null;
  here: string | null;
  /** Features that came over. */
  fetched: number;
}

/** Whether a FILE is the address of a service. */
export const isService = (file: string): boolean => /^https?:\/\//i.test(file);

/**
 * Reads a collection of an OGC API – Features service, as much of it as a filter can need.
 * @param filter null where all features are wanted
 */
export async function readService(text: string, collection: string | undefined, filter: Expr | null): Promise<ReadElsewhere> {
  const address = addressOf(text);
  const waits = (words: string) => void process.stderr.write(`${words}\n`);
  const client = new ServiceClient(address, { key: keyOfEnvironment(), signal: new AbortController().signal, waits });
  const found = await survey(client, address);
  const names = found.collections.map(({ id }) => id);
  const wanted = collection ?? found.chosen ?? (names.length === 1 ? names[0] : null);
  const chosen = found.collections.find(({ id }) => id === wanted);
  if (!chosen)
    throw new UsageError(
      `${wanted === null ? `${text} has several collections` : `${text} has no collection ${wanted}`}: ${names.join(', ')}; name one with --layer`,
    );
  const declared = await declaredOf(client, found.conformance, chosen);
  const { asked, there, here } = partFilter(filter, declared);
  const system = declaredSystem(found.conformance, chosen);
  const own = system && (await provedSystem(client, new URL(chosen.items), system));
  const folder = await mkdtemp(join(tmpdir(), 'clean-sieve-'));
  const read = async (from: URL, file: string) => {
    const fetched = await fetchPages(client, folder, file, from, () => undefined, own);
    if (fetched.features === 0) return { fetched, layer: null };
    const [layer] = await layersIn(await fileInput(join(folder, file)), host);
    const came = await readLayer(layer, {}, host, own?.crs ?? null);
    return { fetched, layer: own ? { ...came, table: withAxesOf(came.table, own) } : came };
  };
  try {
    const items = new URL(chosen.items);
    const first = await read(firstPage(items, asked, declared, own), 'asked.geojsonl');
    // Where nothing comes, the columns are those of all features.
    const all = first.layer ?? (await read(firstPage(items, NOTHING, declared, own), 'all.geojsonl')).layer;
    if (!all) throw new UsageError(`The collection ${chosen.id} of ${text} has no features`);
    const layer = first.layer ?? { ...all, table: takeRows(all.table, new Uint32Array(0)) };
    const known = [...declared.columns].map(([name, type]) => ({ name, type }));
    return {
      ...layer,
      table: withKnownColumns(layer.table, known),
      notes: [...layer.notes, ...first.fetched.remarks],
      pushed: there === null ? null : printFilter(there),
      here: here === null ? null : printFilter(here),
      fetched: first.fetched.features,
    };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

function keyOfEnvironment(): ServiceKey | null {
  const text = process.env[KEY];
  if (text === undefined || text === '') return null;
  const [, header, value] = /^([\w-]+):\s*(.+)$/.exec(text) ?? [];
  if (!header) throw new UsageError(`${KEY} is a header and its value, as in Authorization: Bearer abc`);
  return { header, value };
}
