import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { layerRef } from '@clean-sieve/core';
import { Sieve, Source } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { IN_USE } from '../store/table_store.ts';
import { asOfDay, sourceInfo } from '../workspace.ts';
import { sourceChange, subsetRequest, type RemarksAnswer } from './contract.ts';
import { id } from './ids.ts';
import { isAbout, notUsed, renameLayer } from './in_use.ts';
import { sourceChanged, sourceOf, type Services } from './services.ts';

/** Sources: names, shapes in use, measures, remarks; making one of what is kept. */
export function sourceRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store, sifting, jobs } = services;
  const em = () => entities(store);
  routes.get('/sources/:id', async (c) => c.json(sourceInfo(await sourceOf(em(), c.req.param('id')))));
  routes.patch('/sources/:id', async (c) => {
    const change = sourceChange.parse(await c.req.json());
    const { id: sourceId, name: before } = await sourceOf(em(), c.req.param('id'));
    // The new name and the conditions that go on being about it are saved together.
    await em().transactional(async (manager) => {
      if (change.name !== undefined && change.name !== before) {
        if ((await manager.count(Source, { name: change.name, ...IN_USE, id: { $ne: sourceId } })) > 0)
          throw new HTTPException(409, { message: `There is a source ${change.name} already; choose another name` });
        await renameLayer(manager, layerRef('SOURCE', before), change.name);
        await manager.flush();
      }
      await manager.nativeUpdate(Source, { id: sourceId }, change);
    });
    if (change.shapes) await sourceChanged(services, sourceId);
    return c.json(sourceInfo(await sourceOf(em(), c.req.param('id'))));
  });
  routes.delete('/sources/:id', async (c) => {
    const { id: sourceId, name } = await sourceOf(em(), c.req.param('id'));
    await em().transactional(async (manager) => {
      const own = await manager.find(Sieve, { source: sourceId });
      const going = [layerRef('SOURCE', name), ...own.flatMap((sieve) => (sieve.name ? [layerRef('SIEVE', sieve.name)] : []))];
      for (const ref of going) await notUsed(manager, `${ref.args[0]} is needed`, isAbout(ref), (sieve) => sieve.source.id === sourceId);
      await manager.nativeDelete(Source, { $or: [{ id: sourceId }, { versionOf: sourceId }] });
    });
    await sourceChanged(services, sourceId);
    return c.body(null, 204);
  });

  routes.post('/sources/:id/measures', async (c) => {
    const { id: sourceId, name } = await sourceOf(em(), c.req.param('id'));
    return c.json(jobs.start(`Measuring ${name}`, { kind: 'measure', sourceId }));
  });
  routes.post('/sources/:id/repairs', async (c) => {
    const { id: sourceId, name } = await sourceOf(em(), c.req.param('id'));
    const settle = () => sourceChanged(services, sourceId);
    return c.json(jobs.start(`Repairing the shapes of ${name}`, { kind: 'repair', sourceId }, settle));
  });
  routes.get('/sources/:id/remarks', async (c) => {
    const source = await em().findOne(Source, { id: id(c.req.param('id')) }, { populate: ['remarks'] });
    if (!source) throw new HTTPException(404, { message: 'There is no such source' });
    return c.json({ remarks: source.remarks.unwrap() ?? [] } satisfies RemarksAnswer);
  });
  routes.post('/sources', async (c) => {
    const layer = subsetRequest.parse(await c.req.json());
    const asOf = await asOfDay(em());
    await sifting.ask('check', { sourceId: layer.sourceId, asOf }, { tree: layer.tree });
    return c.json(jobs.start(`Making the source ${layer.name}`, { kind: 'subset', layer, asOf }));
  });

  return routes;
}
