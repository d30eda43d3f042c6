import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { searchCrs } from '../crs/epsg.ts';
import { makeDemo, UNNAMED } from '../demo/bring_in_demo.ts';
import { pdfPage } from '../page/page.ts';
import { NO_SOURCE } from '../sifting/sift_tasks.ts';
import { Area, CodeList, Source } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { simulatedServiceAddress, workspaceOf, workspaceState } from '../workspace_state.ts';
import { crsQuery, pageRequest, workspaceChangeRequest, type CrsAnswer } from './contract.ts';
import { refuseFromElsewhere } from './elsewhere.ts';
import type { Services } from './services.ts';

/** The workspace as a whole. */
export function workspaceRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store, jobs, fresh, log, demo } = services;
  const em = () => entities(store);
  /**
   * The workspace opens, and its as-of date can be chosen, even where a column cannot be made of the day: that is told when it is asked.
   * @param figures whether figures by zones are waited for
   */
  const state = async (figures = false) => {
    await fresh.ensure(figures ? null : NO_SOURCE.sourceId).catch((error: unknown) => log.error('Columns of the day', error));
    return workspaceState(em());
  };
  routes.get('/workspace', async (c) => c.json(await state(c.req.query('figures') === 'wait')));

  routes.patch('/workspace', async (c) => {
    const { from, ...change } = workspaceChangeRequest.parse(await c.req.json());
    await em().transactional(async (manager) => {
      const workspace = await workspaceOf(manager);
      refuseFromElsewhere('The workspace', workspace, from);
      Object.assign(workspace, change);
    });
    return c.json(await state());
  });

  routes.post('/demo', async (c) => {
    const manager = em();
    const { name } = await workspaceOf(manager);
    const used = (await manager.count(Source)) + (await manager.count(Area)) + (await manager.count(CodeList));
    if (name === UNNAMED) throw new HTTPException(409, { message: 'The demo is being made already' });
    if (used > 0)
      throw new HTTPException(409, { message: 'There is something in this workspace already; the demo begins with an empty one' });
    await makeDemo(store, jobs, demo, simulatedServiceAddress());
    return c.json(await workspaceState(em()));
  });

  routes.get('/systems', (c) => {
    const { find } = crsQuery.parse(c.req.query());
    return c.json({ systems: searchCrs(find) } satisfies CrsAnswer);
  });

  routes.post('/pages', async (c) => {
    const page = pageRequest.parse(await c.req.json());
    return c.body((await pdfPage(page)) as Uint8Array<ArrayBuffer>, 200, { 'content-type': 'application/pdf' });
  });

  return routes;
}
