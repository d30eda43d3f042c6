import { Hono } from 'hono';
import { z } from 'zod';
import { entities } from '../store/store.ts';
import { todayBesideFixed } from '../workspace_state.ts';
import { classesRequest, planeName, QUESTIONS, selection, wholeTileAsk, type Question, type QuestionName } from './contract.ts';
import { askSource, type Services } from './services.ts';

const BINARY = { 'content-type': 'application/octet-stream', 'cache-control': 'no-store' };
const number = z.coerce.number().int().min(0);

/** The tile that an address names. */
function tileAt(named: { z: string; x: string; y: string }): { z: number; x: number; y: number } {
  const z = number.max(24).parse(named.z);
  const place = number.max(2 ** z - 1);
  return { z, x: place.parse(named.x), y: place.parse(named.y) };
}

/** Everything that the interface asks about a source. What is no longer wanted is ended. */
export function questionRoutes(services: Services): Hono {
  const routes = new Hono();
  const answered = <K extends QuestionName>(name: K, schema: z.ZodType<Question<K>>) =>
    routes.post('/sources/:id/' + name, async (c) => {
      const question = schema.parse(await c.req.json());
      return c.json(await askSource(services, c.req.param('id') ?? '', name, question, { signal: c.req.raw.signal }));
    });
  for (const name of Object.keys(QUESTIONS) as QuestionName[]) answered(name, QUESTIONS[name]);

  routes.post('/sources/:id/sift', async (c) => {
    const today = await todayBesideFixed(entities(services.store));
    const question = { today, ...selection.parse(await c.req.json()) };
    const frame = await askSource(services, c.req.param('id'), 'sift', question, { signal: c.req.raw.signal });
    return c.body(frame, 200, BINARY);
  });
  routes.post('/sources/:id/classes', async (c) => {
    const asked = classesRequest.parse(await c.req.json());
    const codes = await askSource(services, c.req.param('id'), 'classes', asked, { signal: c.req.raw.signal });
    return c.body(codes, 200, BINARY);
  });
  routes.get('/sources/:id/tiles/:z/:x/:y', async (c) => {
    const tile = { ...tileAt(c.req.param()), plane: planeName.parse(c.req.query('plane') ?? 'mercator') };
    const bytes = await askSource(services, c.req.param('id'), 'displayTile', tile, { signal: c.req.raw.signal });
    return c.body(bytes, 200, BINARY);
  });
  // The database may take its time: nobody who asks of what is held waits for it.
  routes.post('/sources/:id/wholes/tiles/:z/:x/:y', async (c) => {
    const tile = { ...tileAt(c.req.param()), ...wholeTileAsk.parse(await c.req.json()) };
    const bytes = await askSource(services, c.req.param('id'), 'wholeTile', tile, { signal: c.req.raw.signal }, services.there);
    return c.body(bytes, 200, BINARY);
  });
  return routes;
}
