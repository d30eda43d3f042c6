import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { checkComputed, FilterError, GEOMETRY_NAME, zoneFigureType, type ColumnSchema, type ColumnType } from '@clean-sieve/core';
import { schemasOf } from '../feeds/published.ts';
import { Sieve, Source, type SourceRow } from '../store/entities.ts';
import { entities, type Entities } from '../store/store.ts';
import { asOfDay } from '../workspace_state.ts';
import { spreadLookRequest, zonedLookRequest, zonedRequest, type ZonedRequest } from './contract.ts';
import { refuseFrozen } from './frozen.ts';
import { notRound } from './made_elsewhere.ts';
import { sourceChanged, sourceOf, type Services } from './services.ts';

/** Figures of the features of other sources beside the zones that they lie in. */
export function zonedRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store, jobs } = services;
  routes.post('/sources/:id/zoned/look', async (c) => {
    const zoned = zonedLookRequest.parse(await c.req.json());
    const em = entities(store);
    const zones = await sourceOf(em, c.req.param('id'));
    const features = await featuresOf(em, zoned.features);
    const task = { kind: 'lookAtZoned' as const, sourceId: zones.id, zoned, asOf: await asOfDay(em) };
    return c.json(jobs.start(`Finding the features of ${features.name} in ${zones.name}`, task));
  });
  routes.post('/sources/:id/zoned/spread', async (c) => {
    const spread = spreadLookRequest.parse(await c.req.json());
    const em = entities(store);
    await featuresOf(em, spread.features);
    return c.json(jobs.start(`Telling values of ${spread.column} apart`, { kind: 'lookAtSpread', spread, asOf: await asOfDay(em) }));
  });
  routes.post('/sources/:id/zoned', async (c) => {
    const zoned = zonedRequest.parse(await c.req.json());
    const em = entities(store);
    const zones = await sourceOf(em, c.req.param('id'));
    const features = await featuresOf(em, zoned.features);
    await refuseUnfit(em, zones, features, zoned);
    await refuseFrozen(em, zones, `change with ${features.name}`);
    const task = { kind: 'zoned' as const, sourceId: zones.id, zoned, asOf: await asOfDay(em) };
    return c.json(jobs.start(`Summing up ${features.name} by ${zones.name}`, task, () => sourceChanged(services, zones.id)));
  });
  return routes;
}

async function featuresOf(em: Entities, { source, sieve }: ZonedRequest['features']): Promise<SourceRow> {
  const found = await em.findOne(Source, { id: source, role: 'layer' }, { populate: ['columns'] });
  if (!found) throw new HTTPException(404, { message: 'There is no such source to sum up' });
  if (sieve === null) return found;
  const kept = await em.findOne(Sieve, { id: sieve, source });
  if (!kept) throw new HTTPException(404, { message: `There is no such sieve of ${found.name}` });
  return found;
}

/** Refuses what is known to be impossible before anything is summed up. */
async function refuseUnfit(em: Entities, zones: SourceRow, features: SourceRow, request: ZonedRequest): Promise<void> {
  const { features: of, figures, computed } = request;
  const refuse = (message: string) => {
    throw new HTTPException(400, { message });
  };
  if (zones.role !== 'layer') refuse(`${zones.name} is not a source in use`);
  if (!Object.keys(zones.geometryTypes).some((type) => /Polygon/.test(type)))
    refuse(`${zones.name} has no polygons; zones are areas: take a source of polygons, or make a grid`);
  // What figures and conditions are told by in a note has a name.
  if (of.sieve !== null && (await em.findOneOrFail(Sieve, { id: of.sieve })).name === null) refuse('Give the sieve a name first');
  const schemas: ColumnSchema[] = schemasOf(zones.columns.getItems());
  const add = (name: string, typeOf: () => ColumnType) => {
    if (name === GEOMETRY_NAME || schemas.some((column) => column.name === name))
      refuse(`There is a column ${name} already; choose another name`);
    try {
      schemas.push({ name, type: typeOf() });
    } catch (error) {
      if (error instanceof FilterError) refuse(error.line);
      throw error;
    }
  };
  for (const { name, figure } of figures) {
    add(name, () => zoneFigureType(schemasOf(features.columns.getItems()), figure));
    await notRound(em, zones.id, name, { kind: 'zoned', ...of, called: features.name, figure, of: '' });
  }
  for (const { name, expr } of computed) add(name, () => checkComputed(expr, { columns: schemas }));
}
