import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openStore } from './store.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-migrations-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

test('feeds that were published before they had addresses of their own keep those of their names', async () => {
  const store = await openStore(join(folder, 'workspace.sqlite'), { migrate: false });
  await store.getMigrator().up({ to: '008_feeds' });
  const connection = store.em.getConnection();
  await connection.execute('PRAGMA foreign_keys = OFF');
  const sieve = (id: number, name: string | null) =>
    connection.execute("insert into sieve (id, source_id, name, tree, colour, visible, mentions) values (?, 1, ?, '{}', 0, 1, '[]')", [
      id,
      name,
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
