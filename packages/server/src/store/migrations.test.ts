import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { emptyTree, type Group } from '@clean-sieve/core';
import { openStore } from './store.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-migrations-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

test('feeds that were published before they had addresses of their own keep those of their names', async () => {
  const store = await openStore(join(folder, 'workspace.sqlite'), { migrate: false });
  await store.getMigrator().up({ to: '008_feeds' });
  const connection = store.em.getConnection();
  await connection.execute('PRAGMA foreign_keys = OFF');
  const sieve = (id: number, name: string | null) =>
    connection.execute("insert into sieve (id, source_id, name, tree, colour, visible, mentions) values (?, 1, ?, ?, 0, 1, '[]')", [
      id,
      name,
      JSON.stringify(emptyTree()),
    ]);
  const feed = (id: string, of: number, frozen: string | null) =>
    connection.execute("insert into feed (id, sieve_id, made_at, frozen) values (?, ?, '2026-11-24', ?)", [id, of, frozen]);
  await sieve(1, "Zürich's “old” oaks");
  await sieve(2, null);
  await feed('live', 1, null);
  await feed('frozen', 1, JSON.stringify({ name: 'As it was' }));
  await feed('unnamed', 2, null);
  await store.getMigrator().up();
  const rows = await connection.execute('select id, collection from feed order by id');
  expect(rows).toEqual([
    { id: 'frozen', collection: 'as-it-was' },
    { id: 'live', collection: 'zu-rich-s-old-oaks' },
    { id: 'unnamed', collection: 'features' },
  ]);
  await store.close();
});

test('conditions that named areas, sources and sieves are about the same ones afterwards, and extracts are made again of them', async () => {
  const store = await openStore(join(folder, 'names.sqlite'), { migrate: false });
  await store.getMigrator().up({ to: '010_sieve_versions' });
  const connection = store.em.getConnection();
  await connection.execute('PRAGMA foreign_keys = OFF');
  await connection.execute("insert into area (id, workspace_id, name, shape) values (7, 1, 'Harbour''s edge', '{}')");
  const about = (op: string, of: string | number) => ({ op: 's_intersects', args: [{ property: 'geometry' }, { op, args: [of] }] });
  const treeOf = (...of: (string | number)[]): Group => ({
    ...emptyTree(),
    children: of.map((one, i) => ({ kind: 'condition', id: `c${i}`, expr: about(i === 1 ? 'SIEVE' : 'AREA', one) })),
  });
  const sieve = (id: number, name: string | null, tree: Group) =>
    connection.execute("insert into sieve (id, source_id, name, tree, colour, visible, mentions) values (?, 1, ?, ?, 0, 1, '[]')", [
      ...[id, name, JSON.stringify(tree)],
    ]);
  await sieve(3, 'Lit', emptyTree());
  await sieve(4, null, treeOf("Harbour's edge", 'Lit', 'never was'));
  const request = { layers: [{ tree: treeOf("Harbour's edge") }], within: { area: "Harbour's edge", cut: false, tolerance: 0 } };
  await connection.execute(
    "insert into extract (id, workspace_id, title, made_at, format, features, `of`, files, request, note) values ('e', 1, 't', 'd', 'csv', 0, 0, '[]', ?, '{}')",
    [JSON.stringify(request)],
  );
  await store.getMigrator().up();
  const [, { tree }] = await connection.execute<{ tree: string }[]>('select tree from sieve order by id');
  expect(JSON.parse(tree)).toEqual(treeOf(7, 3, 'never was'));
  const [extract] = await connection.execute<{ request: string }[]>('select request from extract');
  expect(JSON.parse(extract.request)).toEqual({ layers: [{ tree: treeOf(7) }], within: { area: 7, cut: false, tolerance: 0 } });
  await store.close();
});
