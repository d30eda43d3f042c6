import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { derivedFrom, nodesIn, propertiesIn, type Group } from '@clean-sieve/core';
import { CodeList, SourceColumn } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { derivationsOf } from '../store/table_store.ts';
import { sourceInfo, workspaceOf, workspaceState } from '../workspace_state.ts';
import { codeListOfColumns, codeListRequest, columnChangeRequest } from './contract.ts';
import { refuseFromElsewhere } from './elsewhere.ts';
import { id } from './ids.ts';
import { notUsed } from './in_use.ts';
import { isOfColumn, notMadeFrom } from './made_elsewhere.ts';
import { askSource, sourceChanged, sourceOf, type Services } from './services.ts';

/** What columns are called, and code lists; derived columns are removed. */
export function columnRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store } = services;
  const em = () => entities(store);
  routes.patch('/sources/:id/columns/:column', async (c) => {
    const { from, ...change } = columnChangeRequest.parse(await c.req.json());
    const manager = em();
    const column = await manager.findOne(SourceColumn, { source: id(c.req.param('id')), name: c.req.param('column') });
    if (!column) throw new HTTPException(404, { message: 'There is no such column' });
    refuseFromElsewhere(`The column ${column.name}`, { ...column, codeList: column.codeList?.id ?? null }, from);
    const { codeList, title, description, ...rest } = change;
    Object.assign(column, rest);
    if (title !== undefined) column.title = title === '' ? null : title;
    if (description !== undefined) column.description = description === '' ? null : description;
    if (codeList !== undefined) column.codeList = codeList === null ? null : manager.getReference(CodeList, codeList);
    await manager.flush();
    return c.json(sourceInfo(await sourceOf(em(), c.req.param('id'))));
  });
  routes.delete('/sources/:id/columns/:column', async (c) => {
    const sourceId = id(c.req.param('id'));
    await em().transactional(async (manager) => {
      const column = await manager.findOne(SourceColumn, { source: sourceId, name: c.req.param('column') });
      if (!column?.derivation) throw new HTTPException(400, { message: 'Only derived columns can be removed; hide the column instead' });
      const isAboutColumn = (tree: Group) =>
        [...nodesIn(tree)].some(({ node }) => node.kind === 'condition' && propertiesIn(node.expr).includes(column.name));
      await notUsed(manager, 'The column is used', isAboutColumn, (sieve) => sieve.source.id !== sourceId);
      const later = derivedFrom(column.name, await derivationsOf(manager, sourceId)).map(({ name }) => name);
      if (later.length > 0)
        throw new HTTPException(400, { message: `${later.join(', ')} ${later.length === 1 ? 'is' : 'are'} made of it; remove that first` });
      await notMadeFrom(manager, 'The column is used', sourceId, isOfColumn(sourceId, column.name));
      await manager.nativeDelete(SourceColumn, { id: column.id });
    });
    await sourceChanged(services, sourceId);
    return c.json(sourceInfo(await sourceOf(em(), c.req.param('id'))));
  });

  routes.post('/code-lists', async (c) => {
    const { name, entries } = codeListRequest.parse(await c.req.json());
    const manager = em();
    manager.create(CodeList, { name, entries, workspace: await workspaceOf(manager) });
    await manager.flush();
    return c.json(await workspaceState(em()));
  });
  routes.post('/sources/:id/code-lists', async (c) => {
    const { name, code, meaning } = codeListOfColumns.parse(await c.req.json());
    const { entries } = await askSource(services, c.req.param('id'), 'pairs', { code, meaning });
    const manager = em();
    manager.create(CodeList, { name, entries, workspace: await workspaceOf(manager) });
    await manager.flush();
    return c.json(await workspaceState(em()));
  });
  routes.delete('/code-lists/:id', async (c) => {
    await em().nativeDelete(CodeList, { id: id(c.req.param('id')) });
    return c.json(await workspaceState(em()));
  });

  return routes;
}
