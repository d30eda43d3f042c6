import { randomUUID } from 'node:crypto';
import { named, sampledOf } from '@clean-sieve/core';
import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import type { Uploads } from '../files/uploads.ts';
import { keyFor } from '../fetching/kept_keys.ts';
import { placeOf } from '../fetching/place.ts';
import { ServiceKeyRow } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { asOfDay, directory } from '../workspace_state.ts';
import {
  askRequest,
  fetchRequest,
  keyRequest,
  serviceLookRequest,
  surveyRequest,
  treeRequest,
  type AsksAnswer,
  type ServiceQuery,
} from './contract.ts';
import { sourceOf, type Services } from './services.ts';

/** Feature services and databases elsewhere: what they have, what would come of it, and fetching it. */
export function serviceRoutes({ store, jobs, live }: Services, uploads: Uploads): Hono {
  const routes = new Hono();
  const em = () => entities(store);
  routes.post('/services/surveys', async (c) => {
    const request = surveyRequest.parse(await c.req.json());
    const { address, host, key: inAddress } = placeOf(request.address);
    const key = request.key ?? inAddress;
    const known = key ?? (await keyFor(em(), new URL(address)));
    const job = jobs.start(`Looking at ${host}`, { kind: 'survey', address, key: known }, async (result) => {
      if (!result?.survey) return;
      // It opened the door: it is kept for the next time.
      if (key) await em().upsert(ServiceKeyRow, { address: result.survey.address, ...key });
      return { survey: { ...result.survey, hasKey: known !== null } };
    });
    return c.json(job);
  });
  routes.delete('/services/keys', async (c) => {
    const { address } = keyRequest.parse(await c.req.json());
    await em().nativeDelete(ServiceKeyRow, { address });
    return c.body(null, 204);
  });
  routes.post('/services/looks', async (c) => {
    const query = serviceLookRequest.parse(await c.req.json());
    expectOneHost(query);
    const upload = randomUUID();
    await uploads.begin(upload);
    const end = uploads.use(upload);
    const task = { kind: 'lookAtService' as const, query, key: await keyFor(em(), new URL(query.address)) };
    return c.json(jobs.start(`Looking at ${query.collection.title}`, { ...task, folder: uploads.folderOf(upload) }, () => end(true)));
  });
  routes.post('/services/fetches', async (c) => {
    const request = fetchRequest.parse(await c.req.json());
    expectOneHost(request);
    const upload = request.into ?? randomUUID();
    await uploads.begin(upload);
    const end = uploads.use(upload);
    const task = { kind: 'fetch' as const, request, key: await keyFor(em(), new URL(request.address)), asOf: await asOfDay(em()) };
    // What came stays for a while when it was not all, so that it can go on.
    const job = jobs.start(`Fetching ${request.name}`, { ...task, folder: uploads.folderOf(upload) }, (result) => end(result !== null));
    return c.json({ job, upload });
  });
  routes.post('/sources/:id/fetches', async (c) => {
    const source = await sourceOf(em(), c.req.param('id'));
    if (source.fetchedFrom?.live) throw new HTTPException(409, { message: `${source.name} is live: it is asked anew, not fetched` });
    if (!source.fetchedFrom) throw new HTTPException(409, { message: `${source.name} was not fetched from a service` });
    const upload = randomUUID();
    await uploads.begin(upload);
    const end = uploads.use(upload);
    const key = await keyFor(em(), new URL(source.fetchedFrom.address));
    const task = { kind: 'fetchAgain' as const, sourceId: source.id, key, asOf: await asOfDay(em()) };
    return c.json(jobs.start(`Fetching ${source.name} again`, { ...task, folder: uploads.folderOf(upload) }, () => end(true)));
  });
  routes.post('/sources/:id/asks', async (c) => {
    const source = await sourceOf(em(), c.req.param('id'));
    if (!source.fetchedFrom?.live) throw new HTTPException(409, { message: `${source.name} is not live: its features are stored` });
    return c.json(await live.ask(source, askRequest.parse(await c.req.json())));
  });
  routes.get('/asks', (c) => c.json({ asks: live.nearUnderWay() } satisfies AsksAnswer));
  routes.delete('/asks/failed', (c) => {
    live.forgetFailed();
    return c.body(null, 204);
  });
  routes.post('/sources/:id/wholes', async (c) => {
    const source = await sourceOf(em(), c.req.param('id'));
    const { tree: byIdentity } = treeRequest.parse(await c.req.json());
    const tree = named(byIdentity, await directory(em()));
    if (sampledOf(source.fetchedFrom ?? null) === null)
      throw new HTTPException(409, { message: `All of ${source.name} is here, and is counted here` });
    await live.ensure(source.id, [byIdentity]);
    const task = { kind: 'count' as const, sourceId: source.id, tree, asOf: await asOfDay(em()) };
    return c.json(jobs.start(`Counting in ${source.fetchedFrom!.collection}`, task));
  });
  return routes;
}

/** The addresses of a collection come back from the page: they stay with the service that was asked. */
function expectOneHost({ address, collection }: ServiceQuery): void {
  const own = new URL(address).hostname;
  for (const other of [collection.items, collection.queryables])
    if (new URL(other).hostname !== own)
      throw new HTTPException(400, { message: `${new URL(other).hostname} is another host than ${own}, which was not asked for` });
}
