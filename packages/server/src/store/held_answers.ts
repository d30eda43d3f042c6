import type { Column, FeatureTable, GeometryChunk } from '@clean-sieve/core';
import { existsSync } from 'node:fs';
import { mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { z } from 'zod';
import { chunkBytes, dictionaryBytes, factsOf, geometryBytes, openChunk, openColumn, openDictionary, openGeometry } from './table_blobs.ts';
import { RowGroup, Source, SourceColumn, type SourceRow } from './entities.ts';
import type { Entities } from './store.ts';

/**
 * What live sources answered: beside the workspace, for as long as the program runs, so that all its threads see one answer. A folder
 * an answer, a file a chunk.
 */

/** The folder of all that is held. */
export const heldFolder = (database: string): string => join(dirname(database), 'held');
const folderOf = (em: Entities, held: string) => join(heldFolder(databaseOf(em)), held);
const databaseOf = (em: Entities) => em.config.get('dbName') ?? '';

const facts = z.object({ rowCount: z.number(), nulls: z.number(), min: z.number().nullable(), max: z.number().nullable() });
const contents = z.object({
  columns: z.array(
    z.object({
      name: z.string(),
      type: z.enum(['number', 'text', 'boolean', 'date', 'datetime']),
      role: z.string().nullable(),
      dictionary: z.boolean(),
      chunks: z.array(facts),
    }),
  ),
  geometry: z.number(),
  near: z.object({ rows: z.number(), metres: z.number(), askedAt: z.string(), remarks: z.array(z.string()) }).optional(),
});
/** Of a part of what there is: its features, how far round others they were asked for, and when (ISO 8601). */
export type HeldNear = NonNullable<z.infer<typeof contents>['near']>;

const CONTENTS = 'contents.json';
const chunkFile = (column: number, chunk: number) => `column-${column}-${chunk}`;
const textsFile = (column: number) => `texts-${column}`;
const shapesFile = (chunk: number) => `shapes-${chunk}`;

/**
 * @param step called between files; may throw to stop, and nothing is left then
 * @param near for a part of what there is
 */
export async function holdAnswer(em: Entities, held: string, table: FeatureTable, step: () => void, near?: HeldNear): Promise<void> {
  const folder = folderOf(em, held);
  try {
    await mkdir(folder, { recursive: true, mode: 0o700 });
    const write = async (name: string, bytes: Buffer | string) => {
      step();
      await writeFile(join(folder, name), bytes, { mode: 0o600 });
    };
    for (const [c, { dictionary, chunks }] of table.columns.entries()) {
      if (dictionary) await write(textsFile(c), dictionaryBytes(dictionary));
      for (const [i, chunk] of chunks.entries()) await write(chunkFile(c, i), chunkBytes(chunk));
    }
    for (const [i, chunk] of table.geometry.entries()) await write(shapesFile(i), geometryBytes(chunk));
    const columns = table.columns.map(({ name, type, role, dictionary, chunks }) => {
      return { name, type, role: role ?? null, dictionary: dictionary !== null, chunks: chunks.map(factsOf) };
    });
    await write(CONTENTS, JSON.stringify({ columns, geometry: table.geometry.length, near } satisfies z.infer<typeof contents>));
  } catch (error) {
    await rm(folder, { recursive: true, force: true });
    throw error;
  }
}

export interface HeldAnswer {
  columns: Column[];
  geometry: GeometryChunk[];
  near: HeldNear | undefined;
}

/** The answer; null where it is held no more. */
export async function heldAnswer(em: Entities, held: string): Promise<HeldAnswer | null> {
  const folder = folderOf(em, held);
  const read = async (name: string): Promise<ArrayBuffer> => {
    const bytes = await readFile(join(folder, name));
    // Small files come in a buffer that others share.
    return bytes.byteOffset === 0 && bytes.length === bytes.buffer.byteLength ? bytes.buffer : Uint8Array.from(bytes).buffer;
  };
  try {
    const told = contents.parse(JSON.parse(await readFile(join(folder, CONTENTS), 'utf8')));
    const columns: Column[] = [];
    for (const [c, { name, type, role, dictionary, chunks }] of told.columns.entries()) {
      const texts = dictionary ? openDictionary(await read(textsFile(c))) : null;
      const opened = [];
      for (const [i, chunk] of chunks.entries()) opened.push(openChunk(type, chunk, await read(chunkFile(c, i))));
      columns.push(openColumn(name, type, role, texts, opened));
    }
    const geometry: GeometryChunk[] = [];
    for (let i = 0; i < told.geometry; i++) geometry.push(openGeometry(await read(shapesFile(i))));
    return { columns, geometry, near: told.near };
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return null;
    throw error;
  }
}

/** Names of all that is held, whole. */
export async function heldNames(em: Entities): Promise<string[]> {
  const folder = heldFolder(databaseOf(em));
  const names = await readdir(folder).catch(() => []);
  return names.filter((name) => existsSync(join(folder, name, CONTENTS)));
}

/** Lets go of all answers but some. */
export async function holdOnly(database: string, wanted: ReadonlySet<string>): Promise<void> {
  const folder = heldFolder(database);
  const there = await readdir(folder).catch(() => []);
  for (const name of there) if (!wanted.has(name)) await rm(join(folder, name), { recursive: true, force: true });
}

/** Sources that are live, also those that are being asked. */
export async function liveIn(em: Entities): Promise<SourceRow[]> {
  return (await em.find(Source, { fetchedFrom: { $ne: null } })).filter(({ fetchedFrom }) => fetchedFrom?.live !== undefined);
}

/** Lets go of all answers, and of what was computed of them: nobody has asked yet, or nobody will any more. */
export async function letGoOfAll(em: Entities, database: string): Promise<void> {
  for (const { id, fetchedFrom, role } of await liveIn(em)) {
    const live = fetchedFrom?.live;
    // What was in use before an answer that was the last thing done.
    if (role === 'older') await em.nativeDelete(Source, { id });
    if (!live?.held || role === 'older') continue;
    await em.transactional(async (tx) => {
      await tx.nativeUpdate(Source, { id }, { fetchedFrom: { ...fetchedFrom!, live: { ...live, held: null } } });
      await tx.nativeDelete(RowGroup, { column: { source: id } });
      await tx.nativeUpdate(SourceColumn, { source: id }, { dictionary: null });
    });
  }
  await rm(heldFolder(database), { recursive: true, force: true });
}
