import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { randomBytes } from 'node:crypto';
import { identified } from '@clean-sieve/core';
import { frozenFeed } from '../feeds/published.ts';
import { slugOf } from '../feeds/slug.ts';
import { Feed, Sieve, type FeedRow } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { refuseSample } from '../store/table_store.ts';
import { directory, feedInfo, sieveInfo } from '../workspace_state.ts';
import { newFeed, newSieve, sieveChangeRequest, type SieveConflict } from './contract.ts';
import { id } from './ids.ts';
import { isFromElsewhere } from '../jobs/column_states.ts';
import { isAbout, notUsed } from './in_use.ts';
import { isOfSieve, notMadeFrom } from './made_elsewhere.ts';
import { sourceOf, type Services } from './services.ts';

/** Sieves, and publishing them. */
export function sieveRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store, sifting, fresh } = services;
  const em = () => entities(store);
  routes.post('/sieves/:id/feeds', async (c) => {
    const { frozen } = newFeed.parse(await c.req.json());
    const manager = em();
    const sieve = await manager.findOne(Sieve, { id: id(c.req.param('id')) }, { populate: ['source', 'source.columns'] });
    if (!sieve) throw new HTTPException(404, { message: 'There is no such sieve' });
    const varying = sieve.source.columns
      .getItems()
      .filter(
        ({ derivation, hidden }) =>
          !hidden && (isFromElsewhere(derivation) || (derivation?.kind === 'computed' && derivation.asOf !== null)),
      );
    refuseSample(sieve.source);
    if (frozen && sieve.source.fetchedFrom?.live)
      throw new HTTPException(400, {
        message: `${sieve.source.name} is live, and what it answers is not stored; publish a live feed, or make a source of what the sieve keeps and publish that`,
      });
    if (frozen && varying.length > 0)
      throw new HTTPException(400, {
        message: `${varying.map(({ name }) => name).join(', ')} would go on changing with the as-of date or what they are made from elsewhere; hide such columns, or publish a live feed`,
      });
    const feed = manager.create(Feed, {
      id: randomBytes(18).toString('base64url'),
      sieve,
      madeAt: new Date().toISOString(),
      collection: slugOf(sieve.name ?? sieve.source.name),
      frozen: frozen ? await frozenFeed(manager, sifting, sieve) : null,
    });
    await manager.flush();
    return c.json(feedInfo(feed));
  });
  routes.delete('/feeds/:id', async (c) => {
    await em().nativeDelete(Feed, { id: c.req.param('id') });
    return c.body(null, 204);
  });

  /** Feeds of sieves that were removed, which come back at their links when that is undone. */
  const goneFeeds = new Map<number, Pick<FeedRow, 'id' | 'madeAt' | 'collection' | 'frozen'>[]>();
  routes.post('/sieves', async (c) => {
    const { sourceId, tree, ...rest } = newSieve.parse(await c.req.json());
    await sourceOf(em(), String(sourceId));
    const manager = em();
    if (rest.id !== undefined && (await manager.count(Sieve, { id: rest.id })) > 0)
      throw new HTTPException(409, { message: 'This sieve is there already' });
    const sieve = manager.create(Sieve, { ...rest, tree: identified(tree, await directory(manager)), source: sourceId });
    for (const feed of goneFeeds.get(rest.id ?? -1) ?? []) manager.create(Feed, { ...feed, sieve });
    await manager.flush();
    goneFeeds.delete(sieve.id);
    return c.json(sieveInfo(sieve));
  });
  routes.patch('/sieves/:id', async (c) => {
    const { from, ...change } = sieveChangeRequest.parse(await c.req.json());
    // The look at the version and the change are one step, whoever else changes the sieve.
    return em().transactional(async (manager) => {
      const sieve = await manager.findOne(Sieve, { id: id(c.req.param('id')) });
      if (!sieve) throw new HTTPException(404, { message: 'There is no such sieve' });
      const matters = change.tree !== undefined || change.name !== undefined;
      if (matters && from !== undefined && from !== sieve.version)
        return c.json({ error: 'The sieve was changed in another window', current: sieveInfo(sieve) } satisfies SieveConflict, 409);
      if (change.name === null && sieve.name) {
        await notUsed(manager, 'The sieve needs its name', isAbout({ op: 'SIEVE', id: sieve.id }));
        await notMadeFrom(manager, 'The sieve needs its name: it is used', null, isOfSieve(sieve.id));
      }
      const tree = change.tree && identified(change.tree, await directory(manager));
      Object.assign(sieve, change, tree ? { tree } : {});
      if (matters) sieve.version++;
      await manager.flush();
      if (tree) fresh.look();
      return c.json(sieveInfo(sieve));
    });
  });
  routes.delete('/sieves/:id', async (c) => {
    await em().transactional(async (manager) => {
      const sieve = await manager.findOne(Sieve, { id: id(c.req.param('id')) });
      if (sieve) {
        await notUsed(manager, 'The sieve is needed', isAbout({ op: 'SIEVE', id: sieve.id }), (one) => one.id === sieve.id);
        await notMadeFrom(manager, 'The sieve is needed', null, isOfSieve(sieve.id));
        const feeds = await manager.find(Feed, { sieve: sieve.id });
        if (feeds.length > 0)
          goneFeeds.set(
            sieve.id,
            feeds.map(({ id: link, madeAt, collection, frozen }) => ({ id: link, madeAt, collection, frozen })),
          );
        await manager.nativeDelete(Sieve, { id: sieve.id });
      }
    });
    return c.body(null, 204);
  });

  return routes;
}
