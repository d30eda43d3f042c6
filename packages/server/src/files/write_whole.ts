import { randomUUID } from 'node:crypto';
import { open, rename, rm, stat } from 'node:fs/promises';
import type { MadeDatabase, Pieces } from '@clean-sieve/core';

/** Small pieces go to the disk together, in batches of this many bytes. */
const BATCH = 1 << 20;

/** Called with the bytes or rows done so far; may throw to stop. */
type Progress = (done: number) => void;

/**
 * Makes a file that appears under its name only when it is complete; until then it is a neighbour, which is removed when
 * anything fails.
 * @returns bytes written
 */
async function whole(path: string, make: (part: string) => Promise<void>): Promise<number> {
  const part = `${path}.${randomUUID().slice(0, 8)}.part`;
  try {
    await make(part);
    const { size } = await stat(part);
    await rename(part, path);
    return size;
  } catch (error) {
    for (const ending of ['', '-journal', '-wal', '-shm']) await rm(part + ending, { force: true });
    throw told(error);
  }
}

/** Writes pieces, one after the other. */
export async function writeWhole(path: string, pieces: Pieces, progress?: Progress): Promise<number> {
  return whole(path, async (part) => {
    const file = await open(part, 'wx');
    try {
      let bytes = 0;
      let batch: Uint8Array[] = [];
      let size = 0;
      const flush = async () => {
        // Goes on where the system took a part only, which `writev` does not.
        if (size > 0) await file.writeFile(Buffer.concat(batch));
        bytes += size;
        [batch, size] = [[], 0];
        progress?.(bytes);
      };
      for await (const piece of pieces) {
        const chunk = typeof piece === 'string' ? Buffer.from(piece) : piece;
        if (chunk.length === 0) continue;
        batch.push(chunk);
        size += chunk.length;
        if (size >= BATCH || batch.length >= 1000) await flush();
      }
      await flush();
      await file.sync();
    } finally {
      await file.close();
    }
  });
}

/** Fills a database file. @param fill gives the rows done now and then */
export async function writeDatabase(
  path: string,
  fill: (database: MadeDatabase) => Iterable<number>,
  progress?: Progress,
): Promise<number> {
  return whole(path, async (part) => {
    // Loaded only when asked for: the command line starts faster without it.
    const { default: Database } = await import('libsql');
    const database = new Database(part);
    try {
      // Nobody reads it before it is complete, so nothing has to be taken back.
      database.exec('PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; BEGIN');
      const made: MadeDatabase = {
        run: (sql) => void database.exec(sql),
        statement(sql) {
          const statement = database.prepare(sql);
          return (...values) =>
            void statement.run(
              values.map((value) => (value instanceof Uint8Array ? Buffer.from(value.buffer, value.byteOffset, value.length) : value)),
            );
        },
      };
      for (const rows of fill(made)) progress?.(rows);
      database.exec('COMMIT');
    } finally {
      database.close();
    }
    const file = await open(part, 'r+');
    await file.sync();
    await file.close();
  });
}

function told(error: unknown): unknown {
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOSPC' || /disk is full|SQLITE_FULL/i.test(message))
    return new Error('The disk is full; nothing was written. Make room, or leave columns out, and try again.');
  if (code === 'EFBIG')
    return new Error('The file would be larger than this disk takes; nothing was written. Leave columns out, or write several files.');
  // SQLite tells no more than that.
  if (/disk i\/o error/i.test(message))
    return new Error('The disk took no more or failed; nothing was written. Make room, or choose another folder.');
  if (code === 'EACCES' || code === 'EROFS' || code === 'EPERM')
    return new Error(`Nothing may be written there (${message}); choose another folder`);
  return error;
}
