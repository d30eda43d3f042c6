import { createReadStream } from 'node:fs';
import { readdir, readFile, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
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
    database: async () => openDatabase(await readFile(path)),
  };
}

/**
 * Opens a database in memory. The engine is WebAssembly on purpose: a damaged file can break only its own sandbox, where a
 * native driver takes the whole process with it.
 */
async function openDatabase(bytes: Uint8Array): Promise<SqliteFile> {
  // Loaded only when asked for: the command line starts faster without it.
  const { default: start } = await import('sql.js');
  const { Database } = await start();
  const database = new Database(bytes);
  return {
    *rows(sql, ...values) {
      const statement = database.prepare(sql, values);
      // The declarations leave the second argument out.
      const whole = statement as unknown as { get(values: null, options: { useBigInt: boolean }): unknown[] };
      try {
        const names = statement.getColumnNames();
        while (statement.step()) {
          const cells = whole.get(null, { useBigInt: true });
          const row: Record<string, unknown> = {};
          for (let i = 0; i < names.length; i++) {
            const cell = cells[i];
            const value = typeof cell === 'bigint' && Number.isSafeInteger(Number(cell)) ? Number(cell) : cell;
            if (names[i] === '__proto__') Object.defineProperty(row, names[i], { value, enumerable: true });
            else row[names[i]] = value;
          }
          yield row;
        }
      } finally {
        statement.free();
      }
    },
    close: () => database.close(),
  };
}

/** What readers need of this machine. */
export const host: Host = {
  openDatabase,
  crsOf: (clue) => Promise.resolve(crsOfClue(clue)),
};
