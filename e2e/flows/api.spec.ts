import type { APIRequestContext, APIResponse } from '@playwright/test';
import { expect, test as base } from '../support/surface.ts';
import { trees } from '../support/demo_data.ts';

/** The API by itself, without the interface. */
interface Api {
  get: (path: string) => Promise<APIResponse>;
  send: (method: 'POST' | 'PATCH' | 'DELETE', path: string, body?: unknown) => Promise<APIResponse>;
  treesId: number;
}
const test = base.extend<{ api: Api }>({
  async api({ request, server }: { request: APIRequestContext; server: { url: string } }, use) {
    const at = (path: string) => `${server.url.replace(/\/$/, '')}/api${path}`;
    const state = (await (await request.get(at('/workspace'))).json()) as { sources: { id: number; name: string }[] };
    await use({
      get: (path) => request.get(at(path)),
      send: (method, path, body) => request.fetch(at(path), { method, ...(body === undefined ? {} : { data: body }) }),
      treesId: state.sources.find(({ name }) => name === 'Trees')!.id,
    });
  },
});

let next = 0;
const condition = (expr: unknown) => ({ kind: 'condition', id: `c${next++}`, expr });
const tree = (...children: unknown[]) => ({ kind: 'group', id: 'root', combine: 'all', children });
const property = (name: string) => ({ property: name });
const above = (name: string, bound: number) => condition({ op: '>', args: [property(name), bound] });
const meets = (area: string) => condition({ op: 's_intersects', args: [property('geometry'), { op: 'AREA', args: [area] }] });
const number = (value: unknown) => (typeof value === 'number' ? value : NaN);
const errorOf = async (response: APIResponse) => ((await response.json()) as { error: string }).error;

test('several trees are counted at once, each as its own', async ({ api }) => {
  const answer = await api.send('POST', `/sources/${api.treesId}/counts`, {
    trees: [tree(above('storm_risk', 60)), tree(above('storm_risk', 60), above('height_m', 20)), tree()],
  });
  const risky = trees.filter(({ properties: p }) => number(p.storm_risk) > 60);
  const both = risky.filter(({ properties: p }) => number(p.height_m) > 20);
  expect((await answer.json()) as unknown).toEqual({ kept: [risky.length, both.length, trees.length] });
});

test('a column in figures: all beside kept', async ({ api }) => {
  const answer = await api.send('POST', `/sources/${api.treesId}/aggregate`, {
    tree: tree(above('storm_risk', 80)),
    aggregation: { kind: 'figures', column: 'height_m' },
  });
  const { all, kept } = ((await answer.json()) as { aggregate: Record<'all' | 'kept', Record<string, number>> }).aggregate;
  const heights = (of: typeof trees) => of.map(({ properties: p }) => number(p.height_m)).filter((h) => !Number.isNaN(h));
  const risky = trees.filter(({ properties: p }) => number(p.storm_risk) > 80);
  expect([all.rows, kept.rows]).toEqual([trees.length, risky.length]);
  expect(all.blank).toBe(trees.length - heights(trees).length);
  expect(kept.max).toBe(Math.max(...heights(risky)));
  expect(kept.sum).toBeCloseTo(
    heights(risky).reduce((a, b) => a + b, 0),
    6,
  );
});

test('features grouped by a column or two, with figures of another', async ({ api }) => {
  const grouped = async (by: string[]) => {
    const aggregation = { kind: 'groups', by, of: 'height_m' };
    const answer = await api.send('POST', `/sources/${api.treesId}/aggregate`, { tree: tree(above('storm_risk', 80)), aggregation });
    return ((await answer.json()) as { aggregate: { by: unknown[]; all: { rows: number }; kept: { rows: number; max: number } }[] })
      .aggregate;
  };
  const groups = await grouped(['species']);
  const [first] = groups;
  const risky = trees.filter(({ properties: p }) => p.species === first.by[0] && number(p.storm_risk) > 80);
  expect(first.kept.rows).toBe(risky.length);
  expect(first.kept.max).toBe(Math.max(...risky.map(({ properties: p }) => number(p.height_m)).filter((h) => !Number.isNaN(h))));
  const both = await grouped(['species', 'owner']);
  expect(both.length).toBeGreaterThan(groups.length);
  for (const parts of [groups, both]) expect(parts.reduce((sum, { all }) => sum + all.rows, 0)).toBe(trees.length);
});

test('the curve of a bound, and the nearest bound where nothing is kept', async ({ api }) => {
  const wanted = above('storm_risk', 90);
  const curve = await api.send('POST', `/sources/${api.treesId}/curve`, { tree: tree(wanted), condition: wanted.id, side: 'low' });
  const { points } = ((await curve.json()) as { curve: { points: { at: number; kept: number }[] } }).curve;
  for (const { at, kept } of points.filter((_, i) => i % 25 === 0))
    expect([at, kept]).toEqual([at, trees.filter(({ properties: p }) => number(p.storm_risk) > at).length]);
  const empty = await api.send('POST', `/sources/${api.treesId}/emptiness`, { tree: tree(above('storm_risk', 1000)) });
  const { bounds } = ((await empty.json()) as { emptiness: { bounds: { at: number; kept: number }[] } }).emptiness;
  expect(bounds[0].kept).toBe(trees.filter(({ properties: p }) => number(p.storm_risk) > bounds[0].at).length);
  expect(bounds[0].kept).toBeGreaterThan(0);
  const kept = await api.send('POST', `/sources/${api.treesId}/emptiness`, { tree: tree(wanted) });
  expect((await kept.json()) as unknown).toEqual({ emptiness: null });
});

test('counts along time account for every feature', async ({ api }) => {
  const answer = await api.send('POST', `/sources/${api.treesId}/aggregate`, {
    tree: tree(),
    aggregation: { kind: 'times', column: 'planted' },
  });
  const { aggregate: times } = (await answer.json()) as {
    aggregate: { unit: string; bins: { from: string; all: number }[]; blank: number; unplaced: number };
  };
  expect(times.bins.reduce((sum, { all }) => sum + all, times.blank + times.unplaced)).toBe(trees.length);
  const year = times.bins[50].from.slice(0, 4);
  expect(times.unit).toBe('year');
  expect(times.bins[50].all).toBe(trees.filter(({ properties: p }) => String(p.planted).startsWith(year)).length);
  const none = await api.send('POST', `/sources/${api.treesId}/aggregate`, {
    tree: tree(),
    aggregation: { kind: 'times', column: 'species' },
  });
  expect((await none.json()) as unknown).toEqual({ aggregate: null });
});

test('areas: refused when wrong, kept while used, followed when changed', async ({ api }) => {
  const box = (east: number) => ({
    type: 'Polygon',
    coordinates: [
      [
        [-12.3, 46.5],
        [east, 46.5],
        [east, 46.7],
        [-12.3, 46.7],
        [-12.3, 46.5],
      ],
    ],
  });
  for (const [area, message] of [
    [{ name: '', shape: box(-12.1) }, 'name'],
    [{ name: 'West', shape: { type: 'Point', coordinates: [500_000, 1] } }, 'longitude and latitude'],
    [{ name: 'West', shape: { op: 'BUFFER', args: [{ type: 'Point', coordinates: [-12, 46] }, -5, 'm'] } }, 'longitude and latitude'],
    [{ name: 'West', shape: { op: '=', args: [1, 2] } }, 'longitude and latitude'],
  ] as const) {
    const refused = await api.send('POST', '/areas', area);
    expect([refused.status(), (await errorOf(refused)).includes(message)]).toEqual([400, true]);
  }
  const made = await api.send('POST', '/areas', { name: 'West', shape: box(-12.1) });
  const { id } = (await made.json()) as { id: number };
  expect(await errorOf(await api.send('POST', '/areas', { name: 'West', shape: box(0) }))).toContain('already');

  const count = async (area: string) => {
    const answer = await api.send('POST', `/sources/${api.treesId}/counts`, { trees: [tree(meets(area))] });
    return answer.ok() ? ((await answer.json()) as { kept: number[] }).kept[0] : await errorOf(answer);
  };
  const westOf = (east: number) =>
    trees.filter(
      ({
        geometry: {
          coordinates: [x, y],
        },
      }) => x >= -12.3 && x <= east && y >= 46.5 && y <= 46.7,
    ).length;
  expect(await count('West')).toBe(westOf(-12.1));
  await api.send('PATCH', `/areas/${id}`, { shape: box(-12.05) });
  expect(await count('West')).toBe(westOf(-12.05));

  const sieve = await api.send('POST', '/sieves', {
    sourceId: api.treesId,
    name: 'In the west',
    tree: tree(meets('West')),
    colour: 0,
    visible: true,
    mentions: [],
  });
  const sieveId = ((await sieve.json()) as { id: number }).id;
  expect(await errorOf(await api.send('DELETE', `/areas/${id}`))).toContain('used by In the west');
  const renamed = await api.send('PATCH', `/areas/${id}`, { name: 'Sunset side' });
  const { sieves } = (await renamed.json()) as { sieves: { id: number; tree: unknown }[] };
  // What is kept of the conditions is about the area, whatever it is called.
  expect(JSON.stringify(sieves.find((one) => one.id === sieveId)!.tree)).toContain(`"AREA","args":[${id}]`);
  // It can be asked about as it is kept.
  const { tree: asKept } = sieves.find((one) => one.id === sieveId)!;
  const counted = await api.send('POST', `/sources/${api.treesId}/counts`, { trees: [asKept] });
  expect((await counted.json()) as unknown).toEqual({ kept: [westOf(-12.05)] });
  expect(await count('West')).toContain('There is no area West');
  expect(await count('Sunset side')).toBe(westOf(-12.05));
  await api.send('DELETE', `/sieves/${sieveId}`);
  expect((await api.send('DELETE', `/areas/${id}`)).status()).toBe(204);
  expect((await api.send('DELETE', `/areas/${id}`)).status()).toBe(404);
});

test('of two sieves with one name each is meant by its own identity and its own text', async ({ api }) => {
  const make = async (...conditions: ReturnType<typeof above>[]) => {
    const body = { sourceId: api.treesId, name: 'Same name', tree: tree(...conditions), colour: 0, visible: false };
    return ((await (await api.send('POST', '/sieves', body)).json()) as { id: number }).id;
  };
  const [first, second] = [await make(above('storm_risk', 60)), await make(above('height_m', 20))];
  const keptBy = (of: string | number) => tree(condition({ op: 'KEPT_BY', args: [{ op: 'SIEVE', args: [of] }] }));
  const answer = await api.send('POST', `/sources/${api.treesId}/counts`, {
    trees: [keptBy(first), keptBy(second), keptBy('Same name'), keptBy('Same name (2)')],
  });
  const over = (name: string, bound: number) => trees.filter(({ properties: p }) => number(p[name]) > bound).length;
  const [risky, high] = [over('storm_risk', 60), over('height_m', 20)];
  expect((await answer.json()) as unknown).toEqual({ kept: [risky, high, risky, high] });
  for (const id of [first, second]) await api.send('DELETE', `/sieves/${id}`);
});

test('what is no expression is refused with its place', async ({ api }) => {
  const deep = Array.from({ length: 1000 }).reduce<unknown>((inner) => ({ op: 'not', args: [inner] }), true);
  for (const expr of [{ op: '=', args: [1] }, deep, { op: '=', args: [property('nowhere'), 1] }]) {
    const refused = await api.send('POST', `/sources/${api.treesId}/counts`, { trees: [tree(condition(expr))] });
    expect(refused.status()).toBe(400);
    expect((await errorOf(refused)).length).toBeGreaterThan(10);
  }
});
