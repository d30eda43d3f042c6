import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Workspace } from './entities.ts';
import { entities, openStore, type Store } from './store.ts';

/** A workspace for tests, in a folder of its own. */
export interface StoreForTests {
  store: Store;
  folder: string;
  /** Path of the database. */
  database: string;
  /** Closes it, and takes its folder away. */
  remove: () => Promise<void>;
}

export async function storeForTests(): Promise<StoreForTests> {
  const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-store-'));
  const database = join(folder, 'workspace.sqlite');
  const store = await openStore(database, { migrate: true });
  const em = entities(store);
  em.create(Workspace, { name: 'test', asOf: null });
  await em.flush();
  const remove = async () => {
    await store.close();
    rmSync(folder, { recursive: true, force: true });
  };
  return { store, folder, database, remove };
}
