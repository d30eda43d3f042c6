import Database from 'libsql';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Workspace } from './entities.ts';
import { entities, openStore, type Store } from './store.ts';
import { BusyError, WriteTurn } from './write_turn.ts';

let folder: string;
let path: string;
let stores: Store[];
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'store-'));
  path = join(folder, 'workspace.sqlite');
  stores = [];
});
afterEach(async () => {
  for (const store of stores) await store.close();
  rmSync(folder, { recursive: true });
});

/** As a thread opens it. */
async function opened(turn?: WriteTurn): Promise<Store> {
  const store = await openStore(path, { migrate: true, turn });
  stores.push(store);
  return store;
}
const named = async (store: Store, name: string) => {
  const em = entities(store);
  em.create(Workspace, { name, asOf: null });
  await em.flush();
};
/** What is on the disk, by a connection of its own. */
const names = (): string[] => {
  const raw = new Database(path, { readonly: true });
  try {
    const rows = raw.prepare('select name from workspace order by id').all() as { name: string }[];
    return rows.map(({ name }) => name);
  } finally {
    raw.close();
  }
};
const pause = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds));

test('every connection has the settings, not only the first', async () => {
  const store = await opened();
  const { client } = store.em.getConnection().getKnex() as unknown as {
    client: { acquireConnection(): Promise<unknown>; releaseConnection(connection: unknown): Promise<void> };
  };
  const connections = await Promise.all([1, 2, 3, 4, 5].map(() => client.acquireConnection()));
  const settings = connections.map((connection) => {
    const value = (name: string) =>
      Object.values((connection as Database.Database).prepare(`PRAGMA ${name}`).get() as object)[0] as unknown;
    return [value('journal_mode'), value('synchronous'), value('foreign_keys'), value('busy_timeout')];
  });
  expect(new Set(connections).size).toBe(5);
  expect(settings).toEqual(connections.map(() => ['wal', 2, 1, 5000]));
  for (const connection of connections) await client.releaseConnection(connection);
});

test('an edit waits for the transaction of another thread, and meanwhile everything can be read', async () => {
  const turn = new WriteTurn();
  const [mine, theirs] = [await opened(turn), await opened(new WriteTurn(turn.shared))];
  await named(mine, 'before');
  let release = () => {};
  const held = new Promise<void>((resolve) => (release = resolve));
  const writing = entities(theirs).transactional(async (tx) => {
    tx.create(Workspace, { name: 'import', asOf: null });
    await tx.flush();
    await held;
  });
  await pause(50);
  const edits = Promise.all([1, 2, 3].map((n) => named(mine, `edit ${n}`)));
  await pause(50);
  // Three connections wait for the turn; there are others to read with.
  expect(await entities(mine).count(Workspace)).toBe(1);
  expect(names()).toEqual(['before']);
  release();
  await Promise.all([writing, edits]);
  expect(names()).toEqual(['before', 'import', 'edit 1', 'edit 2', 'edit 3']);
});

test('a transaction that fails ends its turn and leaves nothing', async () => {
  const store = await opened();
  const failing = entities(store).transactional(async (tx) => {
    tx.create(Workspace, { name: 'half', asOf: null });
    await tx.flush();
    throw new Error('stop');
  });
  await expect(failing).rejects.toThrow('stop');
  await named(store, 'after');
  expect(names()).toEqual(['after']);
});

test('edits beside one another and beside imports are all on the disk when they are answered', async () => {
  const turn = new WriteTurn();
  const [mine, theirs] = [await opened(turn), await opened(new WriteTurn(turn.shared))];
  const answered: string[] = [];
  const editing = Promise.all(
    Array.from({ length: 40 }, async (_, n) => {
      await pause(n * 5);
      await named(mine, `edit ${n}`);
      answered.push(`edit ${n}`);
      expect(names()).toContain(`edit ${n}`);
    }),
  );
  for (let n = 0; n < 10; n++)
    await entities(theirs).transactional(async (tx) => {
      for (let part = 0; part < 5; part++) {
        tx.create(Workspace, { name: `import ${n}.${part}`, asOf: null });
        await tx.flush();
        await pause(4);
      }
    });
  await editing;
  expect(answered).toHaveLength(40);
  expect(new Set(names()).size).toBe(90);
});

test('another program that writes too long is told, and blocks nothing once it has ended', async () => {
  const store = await opened();
  await named(store, 'before');
  const other = new Database(path);
  other.exec('BEGIN IMMEDIATE');
  await expect(named(store, 'meanwhile')).rejects.toThrow(/locked/);
  other.exec('ROLLBACK');
  other.close();
  await named(store, 'after');
  expect(names()).toEqual(['before', 'after']);
}, 20_000);

test('who waits too long for the turn is told, and the next one gets it', async () => {
  const turn = new WriteTurn();
  const other = new WriteTurn(turn.shared);
  await turn.take();
  await expect(other.take(30)).rejects.toThrow(BusyError);
  turn.give();
  await other.take(30);
  other.give();
});

test('the turn of a thread that is no more is given up, and only that', async () => {
  const turn = new WriteTurn();
  await turn.take();
  turn.giveFor(77);
  await expect(new WriteTurn(turn.shared).take(20)).rejects.toThrow(BusyError);
  turn.giveFor(0);
  await new WriteTurn(turn.shared).take(20);
});
