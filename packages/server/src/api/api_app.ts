import { join } from 'node:path';
import { serveStatic } from '@hono/node-server/serve-static';
import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { feedApp } from '../feeds/feed_app.ts';
import { Uploads } from '../files/uploads.ts';
import { step } from '../steps.ts';
import { areaRoutes } from './area_routes.ts';
import { columnRoutes } from './column_routes.ts';
import { computedRoutes } from './computed_routes.ts';
import type { ErrorAnswer } from './contract.ts';
import { ElsewhereError } from './elsewhere.ts';
import { extractRoutes } from './extract_routes.ts';
import { jobRoutes } from './job_routes.ts';
import { joinRoutes } from './join_routes.ts';
import { problemOf } from './problems.ts';
import { questionRoutes } from './question_routes.ts';
import { safeInterface } from './safe_headers.ts';
import { serviceRoutes } from './service_routes.ts';
import type { Services } from './services.ts';
import { sieveRoutes } from './sieve_routes.ts';
import { sourceRoutes } from './source_routes.ts';
import { uploadRoutes } from './upload_routes.ts';
import { versionRoutes } from './version_routes.ts';
import { workspaceRoutes } from './workspace_routes.ts';
import { zonedRoutes } from './zoned_routes.ts';

/** The HTTP interface: the API under /api, everything else is the built web interface. */
export function makeApp(services: Services): Hono {
  const { store, published, fresh, live, log, files } = services;
  const app = new Hono();
  const api = new Hono();

  app.onError((error, c) => {
    const { status, message, fault } = problemOf(error);
    // The link of a feed is a secret: it is not logged.
    if (fault) log.error(`${c.req.method} ${c.req.path.replace(/\/feeds\/[^/]+/, '/feeds/…')}`, error);
    const elsewhere = error instanceof ElsewhereError ? { elsewhere: true as const } : {};
    return c.json({ error: message, ...elsewhere } satisfies ErrorAnswer, status);
  });

  app.route('/feeds', feedApp({ store, published, fresh, live, log }));

  app.use(safeInterface);
  // The server listens on this machine only; a page from elsewhere must not reach it through the browser.
  app.use(async (c, next) => {
    const host = (c.req.header('host') ?? '').replace(/:\d+$/, '');
    const origin = c.req.header('origin');
    const local = ['127.0.0.1', 'localhost', '[::1]'].includes(host);
    if (!local || (origin !== undefined && hostOf(origin) !== c.req.header('host'))) {
      throw new HTTPException(403, { message: 'Only pages served from this address may use it' });
    }
    await next();
  });
  app.use(async (c, next) => {
    await next();
    if (c.req.method !== 'GET') step('answer');
  });

  // What is answered from columns is answered from columns as of the day.
  for (const path of ['/api/sources/*', '/api/sieves/:id/feeds', '/api/extracts/*'])
    app.use(path, async (c, next) => {
      const [, source] = /^\/api\/sources\/(\d+)/.exec(c.req.path) ?? [];
      if (c.req.method !== 'DELETE') await fresh.ensure(source === undefined ? null : Number(source));
      await next();
    });

  const uploads = new Uploads(join(files, 'uploads'));
  for (const routes of [
    workspaceRoutes(services),
    uploadRoutes(services, uploads),
    jobRoutes(services),
    sourceRoutes(services),
    serviceRoutes(services, uploads),
    versionRoutes(services, uploads),
    columnRoutes(services),
    computedRoutes(services),
    joinRoutes(services),
    zonedRoutes(services),
    questionRoutes(services),
    areaRoutes(services),
    sieveRoutes(services),
  ])
    api.route('/', routes);
  api.route('/extracts', extractRoutes(services));

  api.all('*', () => {
    throw new HTTPException(404, { message: 'There is nothing at this address' });
  });

  app.route('/api', api);
  app.use('*', serveStatic({ root: services.interface }));
  app.get('*', serveStatic({ root: services.interface, path: 'index.html' }));
  return app;
}

/** The host of an origin; of one that is none, such as "null", nothing. */
function hostOf(origin: string): string | null {
  return URL.canParse(origin) ? new URL(origin).host : null;
}
