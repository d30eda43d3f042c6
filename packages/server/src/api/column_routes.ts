import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { propertiesIn, typedColumn, type Expr } from '@clean-sieve/core';
import { CodeList, SourceColumn } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { addColumn, loadTable } from '../store/table_store.ts';
import { sourceInfo, workspaceOf, workspaceState } from '../workspace.ts';
import { codeListOfColumns, codeListRequest, columnChangeRequest, derivedColumnRequest } from './contract.ts';
import { refuseFromElsewhere } from './elsewhere.ts';
import { id } from './ids.ts';
import { notUsed } from './in_use.ts';
import { askSource, sourceChanged, sourceOf, type Services } from './services.ts';

/** What columns are called, typed columns, and code lists. */
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
  routes.post('/sources/:id/columns', async (c) => {
    const { name, derivation } = derivedColumnRequest.parse(await c.req.json());
    const source = await sourceOf(em(), c.req.param('id'));
    if (source.columns.getItems().some((column) => column.name === name) || name === 'geometry')
      throw new HTTPException(400, { message: `There is a column ${name} already; choose another name` });
    const table = await loadTable(em(), source.id);
    const from = table.columns.find((column) => column.name === derivation.from);
    if (!from?.dictionary) throw new HTTPException(400, { message: `${derivation.from} is not a text column` });
    await addColumn(em(), source.id, typedColumn(from, derivation, name), derivation);
    await sourceChanged(services, source.id);
    return c.json(sourceInfo(await sourceOf(em(), c.req.param('id'))));
  });
  routes.delete('/sources/:id/columns/:column', async (c) => {
    const sourceId = id(c.req.param('id'));
    await em().transactional(async (manager) => {
      const column = await manager.findOne(SourceColumn, { source: sourceId, name: c.req.param('column') });
      if (!column?.derivation) throw new HTTPException(400, { message: 'Only derived columns can be removed; hide the column instead' });
      const isAboutColumn = (expr: Expr) => propertiesIn(expr).includes(column.name);
      await notUsed(manager, 'The column is used', isAboutColumn, (sieve) => sieve.source.id !== sourceId);
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
