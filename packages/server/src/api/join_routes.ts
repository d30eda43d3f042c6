import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { GEOMETRY_NAME, joinedType, FilterError } from '@clean-sieve/core';
import { Source, type SourceRow } from '../store/entities.ts';
import { entities, type Entities } from '../store/store.ts';
import { asOfDay } from '../workspace_state.ts';
import { joinLookRequest, joinRequest, placedLookRequest, placedRequest, type JoinRequest } from './contract.ts';
import { refuseFrozen } from './frozen.ts';
import { notRound } from './made_elsewhere.ts';
import { sourceChanged, sourceOf, type Services } from './services.ts';

/** Columns of another source that stand beside the features of the same key. */
export function joinRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store, jobs } = services;
  routes.post('/sources/:id/joins/look', async (c) => {
    const join = joinLookRequest.parse(await c.req.json());
    const em = entities(store);
    const source = await sourceOf(em, c.req.param('id'));
    const table = await tableOf(em, source, join.table);
    return c.json(jobs.start(`Comparing ${source.name} with ${table.name}`, { kind: 'lookAtJoin', sourceId: source.id, join }));
  });
  routes.post('/sources/:id/joins', async (c) => {
    const join = joinRequest.parse(await c.req.json());
    const em = entities(store);
    const source = await sourceOf(em, c.req.param('id'));
    const table = await tableOf(em, source, join.table);
    refuseUnfit(source, table, join);
    const { pairs, like } = join;
    for (const { name, column, several } of join.columns)
      await notRound(em, source.id, name, { kind: 'joined', source: table.id, table: table.name, pairs, like, column, several, of: '' });
    await refuseFrozen(em, source, `change with ${table.name}`);
    const task = { kind: 'join' as const, sourceId: source.id, join, asOf: await asOfDay(em) };
    return c.json(jobs.start(`Joining ${table.name} to ${source.name}`, task, () => sourceChanged(services, source.id)));
  });
  routes.post('/sources/:id/placed/look', async (c) => {
    const placed = placedLookRequest.parse(await c.req.json());
    const em = entities(store);
    const source = await sourceOf(em, c.req.param('id'));
    const table = await tableOf(em, source, placed.table);
    const task = { kind: 'lookAtPlaced' as const, sourceId: source.id, placed };
    return c.json(jobs.start(`Finding features of ${table.name} for ${source.name}`, task));
  });
  routes.post('/sources/:id/placed', async (c) => {
    const placed = placedRequest.parse(await c.req.json());
    const em = entities(store);
    const source = await sourceOf(em, c.req.param('id'));
    const table = await tableOf(em, source, placed.table);
    refuseNames(source, table, placed.columns);
    for (const { name, column } of placed.columns) {
      const { by, most } = placed;
      await notRound(em, source.id, name, { kind: 'placed', source: table.id, table: table.name, by, most, column, of: '' });
    }
    await refuseFrozen(em, source, `change with ${table.name}`);
    const task = { kind: 'placed' as const, sourceId: source.id, placed, asOf: await asOfDay(em) };
    return c.json(jobs.start(`Taking columns of ${table.name} to ${source.name}`, task, () => sourceChanged(services, source.id)));
  });
  return routes;
}

async function tableOf(em: Entities, source: SourceRow, table: number): Promise<SourceRow> {
  if (source.role !== 'layer') throw new HTTPException(400, { message: `${source.name} is not a source in use` });
  if (table === source.id) throw new HTTPException(400, { message: `${source.name} cannot be joined to itself` });
  const other = await em.findOne(Source, { id: table, role: 'layer' }, { populate: ['columns'] });
  if (!other) throw new HTTPException(404, { message: 'There is no such source to join' });
  return other;
}

function refuse(message: string): never {
  throw new HTTPException(400, { message });
}

/** Refuses columns that are not there, and names that are. */
function refuseNames(source: SourceRow, table: SourceRow, columns: readonly { column: string | null; name: string }[]): void {
  const taken = new Set([GEOMETRY_NAME, ...source.columns.getItems().map(({ name }) => name)]);
  for (const { name, column } of columns) {
    if (taken.has(name)) refuse(`There is a column ${name} already; choose another name`);
    taken.add(name);
    if (column !== null && !table.columns.getItems().some((one) => one.name === column)) refuse(`${table.name} has no column ${column}`);
  }
}

/** Refuses what is known to be impossible before anything is compared. */
function refuseUnfit(source: SourceRow, table: SourceRow, { pairs, columns }: JoinRequest): void {
  const [own, others] = [source, table].map((one) => one.columns.getItems());
  for (const pair of pairs) {
    if (!own.some(({ name }) => name === pair.own)) refuse(`${source.name} has no column ${pair.own}`);
    if (!others.some(({ name }) => name === pair.other)) refuse(`${table.name} has no column ${pair.other}`);
  }
  refuseNames(source, table, columns);
  for (const { column, several } of columns) {
    const of = others.find((one) => one.name === column);
    try {
      joinedType(of ?? null, several);
    } catch (error) {
      if (error instanceof FilterError) refuse(error.line);
      throw error;
    }
  }
}
