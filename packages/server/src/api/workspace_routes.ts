import { Hono } from 'hono';
import { searchCrs } from '../crs/epsg.ts';
import { pdfPage } from '../page/page.ts';
import { entities } from '../store/store.ts';
import { workspaceOf, workspaceState } from '../workspace.ts';
import { crsQuery, pageRequest, workspaceChangeRequest, type CrsAnswer } from './contract.ts';
import { refuseFromElsewhere } from './elsewhere.ts';
import type { Services } from './services.ts';

/** The workspace as a whole. */
export function workspaceRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store } = services;
  const em = () => entities(store);
  routes.get('/workspace', async (c) => c.json(await workspaceState(em())));

  routes.patch('/workspace', async (c) => {
    const { from, ...change } = workspaceChangeRequest.parse(await c.req.json());
    await em().transactional(async (manager) => {
      const workspace = await workspaceOf(manager);
      refuseFromElsewhere('The workspace', workspace, from);
      Object.assign(workspace, change);
    });
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
