import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import type { Services } from './services.ts';

/** What jobs are about, and ending them. */
export function jobRoutes({ jobs }: Services): Hono {
  const routes = new Hono();
  routes.get('/jobs/:id', (c) => {
    const job = jobs.get(c.req.param('id'));
    if (!job) throw new HTTPException(404, { message: 'There is no such job' });
    return c.json(job);
  });
  routes.delete('/jobs/:id', (c) => {
    jobs.cancel(c.req.param('id'));
    return c.body(null, 204);
  });

  return routes;
}
