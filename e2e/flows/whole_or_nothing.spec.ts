import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { APIRequestContext } from '@playwright/test';
import { expect, test } from '../support/surface.ts';
import { treesFile } from '../support/demo_data.ts';
import { startServer, TOP } from '../support/own_server.ts';

// A file that is handed over is there as a whole or not at all.

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-whole-'));
const source = join(folder, 'trees.geojson');
test.beforeAll(() => writeFileSync(source, treesFile));
const CLI = join(TOP, 'packages/server/dist/cli.mjs');
const emptyFolder = (name: string) => {
  mkdirSync(join(folder, name), { recursive: true });
  return join(folder, name);
};
const sift = (out: string, ...more: string[]) => [
  ...['--no-warnings', CLI, 'sift', source, '--where', 'storm_risk > 1', '--out', out],
  ...more,
];

test('where there is no room, nothing is left and the reason is told, whatever the format', () => {
  for (const ending of ['gpkg', 'geojson', 'csv', 'zip', 'fgb', 'kml', 'parquet', 'xlsx']) {
    const into = emptyFolder(`full-${ending}`);
    // The shell lets no file grow beyond 100 kB, which meets programs as a disk that takes no more.
    const command = ['-c', 'ulimit -f 100; exec "$0" "$@"', process.execPath, ...sift(join(into, `trees.${ending}`))];
    const run = spawnSync('bash', command, { encoding: 'utf8' });
    expect([ending, run.status]).toEqual([ending, 2]);
    expect(run.stderr).toContain('nothing was written');
    expect(readdirSync(into)).toEqual([]);
  }
});

test('killed while writing, no file stands under the name, and one that was there is as it was', async () => {
  for (const ending of ['gpkg', 'kml']) {
    const into = emptyFolder(`killed-${ending}`);
    const out = join(into, `trees.${ending}`);
    const kill = async () => {
      const child = spawn(process.execPath, sift(out, '--overwrite'), { stdio: 'ignore' });
      const ended = new Promise((done) => child.once('exit', done));
      while (child.exitCode === null && !readdirSync(into).some((name) => name.endsWith('.part')))
        await new Promise((wait) => setTimeout(wait, 1));
      child.kill('SIGKILL');
      await ended;
      return child.signalCode;
    };
    expect(await kill()).toBe('SIGKILL');
    expect(existsSync(out)).toBe(false);
    writeFileSync(out, 'what was there');
    expect(await kill()).toBe('SIGKILL');
    expect(readFileSync(out, 'utf8')).toBe('what was there');
  }
});

test('what a killed server was making is gone when it starts again', async () => {
  const data = mkdtempSync(join(tmpdir(), 'clean-sieve-making-'));
  const half = join(data, 'extracts', '.making-0');
  mkdirSync(half, { recursive: true });
  writeFileSync(join(half, 'trees.gpkg'), 'half');
  const server = await startServer({ demo: false, data });
  expect(readdirSync(join(data, 'extracts'))).toEqual([]);
  await server.stop();
});

test('while much is sifted, an extract is what it is at rest', async ({
  request,
  server,
}: {
  request: APIRequestContext;
  server: { url: string };
}) => {
  const api = `${server.url}api`;
  const post = async (path: string, data: unknown) => {
    const answer = await request.post(`${api}${path}`, { data });
    expect(answer.ok()).toBe(true);
    return answer;
  };
  const { sources } = (await (await request.get(`${api}/workspace`)).json()) as {
    sources: { id: number; name: string }[];
  };
  const { id } = sources.find(({ name }) => name === 'Trees')!;
  const above = (bound: number) => ({
    ...{ kind: 'group', id: 'root', combine: 'all' },
    children: [{ kind: 'condition', id: 'c', expr: { op: '>', args: [{ property: 'storm_risk' }, bound] } }],
  });
  const columns = ['tree_id', 'storm_risk', 'planted'].map((name) => ({ name, as: name, codes: 'code' }));
  const extract = async (title: string) => {
    const layer = {
      sourceId: id,
      tree: above(20),
      name: 'trees',
      columns,
      shape: { kind: 'buffer', metres: 5 },
      crs: null,
      order: null,
      cut: null,
      colour: '#2c5b4b',
    };
    const started = await post('/extracts', {
      title,
      format: 'flatgeobuf',
      layers: [layer],
      within: null,
      zip: false,
      coordinates: null,
      guarded: true,
    });
    const job = (await started.json()) as { id: string };
    let state: {
      state: string;
      result: { extract: { id: string; files: { name: string; sha256: string }[] } };
    } | null = null;
    await expect(async () => {
      state = (await (await request.get(`${api}/jobs/${job.id}`)).json()) as NonNullable<typeof state>;
      expect(state.state).toBe('done');
    }).toPass();
    return state!.result.extract.files.find(({ name }) => name.endsWith('.fgb'))!.sha256;
  };
  const rest = await extract('At rest');
  const [busy] = await Promise.all([
    extract('At rest'),
    ...Array.from({ length: 40 }, (_, n) => post(`/sources/${id}/sift`, { tree: above(n) })),
  ]);
  expect(busy).toBe(rest);
});
