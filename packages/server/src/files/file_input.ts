import { createReadStream } from 'node:fs';
import { mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { basename, dirname, join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Host, Input, SqliteFile } from '@clean-sieve/core';
import { crsOfClue } from '../crs/epsg.ts';

/** A file on disk as something to read. Throws when there is none. */
export async function fileInput(path: string): Promise<Input> {
  const { size } = await stat(path);
  const name = basename(path);
  return {
    name,
    size,
    stream: () => createReadStream(path, { highWaterMark: 1 << 20 }),
    async bytes() {
      const buffer = await readFile(path);
      return new Uint8Array(buffer.buffer, buffer.byteOffset, buffer.length);
    },
    async sibling(extension) {
      const wanted = `${name.replace(/\.[^.]*$/, '')}${extension}`.toLowerCase();
      const found = (await readdir(dirname(path))).find((other) => other.toLowerCase() === wanted);
      return found === undefined ? null : fileInput(join(dirname(path), found));
    },
    database: () => openDatabase(path),
  };
}

/** Opens a database so that nothing can be written to it or beside it. */
async function openDatabase(path: string): Promise<SqliteFile> {
  // Loaded only when asked for: the command line starts faster without it.
  const { default: Database } = await import('libsql');
  const database = new Database(`${pathToFileURL(path).href.replace('file://', 'file:')}?mode=ro&immutable=1`);
  return {
    *rows(sql, ...values) {
      const statement = database.prepare(sql);
      statement.safeIntegers(true);
      for (const row of statement.iterate(...values) as Iterable<Record<string, unknown>>) {
        for (const name in row) {
          const value = row[name];
          if (typeof value === 'bigint' && Number.isSafeInteger(Number(value))) row[name] = Number(value);
        }
        yield row;
      }
    },
    close: () => database.close(),
  };
}

/** What readers need of this machine. */
export const host: Host = {
  async openDatabase(bytes) {
    const folder = await mkdtemp(join(tmpdir(), 'clean-sieve-'));
    const path = join(folder, 'archive.sqlite');
    await writeFile(path, bytes);
    const file = await openDatabase(path);
    return {
      rows: file.rows.bind(file),
      close() {
        file.close();
        void rm(folder, { recursive: true, force: true });
      },
    };
  },
  crsOf: (clue) => Promise.resolve(crsOfClue(clue)),
};
