import { createWriteStream } from 'node:fs';
import { rm, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { randomUUID } from 'node:crypto';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream as WebStream } from 'node:stream/web';
import { Hono } from 'hono';
import type { Uploads } from '../files/uploads.ts';
import { importRequest, lookRequest, uploadQuery } from './contract.ts';
import { uploadId } from './ids.ts';
import type { Services } from './services.ts';

/** Files on their way in: uploads, looks at them, imports. */
export function uploadRoutes({ jobs }: Services, uploads: Uploads): Hono {
  const routes = new Hono();
  routes.post('/uploads', async (c) => {
    const query = uploadQuery.parse(c.req.query());
    const upload = query.into ?? randomUUID();
    await uploads.begin(upload);
    const path = join(uploads.folderOf(upload), basename(query.name));
    try {
      // A file without a byte has no body at all.
      if (c.req.raw.body) await pipeline(Readable.fromWeb(c.req.raw.body as WebStream), createWriteStream(path));
      else await writeFile(path, '');
    } catch (error) {
      if (query.into === undefined) await uploads.remove(upload);
      else await rm(path, { force: true });
      throw error;
    }
    return c.json({ upload });
  });
  routes.delete('/uploads/:upload', async (c) => {
    await uploads.remove(uploadId(c.req.param('upload')));
    return c.body(null, 204);
  });
  routes.post('/uploads/:upload/look', async (c) => {
    const { files: names, reading } = lookRequest.parse(await c.req.json());
    const upload = uploadId(c.req.param('upload'));
    const task = { kind: 'look' as const, folder: uploads.folderOf(upload), files: names.map((name) => basename(name)), reading };
    const end = uploads.use(upload);
    return c.json(jobs.start(`Looking at ${names.join(', ')}`, task, () => end(false)));
  });
  routes.post('/uploads/:upload/imports', async (c) => {
    const { layers } = importRequest.parse(await c.req.json());
    const upload = uploadId(c.req.param('upload'));
    const choices = layers.map((layer) => ({ ...layer, file: basename(layer.file) }));
    const label = `Bringing in ${choices.length === 1 ? choices[0].name : `${choices.length} layers`}`;
    const task = { kind: 'import' as const, folder: uploads.folderOf(upload), layers: choices, role: 'layer' as const };
    const end = uploads.use(upload);
    return c.json(jobs.start(label, task, (result) => end(result !== null)));
  });

  return routes;
}
