import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { basename } from 'node:path';
import type { Uploads } from '../files/uploads.ts';
import { Source } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { asOfDay } from '../workspace_state.ts';
import { compareRequest, partRequest, versionRequest } from './contract.ts';
import { id, uploadId } from './ids.ts';
import { sourceChanged, sourceOf, type Services } from './services.ts';

/** Newer versions of a source: one comes in beside it, is compared, and takes its place only when the person says so. */
export function versionRoutes(services: Services, uploads: Uploads): Hono {
  const routes = new Hono();
  const { store, jobs } = services;
  const em = () => entities(store);
  routes.post('/sources/:id/versions', async (c) => {
    const { upload, layer } = versionRequest.parse(await c.req.json());
    const source = await sourceOf(em(), c.req.param('id'));
    if (source.fetchedFrom?.live)
      throw new HTTPException(409, { message: `${source.name} is live: it is asked anew, and no file takes its place` });
    const folder = uploads.folderOf(uploadId(upload));
    const end = uploads.use(upload);
    const task = {
      kind: 'version' as const,
      sourceId: source.id,
      folder,
      layer: { ...layer, file: basename(layer.file) },
    };
    return c.json(jobs.start(`Comparing ${layer.file} with ${source.name}`, { ...task, asOf: await asOfDay(em()) }, () => end(true)));
  });
  const versionOf = async (sourceId: number, version: string) => {
    const found = await em().findOne(Source, { id: id(version), versionOf: sourceId });
    if (!found) throw new HTTPException(404, { message: 'There is no such version' });
    return found;
  };
  routes.post('/sources/:id/versions/:version/compare', async (c) => {
    const source = await sourceOf(em(), c.req.param('id'));
    const { id: versionId } = await versionOf(source.id, c.req.param('version'));
    const { key } = compareRequest.parse(await c.req.json());
    const task = { kind: 'compare' as const, sourceId: source.id, versionId, key, asOf: await asOfDay(em()) };
    return c.json(jobs.start(`Comparing by ${key}`, task));
  });
  routes.post('/sources/:id/versions/:version/parts', async (c) => {
    const source = await sourceOf(em(), c.req.param('id'));
    const { id: versionId } = await versionOf(source.id, c.req.param('version'));
    const { key, part } = partRequest.parse(await c.req.json());
    return c.json(
      jobs.start(`Finding what is ${part}`, { kind: 'part', sourceId: source.id, versionId, key, part, asOf: await asOfDay(em()) }),
    );
  });
  routes.post('/sources/:id/versions/:version/accept', async (c) => {
    const source = await sourceOf(em(), c.req.param('id'));
    const { id: versionId } = await versionOf(source.id, c.req.param('version'));
    const settle = () => sourceChanged(services, source.id);
    const task = { kind: 'accept' as const, sourceId: source.id, versionId, asOf: await asOfDay(em()) };
    return c.json(jobs.start(`Exchanging ${source.name}`, task, settle));
  });
  routes.delete('/sources/:id/versions/:version', async (c) => {
    const { id: versionId } = await versionOf(id(c.req.param('id')), c.req.param('version'));
    await em().nativeDelete(Source, { id: versionId });
    return c.body(null, 204);
  });
  return routes;
}
