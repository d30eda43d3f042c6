import { randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { Readable } from 'node:stream';
import { dayNumberOf, formatOfEnding, WRITTEN_FORMATS, writtenFormatNamed, type NoteSource } from '@clean-sieve/core';
import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { z } from 'zod';
import { deleteFolder } from '../export/folders.ts';
import { fileNames } from '../export/make_extract.ts';
import { limitedTo } from '../export/make_layers.ts';
import { namedRequest } from '../export/request_by_identity.ts';
import { Extract, Source } from '../store/entities.ts';
import { step } from '../steps.ts';
import { entities } from '../store/store.ts';
import { versionTaken } from '../store/version_taken.ts';
import { asOfDay, directory, extractInfo } from '../workspace_state.ts';
import type { Services } from './services.ts';
import { safeDocument } from './safe_headers.ts';
import { extractRequest, type ExtractLayer, type ExtractRequest, type ExtractsAnswer, type PreviewAnswer } from './contract.ts';

const MEDIA_TYPES: Record<string, string> = {
  '.html': 'text/html; charset=utf-8',
  '.md': 'text/markdown; charset=utf-8',
  '.note.json': 'application/json',
  '.zip': 'application/zip',
};

/** Making extracts, their history, and their files at addresses that stay. */
export function extractRoutes({ store, sifting, jobs, live, files }: Services): Hono {
  const routes = new Hono();
  const folders = join(files, 'extracts');
  const extractOf = async (text: string) => {
    const found = await entities(store).findOne(Extract, { id: z.uuid().parse(text) });
    if (!found) throw new HTTPException(404, { message: 'There is no such extract; it may have been deleted' });
    return found;
  };

  /** Refuses what cannot be made before anything is under way. */
  const checked = async (request: ExtractRequest, asOf: number) => {
    writtenFormatNamed(request.format);
    const names = request.layers.map(({ name }) => name.toLowerCase());
    const twice = names.find((name, i) => names.indexOf(name) !== i);
    if (twice !== undefined) throw new HTTPException(400, { message: `Two layers are called ${twice}; give one of them another name` });
    for (const layer of request.layers)
      await sifting.ask('check', { sourceId: layer.sourceId, asOf }, { tree: limitedTo(layer, request.within).tree });
  };
  const start = async (request: ExtractRequest, asOf: number, again: string | null) => {
    await checked(request, asOf);
    await mkdir(folders, { recursive: true });
    const folder = join(folders, randomUUID());
    return jobs.start(`Writing ${request.title}`, { kind: 'extract', request, asOf, folder, again });
  };

  /** Trees can be by identity, as the workspace gives them. */
  const asked = async (body: unknown) => {
    const request = extractRequest.parse(body);
    for (const { sourceId, tree } of request.layers) await live.ensure(sourceId, [tree]);
    return namedRequest(request, await directory(entities(store)));
  };
  routes.post('/', async (c) => c.json(await start(await asked(await c.req.json()), await asOfDay(entities(store)), null)));
  routes.post('/preview', async (c) => {
    const request = await asked(await c.req.json());
    const em = entities(store);
    const asOf = await asOfDay(em);
    const layers = [];
    let bytes = 0;
    const { title, format, within, zip, coordinates, guarded } = request;
    const rest = { title, format, within, zip, coordinates, guarded };
    for (const layer of request.layers) {
      const tree = limitedTo(layer, request.within).tree;
      const preview = await sifting.ask('preview', { sourceId: layer.sourceId, asOf }, { tree, layer, request: rest });
      bytes += preview.bytes;
      layers.push(preview);
    }
    const namesake = await em.findOne(Extract, { title: request.title }, { orderBy: { madeAt: 'desc' } });
    const names = fileNames(request, writtenFormatNamed(request.format));
    return c.json({ layers, bytes, files: names, namesake: namesake?.madeAt ?? null } satisfies PreviewAnswer);
  });
  routes.post('/rows', async (c) => {
    const { layers, ...request } = await asked(await c.req.json());
    const [layer] = layers;
    const asOf = await asOfDay(entities(store));
    const tree = limitedTo(layer, request.within).tree;
    return c.json(await sifting.ask('rowsOfLayer', { sourceId: layer.sourceId, asOf }, { tree, layer, request }));
  });
  /** Picks are rows of one version, which is looked for wherever it is by now. */
  const pickedFrom = async (layer: ExtractLayer, name: string, sources: readonly NoteSource[]): Promise<ExtractLayer> => {
    if (layer.picks === null) return layer;
    const em = entities(store);
    const source = await em.findOne(Source, { id: layer.sourceId });
    const takenAt = sources.find((one) => one.name === name)?.takenAt;
    const version = source && takenAt !== undefined ? await versionTaken(em, source, takenAt) : null;
    if (!version)
      throw new HTTPException(409, {
        message: `The version of ${name} that features were picked from is gone, so they cannot be told any more`,
      });
    return { ...layer, sourceId: version.id };
  };
  routes.get('/', async (c) => {
    const all = await entities(store).find(Extract, {}, { orderBy: { madeAt: 'desc' } });
    return c.json({ extracts: all.map(extractInfo) } satisfies ExtractsAnswer);
  });
  routes.get('/:id', async (c) => c.json(extractInfo(await extractOf(c.req.param('id')))));
  routes.post('/:id/again', async (c) => {
    const { id } = await extractOf(c.req.param('id'));
    const { request, note } = await entities(store).findOneOrFail(Extract, { id }, { populate: ['request', 'note'] });
    for (const { sourceId, tree } of request.unwrap()!.layers) await live.ensure(sourceId, [tree]);
    const [again, told] = [namedRequest(request.unwrap()!, await directory(entities(store))), note.unwrap()!];
    const layers = await Promise.all(again.layers.map((layer, i) => pickedFrom(layer, told.layers[i].source, told.sources)));
    // Relative dates count from the day that they counted from then.
    return c.json(await start({ ...again, layers }, dayNumberOf(told.asOf), id));
  });
  routes.delete('/:id', async (c) => {
    const { id } = await extractOf(c.req.param('id'));
    await deleteFolder(join(folders, id), async () => {
      await entities(store).nativeDelete(Extract, { id });
      step('extract forgotten');
    });
    return c.body(null, 204);
  });
  routes.use('/:id/:file', safeDocument);
  routes.get('/:id/:file', async (c) => {
    const { id } = await extractOf(c.req.param('id'));
    const file = basename(c.req.param('file'));
    const path = join(folders, id, file);
    const info = await stat(path).catch(() => null);
    if (!info?.isFile()) throw new HTTPException(404, { message: 'There is no such file' });
    const headers = {
      'content-type': mediaTypeOf(file),
      'content-length': String(info.size),
      // The note is for reading; everything else is for keeping.
      'content-disposition': `${file.endsWith('.html') ? 'inline' : 'attachment'}; filename*=UTF-8''${encodeURIComponent(file)}`,
    };
    // Whoever asks for the head only gets no body that would hold the file open.
    if (c.req.method === 'HEAD') return c.body(null, 200, headers);
    return c.body(Readable.toWeb(createReadStream(path)) as ReadableStream, 200, headers);
  });
  return routes;
}

function mediaTypeOf(file: string): string {
  const own = Object.keys(MEDIA_TYPES).find((ending) => file.endsWith(ending));
  if (own) return MEDIA_TYPES[own];
  const written = WRITTEN_FORMATS.find(({ writing }) => file.endsWith(writing.extension))?.writing;
  return written?.mediaType ?? formatOfEnding(file)?.mediaType ?? 'application/octet-stream';
}
