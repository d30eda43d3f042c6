import { constants } from 'node:fs';
import { access, mkdir, readFile } from 'node:fs/promises';
import { hostname as networkHostname, totalmem } from 'node:os';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { serve } from '@hono/node-server';
import { makeApp } from './api/api_app.ts';
import { followSimulated, makeDemo, UNNAMED } from './demo/bring_in_demo.ts';
import { feedsOnly } from './feeds/feed_app.ts';
import { LiveSources } from './fetching/live_sources.ts';
import { FreshColumns } from './jobs/fresh_columns.ts';
import { Jobs } from './jobs/job_service.ts';
import { logTo } from './log.ts';
import { serveSimulated } from './simulated_service/serve_simulated.ts';
import { feedsAreAt, simulatedServiceAddress, simulatedServiceIsAt } from './workspace_state.ts';
import { SiftService } from './sifting/sift_service.ts';
import { CodeList, Source, Workspace } from './store/entities.ts';
import { started, step } from './steps.ts';
import { lockFolder } from './store/folder_lock.ts';
import { closeWorkspace, openWorkspace } from './store/open_workspace.ts';
import { entities, type Store } from './store/store.ts';
import { WriteTurn } from './store/write_turn.ts';

const USAGE = `Usage: ./start [options]

Starts Clean Sieve on this machine and prints its address.

  --port N       port on 127.0.0.1 (default 4400)
  --data FOLDER  where the workspace is kept (default: data, beside this script)
  --no-demo      begin with an empty workspace instead of the demo
  --feeds H:PORT serve published feeds, and nothing else, at an address that others can reach, as in 0.0.0.0:4401
  --reports PORT port on 127.0.0.1 of the demo's simulated service (default: two above --port)
  --job-memory N gigabytes that one import or extract may take (default: a quarter of the memory, 8 at most)
  --help         this text
`;

const GIGABYTE = 1 << 30;

/** What the readers of feeds may ask, in milliseconds an answer and questions that wait. */
const FOR_READERS = { time: 10_000, waiting: 50 };

interface Options {
  port: number;
  data: string;
  demo: boolean;
  feeds: { hostname: string; port: number } | null;
  /** Port of the simulated service that goes with the demo. */
  reports: number;
  /** Bytes that one job may take. */
  ceiling: number;
}

const here = fileURLToPath(new URL('.', import.meta.url));
const top = resolve(here, '../../..');

async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      port: { type: 'string', default: '4400' },
      data: { type: 'string', default: join(top, 'data') },
      'no-demo': { type: 'boolean', default: false },
      feeds: { type: 'string' },
      reports: { type: 'string' },
      'job-memory': { type: 'string' },
      help: { type: 'boolean', default: false },
    },
  });
  if (values.help) return void process.stdout.write(USAGE);
  const port = portNumber('--port', values.port);
  const reports = values.reports === undefined ? (port === 0 ? 0 : port + 2) : portNumber('--reports', values.reports);
  const feeds = values.feeds === undefined ? null : feedsAddress(values.feeds);
  const memory = Number(values['job-memory'] ?? Math.min(8, Math.max(1, totalmem() / 4 / GIGABYTE)));
  if (!(memory >= 0.25)) throw new Error(`--job-memory ${values['job-memory']} is not a number of gigabytes from 0.25 on`);
  await run({
    port,
    data: resolve(values.data),
    demo: !values['no-demo'],
    feeds,
    reports,
    ceiling: Math.floor(memory * GIGABYTE),
  });
}

function portNumber(option: string, text: string): number {
  const port = Number(text);
  if (!Number.isInteger(port) || port < 0 || port > 65_535) throw new Error(`${option} ${text} is not a port number`);
  return port;
}

function feedsAddress(text: string): { hostname: string; port: number } {
  const [, hostname, port] = /^(.+):(\d{1,5})$/.exec(text) ?? [];
  if (!hostname || Number(port) > 65_535) throw new Error(`--feeds ${text} is not an address; write it as in 0.0.0.0:4401`);
  return { hostname, port: Number(port) };
}

async function run({ port, data, demo, feeds, reports, ceiling }: Options): Promise<void> {
  await readFile(join(top, 'packages/web/dist/index.html')).catch(() => {
    throw new Error('The interface is not built; run ./start, which builds it');
  });
  await mkdir(data, { recursive: true })
    .then(() => access(data, constants.W_OK))
    .catch((error: NodeJS.ErrnoException) => {
      throw new Error(
        `The folder ${data} cannot be made or written (${error.code}). Give this user the right to, or choose another with --data.`,
      );
    });
  // Before the lock is held nothing in the folder is touched: another process may be at work on it.
  const lock = lockFolder(data);
  step('start: folder locked');
  const turn = new WriteTurn();
  const log = logTo(join(data, 'errors.log'));
  const store = await openWorkspace(data, turn);
  const database = join(data, 'workspace.sqlite');
  const sifting = new SiftService(join(here, 'sift_worker.mjs'), database, turn);
  const published = new SiftService(join(here, 'sift_worker.mjs'), database, turn, FOR_READERS, false);
  const there = new SiftService(join(here, 'sift_worker.mjs'), database, turn, null, false);
  const threads = [sifting, published, there];
  const jobs = new Jobs(join(here, 'job_worker.mjs'), database, store, turn, ceiling, log);
  const simulated = demo ? await serveSimulated(demoFiles, reports) : null;
  if (simulated) {
    simulatedServiceIsAt(simulated.address);
    await followSimulated(entities(store), demoFiles, simulated.address);
  } else if (demo)
    process.stderr.write(`Port ${reports} is in use: the simulated service of the demo is not there; choose another with --reports\n`);
  await fillWorkspace(store, jobs, demo);
  step('start: workspace filled');
  const fresh = new FreshColumns(store, jobs, threads);
  const changed = async (sourceId: number) => {
    fresh.look();
    for (const thread of threads) await thread.tell('forget', sourceId);
  };
  const live = await LiveSources.of(store, jobs, database, changed);
  const app = makeApp({
    store,
    sifting,
    published,
    there,
    jobs,
    fresh,
    live,
    log,
    files: data,
    demo: demoFiles,
    interface: join(top, 'packages/web/dist'),
  });
  const server = serve({ fetch: app.fetch, port, hostname: '127.0.0.1' }, (info) => {
    const address = `http://127.0.0.1:${info.port}/`;
    lock.isAt(address);
    started();
    process.stdout.write(`Clean Sieve is at ${address}\n`);
  });
  server.on('error', (error: NodeJS.ErrnoException) => {
    const text = error.code === 'EADDRINUSE' ? `Port ${port} is in use; choose another with --port` : error.message;
    process.stderr.write(`clean-sieve: ${text}\n`);
    process.exit(1);
  });
  const outside =
    feeds &&
    serve({ fetch: feedsOnly({ store, published, fresh, live, log }).fetch, ...feeds }, (info) => {
      process.stdout.write(`Feeds are at http://${feeds.hostname}:${info.port}/feeds/\n`);
    });
  if (feeds) feedsAreAt(`http://${feeds.hostname === '0.0.0.0' ? networkHostname() : feeds.hostname}:${feeds.port}`);
  outside?.on('error', (error: Error) => {
    process.stderr.write(`clean-sieve: the feeds cannot be served there: ${error.message}\n`);
    process.exit(1);
  });
  const stop = () => {
    server.close();
    outside?.close();
    simulated?.close();
    void Promise.all([...threads.map((thread) => thread.close()), jobs.close()])
      .then(() => closeWorkspace(store, data))
      .catch((error: unknown) => log.error('Stopping', error))
      .finally(() => {
        lock.release();
        process.exit(0);
      });
  };
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
  process.on('unhandledRejection', (reason) => log.error('A promise that nobody waited for', reason));
}

const demoFiles = join(top, 'demo/files');

/** Gives a new workspace its demo, or its name. */
async function fillWorkspace(store: Store, jobs: Jobs, demo: boolean): Promise<void> {
  const em = entities(store);
  // The demo gets its name when it is whole; one without a name was stopped on the way.
  if ((await em.count(Workspace, { name: UNNAMED })) > 0) {
    await em.nativeDelete(Source, {});
    await em.nativeDelete(CodeList, {});
    await em.nativeDelete(Workspace, {});
  } else if ((await em.count(Workspace)) > 0) return;
  if (demo) {
    process.stdout.write('Making the demo workspace (once) …\n');
    await makeDemo(store, jobs, demoFiles, simulatedServiceAddress());
    return;
  }
  em.create(Workspace, { name: 'My workspace', asOf: null });
  await em.flush();
}

main().catch((error: unknown) => {
  process.stderr.write(`clean-sieve: ${(error as Error).message}\n`);
  process.exit(1);
});
