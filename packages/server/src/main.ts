import { mkdir, readdir, readFile, rm } from 'node:fs/promises';
import { hostname as networkHostname } from 'node:os';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { serve } from '@hono/node-server';
import { Hono } from 'hono';
import { makeApp } from './api/app.ts';
import { makeDemo } from './demo/demo.ts';
import { MAKING } from './extracts/make_extract.ts';
import { feedApp } from './feeds/feed_app.ts';
import { Jobs } from './jobs/jobs.ts';
import { feedsAreAt } from './workspace.ts';
import { SiftService } from './sifting/sift_service.ts';
import { Source, Workspace } from './store/entities.ts';
import { entities, openStore } from './store/store.ts';

const USAGE = `Usage: ./start [options]

Starts Clean Sieve on this machine and prints its address.

  --port N       port on 127.0.0.1 (default 4400)
  --data FOLDER  where the workspace is kept (default: data, beside this script)
  --no-demo      begin with an empty workspace instead of the demo
  --feeds H:PORT serve published feeds, and nothing else, at an address that others can reach, as in 0.0.0.0:4401
  --help         this text
`;

const here = fileURLToPath(new URL('.', import.meta.url));
const top = resolve(here, '../../..');

async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      port: { type: 'string', default: '4400' },
      data: { type: 'string', default: join(top, 'data') },
      'no-demo': { type: 'boolean', default: false },
      feeds: { type: 'string' },
      help: { type: 'boolean', default: false },
    },
  });
  if (values.help) return void process.stdout.write(USAGE);
  const port = Number(values.port);
  if (!Number.isInteger(port) || port < 0 || port > 65_535)
    throw new Error(`--port ${values.port} is not a port number`);
  const feeds = values.feeds === undefined ? null : feedsAddress(values.feeds);
  await run(port, resolve(values.data), !values['no-demo'], feeds);
}

function feedsAddress(text: string): { hostname: string; port: number } {
  const [, hostname, port] = /^(.+):(\d{1,5})$/.exec(text) ?? [];
  if (!hostname || Number(port) > 65_535)
    throw new Error(`--feeds ${text} is not an address; write it as in 0.0.0.0:4401`);
  return { hostname, port: Number(port) };
}

async function run(
  port: number,
  data: string,
  demo: boolean,
  feeds: { hostname: string; port: number } | null,
): Promise<void> {
  await mkdir(data, { recursive: true });
  const database = join(data, 'workspace.sqlite');
  // Uploads that were under way when the program stopped belong to nothing.
  await rm(join(data, 'uploads'), { recursive: true, force: true });
  const store = await openStore(database, { migrate: true });
  // Extracts that were being made then are not whole.
  for (const name of await readdir(join(data, 'extracts')).catch(() => []))
    if (name.startsWith(MAKING)) await rm(join(data, 'extracts', name), { recursive: true, force: true });
  // Versions that were being compared when the program stopped were never accepted.
  await entities(store).nativeDelete(Source, { role: 'candidate' });
  const sifting = new SiftService(join(here, 'sift_worker.mjs'), database);
  const jobs = new Jobs(join(here, 'job_worker.mjs'), database);
  const em = entities(store);
  if ((await em.count(Workspace)) === 0) {
    if (demo) {
      process.stdout.write('Making the demo workspace (once) …\n');
      await makeDemo(store, jobs, join(top, 'demo/files'));
    } else {
      em.create(Workspace, { name: 'My workspace', asOf: null });
      await em.flush();
    }
  }
  const app = makeApp({ store, sifting, jobs, files: data, interface: join(top, 'packages/web/dist') });
  await readFile(join(top, 'packages/web/dist/index.html')).catch(() => {
    throw new Error('The interface is not built; run ./start, which builds it');
  });
  const server = serve({ fetch: app.fetch, port, hostname: '127.0.0.1' }, (info) => {
    process.stdout.write(`Clean Sieve is at http://127.0.0.1:${info.port}/\n`);
  });
  server.on('error', (error: NodeJS.ErrnoException) => {
    const text = error.code === 'EADDRINUSE' ? `Port ${port} is in use; choose another with --port` : error.message;
    process.stderr.write(`clean-sieve: ${text}\n`);
    process.exit(1);
  });
  const published = feeds && serve({ fetch: new Hono().route('/feeds', feedApp(store, sifting)).fetch, ...feeds }, (info) => {
    process.stdout.write(`Feeds are at http://${feeds.hostname}:${info.port}/feeds/\n`);
  }); // prettier-ignore
  if (feeds) feedsAreAt(`http://${feeds.hostname === '0.0.0.0' ? networkHostname() : feeds.hostname}:${feeds.port}`);
  published?.on('error', (error: Error) => {
    process.stderr.write(`clean-sieve: the feeds cannot be served there: ${error.message}\n`);
    process.exit(1);
  });
  const stop = () => {
    server.close();
    published?.close();
    void Promise.all([sifting.close(), jobs.close(), store.close()]).finally(() => process.exit(0));
  };
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
}

main().catch((error: unknown) => {
  process.stderr.write(`clean-sieve: ${(error as Error).message}\n`);
  process.exit(1);
});
