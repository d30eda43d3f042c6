import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, rm, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import {
  noteDifferences,
  noteHtml,
  noteMarkdown,
  writtenFormatNamed,
  type ExtractNote,
  type Pieces,
  type WrittenFormat,
  type WrittenLayer,
} from '@clean-sieve/core';
import type { ExtractRequest } from '../api/contract.ts';
import { writeWhole } from '../files/write_whole.ts';
import type { JobResult, JobTask } from '../jobs/job_tasks.ts';
import { Extract } from '../store/entities.ts';
import { step } from '../steps.ts';
import { entities, type Store } from '../store/store.ts';
import { directory, extractInfo, workspaceOf } from '../workspace_state.ts';
import { makingFolder, nameFolder } from './folders.ts';
import type { Report } from './kept.ts';
import { makeLayers } from './make_layers.ts';
import { identifiedRequest } from './request_by_identity.ts';
import { fileName, writeData } from './write_layers.ts';

/** Makes an extract: its files and their note, in a folder that has its name only once everything is in it. */
export async function makeExtract(
  orm: Store,
  { request, asOf, folder, again }: Extract<JobTask, { kind: 'extract' }>,
  report: Report,
): Promise<JobResult> {
  const [id, making] = [basename(folder), makingFolder(folder)];
  await mkdir(making, { recursive: true });
  try {
    const made = new Date();
    const format = writtenFormatNamed(request.format);
    const { layers, note, cut } = await makeLayers(orm, request, asOf, made, (share, words) => report(0.4 * share, words));
    const written: Report = (share, words) => report(0.4 + 0.5 * share, words);
    const names = await writeFiles(making, request, format, layers, note, written);
    report(0.95, 'Checking the files');
    const files = await Promise.all(names.map((name) => described(making, name)));
    step('extract written');
    const em = entities(orm);
    const asked = identifiedRequest(request, await directory(em));
    const before = again === null ? null : await em.findOne(Extract, { id: again }, { populate: ['note'] });
    const sum = (of: (layer: ExtractNote['layers'][number]) => number) => note.layers.reduce((total, layer) => total + of(layer), 0);
    const row = em.create(Extract, {
      ...{ id, files, note, request: asked, title: request.title, madeAt: note.madeAt, format: format.name },
      features: sum(({ kept }) => kept),
      of: sum(({ of }) => of),
      again: before ? { id: before.id, differences: noteDifferences(before.note.unwrap()!, note) } : null,
      workspace: await workspaceOf(em),
    });
    await em.flush();
    step('extract noted');
    await nameFolder(folder);
    step('extract named');
    return { features: row.features, bytes: files[0].bytes, extract: extractInfo(row), ...(cut ? { cut } : {}) };
  } catch (error) {
    await entities(orm).nativeDelete(Extract, { id });
    await rm(making, { recursive: true, force: true });
    await rm(folder, { recursive: true, force: true });
    throw error;
  }
}

/** The files of an extract: the data first, then the note in its three forms. */
export function fileNames({ title, layers, zip }: Pick<ExtractRequest, 'title' | 'layers' | 'zip'>, { writing }: WrittenFormat): string[] {
  const name = fileName(title);
  const packed = zip || (layers.length > 1 && writing.kind !== 'database');
  return [`${name}${packed ? '.zip' : writing.extension}`, ...noteNames(name)];
}

const noteNames = (name: string) => [`${name}.note.html`, `${name}.note.md`, `${name}.note.json`];

async function writeFiles(
  folder: string,
  request: ExtractRequest,
  format: WrittenFormat,
  layers: WrittenLayer[],
  note: ExtractNote,
  report: Report,
): Promise<string[]> {
  const names = fileNames(request, format);
  const notes: { name: string; pieces: Pieces }[] = [noteHtml(note), noteMarkdown(note), `${JSON.stringify(note, null, 2)}\n`].map(
    (text, i) => ({ name: names[i + 1], pieces: [text] }),
  );
  const inside = request.zip || (names[0].endsWith('.zip') && layers.length > 1) ? notes : [];
  await writeData(join(folder, names[0]), format, layers, inside, report);
  for (const { name, pieces } of notes) await writeWhole(join(folder, name), pieces);
  return names;
}

async function described(folder: string, name: string): Promise<{ name: string; bytes: number; sha256: string }> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(join(folder, name)), hash);
  return { name, bytes: (await stat(join(folder, name))).size, sha256: hash.digest('hex') };
}
