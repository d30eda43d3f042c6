import { rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { step } from '../steps.ts';
import { settleFolders } from '../export/folders.ts';
import { Extract } from './entities.ts';
import { MIGRATIONS } from './migrations.ts';
import { entities, openStore, type Store } from './store.ts';
import { letGoOfAll } from './held_answers.ts';
import { removeUnfinished } from './table_store.ts';
import type { WriteTurn } from './write_turn.ts';

/** What is said where nothing more can be written: no room, or none for a file of that size. */
export const DISK_FULL = /disk is full|SQLITE_FULL|ENOSPC|EFBIG|EDQUOT|disk I\/O error/i;

/** A workspace that cannot be opened, said for whoever starts the program. */
export class CannotOpenError extends Error {}

/**
 * Opens the workspace of a folder that is locked, and ends what was under way when the program last stopped: uploads, sources
 * and extracts that were being made, versions that were being compared, extracts that were being deleted.
 * @throws CannotOpenError for a database that is damaged, of a newer program, or may not be written
 */
export async function openWorkspace(data: string, turn: WriteTurn): Promise<Store> {
  const path = join(data, 'workspace.sqlite');
  const store = await opened(path, turn);
  step('start: workspace opened');
  await rm(join(data, 'uploads'), { recursive: true, force: true });
  const em = entities(store);
  await removeUnfinished(em);
  await letGoOfAll(em, path);
  const extracts = new Set((await em.find(Extract, {}, { fields: ['id'] })).map(({ id }) => id));
  await settleFolders(join(data, 'extracts'), (id) => extracts.has(id));
  step('start: leftovers removed');
  return store;
}

/** Closes a workspace with everything in its one file, so that whoever copies that has all; what is live is not kept. */
export async function closeWorkspace(store: Store, data: string): Promise<void> {
  await letGoOfAll(entities(store), join(data, 'workspace.sqlite'));
  await store.em.getConnection().execute('PRAGMA wal_checkpoint(TRUNCATE)');
  await store.close();
}

async function opened(path: string, turn: WriteTurn): Promise<Store> {
  let store: Store | null = null;
  try {
    // What a newer program changed is told before anything of it is touched.
    store = await openStore(path, { migrate: false, turn });
    await refuseDamaged(store, path);
    const unknown = await unknownChanges(store);
    if (unknown.length > 0)
      throw new CannotOpenError(
        `The workspace ${path} was last opened by a newer Clean Sieve, which made changes that this one does not know (${unknown.join(', ')}). Open it with that one, or choose another folder with --data.`,
      );
    await store.getMigrator().up();
    return store;
  } catch (error) {
    await store?.close();
    throw told(error, path);
  }
}

/** A small database is looked through whole; of a large one only that no pages are missing at its end. */
const SMALL = 64 << 20;

/** @throws an error that says that the database is corrupt */
async function refuseDamaged(store: Store, path: string): Promise<void> {
  const { size } = await stat(path);
  const connection = store.em.getConnection();
  const number = async (pragma: string) => Object.values((await connection.execute<object[]>(`PRAGMA ${pragma}`))[0])[0] as unknown;
  // Pages that were written last can stand in the log beside the file.
  const missing = Number(await number('page_count')) * Number(await number('page_size')) - size - (await sizeOf(`${path}-wal`));
  if (missing > 0) throw new Error('corrupt: pages are missing');
  if (size < SMALL && (await number('quick_check(1)')) !== 'ok') throw new Error('corrupt: quick_check');
}

async function sizeOf(path: string): Promise<number> {
  return (await stat(path).catch(() => null))?.size ?? 0;
}

async function unknownChanges(store: Store): Promise<string[]> {
  const connection = store.em.getConnection();
  const tables = await connection.execute<unknown[]>("select name from sqlite_master where name = 'mikro_orm_migrations'");
  if (tables.length === 0) return [];
  const made = await connection.execute<{ name: string }[]>('select name from mikro_orm_migrations');
  const known = new Set(MIGRATIONS.map(({ name }) => name));
  return made.map(({ name }) => name).filter((name) => !known.has(name));
}

function told(error: unknown, path: string): unknown {
  const { message } = error as Error;
  if (/not a database|malformed|corrupt/i.test(message))
    return new CannotOpenError(
      `The workspace ${path} is damaged and cannot be opened. Put a copy of it back, or choose another folder with --data; the files of extracts beside it are whole.`,
    );
  if (/readonly|read-only|unable to open|permission denied|EACCES|EROFS/i.test(message))
    return new CannotOpenError(
      `The workspace ${path} may not be written. Give this user the right to, or choose another folder with --data.`,
    );
  if (DISK_FULL.test(message))
    return new CannotOpenError(`The disk of ${path} is full; nothing was changed. Make room, or choose another folder with --data.`);
  return error;
}
