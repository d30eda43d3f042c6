import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { named, type Directory } from '@clean-sieve/core';
import { MADE_SOURCES } from '../made_sources/made_source_registry.ts';
import { Sieve, Source, type SieveRow } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { IN_USE } from '../store/table_store.ts';
import { asOfDay, directory, sourceInfo } from '../workspace_state.ts';
import {
  madeSourceRequest,
  sourceChange,
  type MadeSourceKind,
  type MadeSourceOf,
  type MadeSourceRequest,
  type RemarksAnswer,
} from './contract.ts';
import { id } from './ids.ts';
import { isAbout, notUsed } from './in_use.ts';
import { notMadeFrom } from './made_elsewhere.ts';
import { sourceChanged, sourceOf, type Services } from './services.ts';

/** Trees can be by identity, as the workspace gives them. */
const byNames = (source: MadeSourceRequest, names: Directory): MadeSourceRequest =>
  source.kind === 'kept' ? { ...source, layer: { ...source.layer, tree: named(source.layer.tree, names) } } : source;

const checkMakeable = <K extends MadeSourceKind>(source: MadeSourceOf<K>, sifting: Services['sifting'], asOf: number) => {
  const { kind }: { kind: K } = source;
  return MADE_SOURCES[kind].check(source, sifting, asOf);
};

/** Sources: names, shapes in use, measures, remarks; making one of what is kept. */
export function sourceRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store, sifting, jobs, live } = services;
  const em = () => entities(store);
  routes.get('/sources/:id', async (c) => c.json(sourceInfo(await sourceOf(em(), c.req.param('id')))));
  routes.patch('/sources/:id', async (c) => {
    const { shapes, ...change } = sourceChange.parse(await c.req.json());
    const { id: sourceId, name: before } = await sourceOf(em(), c.req.param('id'));
    await em().transactional(async (manager) => {
      if (change.name !== undefined && change.name !== before) {
        if ((await manager.count(Source, { name: change.name, ...IN_USE, id: { $ne: sourceId } })) > 0)
          throw new HTTPException(409, { message: `There is a source ${change.name} already; choose another name` });
      }
      if (Object.keys(change).length > 0) await manager.nativeUpdate(Source, { id: sourceId }, change);
    });
    if (shapes) await useShapes(services, sourceId, before, shapes);
    return c.json(sourceInfo(await sourceOf(em(), c.req.param('id'))));
  });
  routes.delete('/sources/:id', async (c) => {
    const { id: sourceId, name } = await sourceOf(em(), c.req.param('id'));
    await em().transactional(async (manager) => {
      const own = await manager.find(Sieve, { source: sourceId });
      const besides = (sieve: SieveRow) => sieve.source.id === sourceId;
      await notUsed(manager, `${name} is needed`, isAbout({ op: 'SOURCE', id: sourceId }), besides);
      await notMadeFrom(manager, `${name} is needed`, sourceId, ({ source }) => source === sourceId);
      for (const sieve of own) await notUsed(manager, `${sieve.name ?? name} is needed`, isAbout({ op: 'SIEVE', id: sieve.id }), besides);
      await manager.nativeDelete(Source, { $or: [{ id: sourceId }, { versionOf: sourceId }] });
    });
    await sourceChanged(services, sourceId);
    await live.letGo();
    return c.body(null, 204);
  });

  routes.post('/sources/:id/measures', async (c) => {
    const { id: sourceId, name } = await sourceOf(em(), c.req.param('id'));
    return c.json(jobs.start(`Measuring ${name}`, { kind: 'measure', sourceId }));
  });
  routes.post('/sources/:id/repairs', async (c) => {
    const { id: sourceId, name, fetchedFrom } = await sourceOf(em(), c.req.param('id'));
    if (fetchedFrom?.live)
      throw new HTTPException(409, {
        message: `${name} is live, and its shapes are as they come; make a source of what is kept, and repair it there`,
      });
    const settle = () => sourceChanged(services, sourceId);
    return c.json(jobs.start(`Repairing the shapes of ${name}`, { kind: 'repair', sourceId, asOf: await asOfDay(em()) }, settle));
  });
  routes.get('/sources/:id/remarks', async (c) => {
    const source = await em().findOne(Source, { id: id(c.req.param('id')) }, { populate: ['remarks'] });
    if (!source) throw new HTTPException(404, { message: 'There is no such source' });
    return c.json({ remarks: source.remarks.unwrap() ?? [] } satisfies RemarksAnswer);
  });
  routes.post('/sources', async (c) => {
    const source = byNames(madeSourceRequest.parse(await c.req.json()), await directory(em()));
    const asOf = await asOfDay(em());
    await checkMakeable(source, sifting, asOf);
    return c.json(jobs.start(`Making the source ${source.name}`, { kind: 'make', source, asOf }));
  });

  return routes;
}

/** Waits until the shapes are in use, with what is measured of them. */
async function useShapes(services: Services, sourceId: number, name: string, shapes: 'original' | 'repaired'): Promise<void> {
  const asOf = await asOfDay(entities(services.store));
  const { id: job } = services.jobs.start(`Using other shapes of ${name}`, { kind: 'shapes', sourceId, shapes, asOf });
  const { state, error } = await services.jobs.settled(job);
  if (state !== 'done') throw new HTTPException(500, { message: error ?? 'It was cancelled' });
  await sourceChanged(services, sourceId);
}
