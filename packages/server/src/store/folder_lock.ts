import Database from 'libsql';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Who has a folder, as the others are told. */
interface Holder {
  process: number;
  address: string;
  since: string;
}

/** Refused because another process works on the folder. */
export class FolderInUseError extends Error {}

/** A folder that no other process opens until this one ends, however it ends. */
export interface FolderLock {
  /** Tells others where this process is found. */
  isAt(address: string): void;
  release(): void;
}

/**
 * Locks a folder for this process. The lock is the operating system's, on a file in the folder, so that none is left behind by
 * a process that was killed. @throws FolderInUseError that names the process that has it
 */
export function lockFolder(folder: string): FolderLock {
  const about = join(folder, 'in-use.json');
  let database: Database.Database | null = null;
  try {
    database = new Database(join(folder, 'lock.sqlite'));
    database.exec('PRAGMA busy_timeout = 0; BEGIN EXCLUSIVE');
  } catch (error) {
    database?.close();
    const { message } = error as Error;
    if (!/locked|busy/i.test(message))
      throw new Error(
        `${folder} cannot be used: ${message}. Give this user the right to write there, or choose another folder with --data.`,
      );
    throw new FolderInUseError(
      `${folder} is in use by another Clean Sieve${told(about)}. Stop that one first, or choose another folder with --data.`,
    );
  }
  const lock = database;
  const holder: Holder = { process: process.pid, address: '', since: new Date().toISOString() };
  const write = () => writeFileSync(about, `${JSON.stringify(holder)}\n`);
  write();
  return {
    isAt(address) {
      holder.address = address;
      write();
    },
    release() {
      lock.close();
    },
  };
}

/** What is known of the process that has the folder. */
function told(about: string): string {
  try {
    const { process: id, address, since } = JSON.parse(readFileSync(about, 'utf8')) as Holder;
    return ` (process ${id}${address === '' ? '' : `, at ${address}`}, since ${since})`;
  } catch {
    // It has only just begun, and has written nothing of itself yet.
    return '';
  }
}
