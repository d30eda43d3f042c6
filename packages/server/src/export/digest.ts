import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { CHUNK_ROWS, SHAPEFILE_PARTS, valueAt, wkbOfRow, type LayerDigest, type WrittenLayer } from '@clean-sieve/core';

/** Values in batches of this many on their way to the hash. */
const BATCH = 4096;

/** What a layer holds, told by hashes of its values and shapes. */
export function digestOf({ table, rows, shapes }: WrittenLayer): LayerDigest {
  const columns: Record<string, string> = {};
  for (const column of table.columns) {
    const hash = createHash('sha256');
    for (let from = 0; from < rows.length; from += BATCH)
      hash.update(JSON.stringify(Array.from(rows.subarray(from, from + BATCH), (row) => valueAt(column, row))));
    columns[column.name] = hash.digest('hex');
  }
  if (!shapes) return { rows: rows.length, columns, shapes: null };
  const hash = createHash('sha256');
  const none = Uint8Array.of(0);
  for (const row of rows) {
    const chunk = table.geometry[Math.floor(row / CHUNK_ROWS)];
    hash.update(wkbOfRow(chunk, row % CHUNK_ROWS, { z: chunk.z.length > 0 }) ?? none);
  }
  return { rows: rows.length, columns, shapes: hash.digest('hex') };
}

/** SHA-256 of a file, in hexadecimal; of a shapefile, of its parts one after the other in the order of their endings. */
export async function hashOfFile(path: string): Promise<string> {
  const hash = createHash('sha256');
  for (const part of await partsOf(path)) await pipeline(createReadStream(part), hash, { end: false });
  return hash.digest('hex');
}

async function partsOf(path: string): Promise<string[]> {
  if (!path.toLowerCase().endsWith('.shp')) return [path];
  const stem = basename(path).slice(0, -4).toLowerCase();
  const names = await readdir(dirname(path));
  const wanted = names.filter((name) => ['.shp', ...SHAPEFILE_PARTS].some((ending) => name.toLowerCase() === stem + ending));
  return wanted.sort().map((name) => join(dirname(path), name));
}
