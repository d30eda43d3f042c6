import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import type { AreaShape } from '@clean-sieve/core';
import { NO_SOURCE } from '../sifting/sift_tasks.ts';
import { Area } from '../store/entities.ts';
import { entities, type Entities } from '../store/store.ts';
import { areaInfo, workspaceOf, workspaceState } from '../workspace_state.ts';
import { areaChangeRequest, bufferedRequest, newArea } from './contract.ts';
import { refuseFromElsewhere } from './elsewhere.ts';
import { id } from './ids.ts';
import { isAbout, notUsed } from './in_use.ts';
import { areasChanged, type Services } from './services.ts';

/** Named areas, and shapes to make them of. */
export function areaRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store, sifting } = services;
  const em = () => entities(store);
  const areaOf = async (manager: Entities, text: string) => {
    const area = await manager.findOne(Area, { id: id(text) });
    if (!area) throw new HTTPException(404, { message: 'There is no such area' });
    return area;
  };
  const nameIsFree = async (manager: Entities, name: string) => {
    if (await manager.findOne(Area, { name }))
      throw new HTTPException(400, { message: `There is an area ${name} already; choose another name` });
  };
  /** What relations are decided for is valid; a circle or strip is by its distance. */
  const validShape = async (shape: AreaShape): Promise<{ shape: AreaShape; repaired: string | null }> =>
    'op' in shape ? { shape, repaired: null } : sifting.ask('valid', NO_SOURCE, { shapes: [shape] });
  routes.post('/areas/buffered', async (c) => {
    const asked = bufferedRequest.parse(await c.req.json());
    return c.json(await sifting.ask('buffered', NO_SOURCE, asked));
  });
  routes.post('/areas', async (c) => {
    const { id: again, name, shape } = newArea.parse(await c.req.json());
    const manager = em();
    await nameIsFree(manager, name);
    if (again !== undefined && (await manager.count(Area, { id: again })) > 0)
      throw new HTTPException(409, { message: 'This area is there already' });
    const valid = await validShape(shape);
    const area = manager.create(Area, {
      ...(again === undefined ? {} : { id: again }),
      name,
      shape: valid.shape,
      workspace: await workspaceOf(manager),
    });
    await manager.flush();
    await areasChanged(services);
    return c.json({ ...areaInfo(area), repaired: valid.repaired });
  });
  routes.patch('/areas/:id', async (c) => {
    const { name, shape, from } = areaChangeRequest.parse(await c.req.json());
    const valid = shape && (await validShape(shape)).shape;
    await em().transactional(async (manager) => {
      const area = await areaOf(manager, c.req.param('id'));
      refuseFromElsewhere(`The area ${area.name}`, area, from);
      if (name !== undefined && name !== area.name) {
        await nameIsFree(manager, name);
        area.name = name;
      }
      if (valid) area.shape = valid;
    });
    await areasChanged(services);
    return c.json(await workspaceState(em()));
  });
  routes.delete('/areas/:id', async (c) => {
    await em().transactional(async (manager) => {
      const area = await areaOf(manager, c.req.param('id'));
      await notUsed(manager, 'The area is used', isAbout({ op: 'AREA', id: area.id }));
      manager.remove(area);
    });
    await areasChanged(services);
    return c.body(null, 204);
  });

  return routes;
}
