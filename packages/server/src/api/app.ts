import { createReadStream, createWriteStream } from 'node:fs';
import { mkdir, rm, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream as WebStream } from 'node:stream/web';
import { randomUUID } from 'node:crypto';
import { serveStatic } from '@hono/node-server/serve-static';
import { formatNamed, formatOfFile, ReadError, treeInWords } from '@clean-sieve/core';
import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { z } from 'zod';
import type { Jobs } from '../jobs/jobs.ts';
import { RefusedError, type SiftService } from '../sifting/sift_service.ts';
import { Sieve, Source } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { asOfDay, sieveInfo, sourceInfo, workspaceOf, workspaceState } from '../workspace.ts';
import {
  extractRequest,
  histogramRequest,
  importQuery,
  newSieve,
  placeRequest,
  rowsRequest,
  selection,
  sieveChange,
  sourceChange,
  subsetRequest,
  valuesRequest,
  whyRequest,
  workspaceChange,
  type ErrorAnswer,
  type FeatureAnswer,
  type HistogramAnswer,
  type JobState,
  type RowsAnswer,
  type ValuesAnswer,
} from './contract.ts';

export interface Services {
  store: Store;
  sifting: SiftService;
  jobs: Jobs;
  /** Folder for uploads under way and extracts. */
  files: string;
  /** Folder of the built interface. */
  interface: string;
}

/** The HTTP interface: the API under /api, everything else is the built web interface. */
export function makeApp(services: Services): Hono {
  const { store, sifting, jobs, files } = services;
  const app = new Hono();
  const api = new Hono();

  app.onError((error, c) => {
    const refused =
      error instanceof RefusedError ||
      error instanceof ReadError ||
      error instanceof z.ZodError ||
      error instanceof SyntaxError;
    const message =
      error instanceof z.ZodError
        ? error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; ')
        : error instanceof ReadError
          ? error.line
          : error.message;
    const status = error instanceof HTTPException ? error.status : refused ? 400 : 500;
    return c.json({ error: message } satisfies ErrorAnswer, status);
  });

  // The server listens on this machine only; a page from elsewhere must not reach it through the browser.
  app.use(async (c, next) => {
    const host = (c.req.header('host') ?? '').replace(/:\d+$/, '');
    const origin = c.req.header('origin');
    const local = ['127.0.0.1', 'localhost', '[::1]'].includes(host);
    if (!local || (origin !== undefined && new URL(origin).host !== c.req.header('host'))) {
      throw new HTTPException(403, { message: 'Only pages served from this address may use it' });
    }
    await next();
  });

  const id = (text: string) => z.coerce.number().int().positive().parse(text);
  const em = (): Entities => entities(store);

  async function sourceOf(text: string) {
    const source = await em().findOne(Source, { id: id(text) }, { populate: ['columns'] });
    if (!source) throw new HTTPException(404, { message: 'There is no such source' });
    return source;
  }

  async function ask<T>(sourceId: string, task: Record<string, unknown>): Promise<T> {
    const source = await sourceOf(sourceId);
    return sifting.ask<T>({ ...task, sourceId: source.id, asOf: await asOfDay(em()) } as never);
  }

  api.get('/workspace', async (c) => c.json(await workspaceState(em())));

  api.patch('/workspace', async (c) => {
    const change = workspaceChange.parse(await c.req.json());
    const manager = em();
    Object.assign(await workspaceOf(manager), change);
    await manager.flush();
    return c.json(await workspaceState(em()));
  });

  api.post('/imports', async (c) => {
    const query = importQuery.parse(c.req.query());
    const fileName = basename(query.name);
    formatOfFile(fileName);
    const path = join(files, 'uploads', randomUUID());
    await mkdir(join(files, 'uploads'), { recursive: true });
    if (!c.req.raw.body) throw new ReadError('The file is empty');
    try {
      await pipeline(Readable.fromWeb(c.req.raw.body as WebStream), createWriteStream(path));
    } catch (error) {
      await rm(path, { force: true });
      throw error;
    }
    const name = fileName.replace(/\.[^.]*$/, '');
    const task = {
      kind: 'import' as const,
      path,
      fileName,
      name,
      role: 'layer' as const,
      longitude: query.lon,
      latitude: query.lat,
    };
    return c.json(jobs.start(`Bringing in ${fileName}`, task, () => rm(path, { force: true })) satisfies JobState);
  });

  api.get('/jobs/:id', (c) => {
    const job = jobs.get(c.req.param('id'));
    if (!job) throw new HTTPException(404, { message: 'There is no such job' });
    return c.json(job);
  });
  api.delete('/jobs/:id', (c) => {
    jobs.cancel(c.req.param('id'));
    return c.body(null, 204);
  });

  api.get('/sources/:id', async (c) => c.json(sourceInfo(await sourceOf(c.req.param('id')))));
  api.patch('/sources/:id', async (c) => {
    const { name } = sourceChange.parse(await c.req.json());
    const { id: sourceId } = await sourceOf(c.req.param('id'));
    await em().nativeUpdate(Source, { id: sourceId }, { name });
    return c.json(sourceInfo(await sourceOf(c.req.param('id'))));
  });
  api.delete('/sources/:id', async (c) => {
    const { id: sourceId } = await sourceOf(c.req.param('id'));
    await em().nativeDelete(Source, { id: sourceId });
    await sifting.ask({ kind: 'forget', sourceId, asOf: 0 });
    return c.body(null, 204);
  });

  api.get('/sources/:id/display', async (c) => {
    const bytes = await ask<Uint8Array<ArrayBuffer>>(c.req.param('id'), { kind: 'display' });
    return c.body(bytes, 200, { 'content-type': 'application/octet-stream', 'cache-control': 'private, max-age=3600' });
  });
  api.post('/sources/:id/sift', async (c) => {
    const asked = selection.parse(await c.req.json());
    const frame = await ask<Uint8Array<ArrayBuffer>>(c.req.param('id'), { kind: 'sift', ...asked });
    return c.body(frame, 200, { 'content-type': 'application/octet-stream' });
  });
  api.post('/sources/:id/rows', async (c) =>
    c.json(await ask<RowsAnswer>(c.req.param('id'), { kind: 'rows', ...rowsRequest.parse(await c.req.json()) })),
  );
  api.post('/sources/:id/place', async (c) =>
    c.json(
      await ask<{ place: number }>(c.req.param('id'), { kind: 'place', ...placeRequest.parse(await c.req.json()) }),
    ),
  );
  api.post('/sources/:id/why', async (c) =>
    c.json(await ask<FeatureAnswer>(c.req.param('id'), { kind: 'why', ...whyRequest.parse(await c.req.json()) })),
  );
  api.post('/sources/:id/values', async (c) =>
    c.json(await ask<ValuesAnswer>(c.req.param('id'), { kind: 'values', ...valuesRequest.parse(await c.req.json()) })),
  );
  api.post('/sources/:id/histogram', async (c) =>
    c.json(
      await ask<HistogramAnswer>(c.req.param('id'), {
        kind: 'histogram',
        ...histogramRequest.parse(await c.req.json()),
      }),
    ),
  );

  api.post('/sources/:id/extracts', async (c) => {
    const { tree, format: formatName, name } = extractRequest.parse(await c.req.json());
    const source = await sourceOf(c.req.param('id'));
    await sifting.ask({ kind: 'check', sourceId: source.id, asOf: await asOfDay(em()), tree });
    const format = formatNamed(formatName);
    const folder = randomUUID();
    const file = `${name.replace(/[\\/:*?"<>|]|\p{Cc}/gu, '_')}${format.extensions[0]}`;
    await mkdir(join(files, 'extracts', folder), { recursive: true });
    const path = join(files, 'extracts', folder, file);
    const task = {
      kind: 'extract' as const,
      sourceId: source.id,
      asOf: await asOfDay(em()),
      tree,
      format: format.name,
      path,
    };
    const settle = async (result: JobState['result']) => {
      if (result) return { ...result, file: `/api/extracts/${folder}/${encodeURIComponent(file)}` };
      await rm(join(files, 'extracts', folder), { recursive: true, force: true });
    };
    return c.json(jobs.start(`Writing ${file}`, task, settle));
  });
  api.get('/extracts/:folder/:file', async (c) => {
    const folder = z.uuid().parse(c.req.param('folder'));
    const file = basename(c.req.param('file'));
    const path = join(files, 'extracts', folder, file);
    const info = await stat(path).catch(() => null);
    if (!info?.isFile()) throw new HTTPException(404, { message: 'There is no such file' });
    const stream = Readable.toWeb(createReadStream(path)) as ReadableStream;
    return c.body(stream, 200, {
      'content-type': formatOfFile(file).mediaType,
      'content-length': String(info.size),
      'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(file)}`,
    });
  });

  api.post('/sources/:id/subsets', async (c) => {
    const { tree, name } = subsetRequest.parse(await c.req.json());
    const source = await sourceOf(c.req.param('id'));
    const asOf = await asOfDay(em());
    await sifting.ask({ kind: 'check', sourceId: source.id, asOf, tree });
    const sentence = treeInWords(tree, { columns: sourceInfo(source).columns, asOf }) || 'every feature';
    return c.json(
      jobs.start(`Making the source ${name}`, { kind: 'subset', sourceId: source.id, asOf, tree, name, sentence }),
    );
  });

  api.post('/sieves', async (c) => {
    const { sourceId, ...rest } = newSieve.parse(await c.req.json());
    await sourceOf(String(sourceId));
    const manager = em();
    const sieve = manager.create(Sieve, { ...rest, source: sourceId });
    await manager.flush();
    return c.json(sieveInfo(sieve));
  });
  api.patch('/sieves/:id', async (c) => {
    const change = sieveChange.parse(await c.req.json());
    const manager = em();
    const sieve = await manager.findOne(Sieve, { id: id(c.req.param('id')) });
    if (!sieve) throw new HTTPException(404, { message: 'There is no such sieve' });
    Object.assign(sieve, change);
    await manager.flush();
    return c.json(sieveInfo(sieve));
  });
  api.delete('/sieves/:id', async (c) => {
    await em().nativeDelete(Sieve, { id: id(c.req.param('id')) });
    return c.body(null, 204);
  });

  api.all('*', () => {
    throw new HTTPException(404, { message: 'There is nothing at this address' });
  });

  app.route('/api', api);
  app.use('*', serveStatic({ root: services.interface }));
  app.get('*', serveStatic({ root: services.interface, path: 'index.html' }));
  return app;
}
