import { isDatabase, ReadError } from '@clean-sieve/core';
import type { FetchedFrom, WantedPart, ServiceLook, ServiceLookRequest, ServiceSurvey } from '../api/contract.ts';
import { fetchPagesOf, lookAtService, surveyService } from '../ogc_api/service_jobs.ts';
import type { ServiceKey } from '../ogc_api/service_client.ts';
import { fetchTable, lookAtTable, surveyDatabase } from '../postgis/database_jobs.ts';
import type { Store } from '../store/store.ts';
import type { Report } from './listening.ts';
import type { Snapshot } from './snapshot.ts';

/** What there is at an address that was typed: collections of a service, or tables of a database. */
export function surveyAt(address: string, key: ServiceKey | null, report: Report): Promise<ServiceSurvey> {
  return isDatabase(address) ? surveyDatabase(address, key, report) : surveyService(address, key, report);
}

/** What would come of a collection: its first features, how many there are, and of the conditions where each is decided. */
export function lookElsewhere(
  orm: Store,
  task: { query: ServiceLookRequest; key: ServiceKey | null; folder: string },
  report: Report,
): Promise<ServiceLook> {
  return isDatabase(task.query.address) ? lookAtTable(orm, task, report) : lookAtService(orm, task, report);
}

/** Fetches what is asked for. */
export function fetchSnapshot(
  orm: Store,
  query: WantedPart,
  task: { key: ServiceKey | null; folder: string },
  report: Report,
): Promise<Snapshot> {
  if (query.sample !== null && !(query.live && isDatabase(query.address)))
    throw new ReadError('A sample is taken only of what is live in a database', 'Ask for all of it, or for less by conditions');
  return isDatabase(query.address) ? fetchTable(orm, query, task.key, report) : fetchPagesOf(orm, query, task, report);
}

/** The same question once more, by what there is now. */
export async function askedBefore(from: FetchedFrom, key: ServiceKey | null, report: Report): Promise<WantedPart> {
  const { address, conformance, collections } = await surveyAt(from.address, key, report);
  const collection = collections.find(({ id }) => id === from.collection);
  if (!collection)
    throw new ReadError(`${from.address} has no ${from.collection} any more`, `It has ${collections.map(({ id }) => id).join(', ')}`);
  const { filter, leftOut, live } = from;
  return { address, conformance, collection, filter, leftOut, live: live !== undefined, sample: live?.sample?.wanted ?? null };
}
