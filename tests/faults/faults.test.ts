import { jest } from '@jest/globals';
import Database from 'libsql';
import { execFileSync, spawnSync } from 'node:child_process';
import {
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  truncateSync,
  writeFileSync,
  writeSync,
  closeSync,
} from 'node:fs';
import { join } from 'node:path';
import { strToU8, zipSync } from 'fflate';
import { Client } from '../../e2e/support/api_client.ts';
import { startServer, TOP, type Running } from '../../e2e/support/own_server.ts';
import { copyOf, extractOf, makeBase, points, type Base } from './base.ts';
import { everyKill, nameOf, tryKill } from './kills.ts';
import { START_STEPS } from '../../packages/server/src/steps.ts';
import { OPERATIONS } from './operations.ts';
import { whatIsNotWhole } from './whole.ts';

// Servers are started and stopped: some seconds each.
jest.setTimeout(120_000);

let base: Base;
beforeAll(async () => {
  execFileSync('bash', ['-c', '. scripts/setup.sh && need_server && need_web'], { cwd: TOP });
  base = await makeBase();
});
afterAll(() => rmSync(base.folder, { recursive: true, force: true }));

const running: Running[] = [];
/** A server that is stopped after the test at the latest. */
async function started(data: string): Promise<Running> {
  const server = await startServer({ demo: false, data, removeData: false });
  running.push(server);
  return server;
}
afterEach(async () => {
  for (const server of running.splice(0)) await server.stop('SIGKILL');
});

const MAIN = join(TOP, 'packages/server/dist/main.mjs');
/** Many features at few places, with texts that do not repeat. */
function crowded(count: number): string {
  const features = Array.from({ length: count }, (_, n) => ({
    type: 'Feature',
    geometry: { type: 'Point', coordinates: [n % 90, n % 60] },
    properties: { n, text: `${n} `.repeat(20) },
  }));
  return JSON.stringify({ type: 'FeatureCollection', features });
}

/** How a start ends that is refused. */
function refusedStart(data: string): { status: number | null; said: string } {
  const { status, stderr } = spawnSync(process.execPath, ['--no-warnings', MAIN, '--port', '0', '--no-demo', '--data', data], {
    timeout: 20_000,
  });
  return { status, said: stderr.toString() };
}

describe('killed on the way', () => {
  // Other steps every day.
  const day = Math.floor(Date.now() / 86_400_000);
  const some = OPERATIONS.map((operation) => {
    const kills = everyKill([operation]);
    return kills[day % kills.length];
  });
  test.each(some.map((kill) => [nameOf(kill), kill]))('%s', async (_, kill) => {
    const { wrong } = await tryKill(base, kill, 'killed');
    expect(wrong).toEqual([]);
  });

  test('steps are reached: an import stops at each of its own', async () => {
    const [importing] = OPERATIONS;
    for (const step of ['layer read', 'layers stored', 'layers put to use'])
      expect([step, await tryKill(base, { operation: importing, step, time: 1 }, 'killed')]).toEqual([step, { killed: true, wrong: [] }]);
  });
});

describe('what is not whole is found', () => {
  const broken = (name: string, sql: string) => {
    const data = copyOf(base, name);
    const database = new Database(join(data, 'workspace.sqlite'));
    database.exec(sql);
    database.close();
    return whatIsNotWhole(data);
  };
  test('nothing in a sound folder', () => expect(whatIsNotWhole(copyOf(base, 'sound'))).toEqual([]));
  test.each([
    ["update source set role = 'making' where id = 1", /left over as making/],
    ['delete from geometry where source_id = 1', /has shapes for 0 of 50/],
    ['delete from row_group where column_id = 1', /has 0 of 50 values/],
    ['pragma foreign_keys = off; delete from source where id = 1', /belong to nothing/],
    ['delete from extract', /is left over/],
  ])('%s', (sql, told) => expect(broken('broken', sql).join()).toMatch(told));
  test('a file of an extract that is missing or another', () => {
    const data = copyOf(base, 'broken');
    const folder = join(data, 'extracts', base.extract);
    const [first, second] = readdirSync(folder);
    rmSync(join(folder, first));
    writeFileSync(join(folder, second), 'something else');
    expect(whatIsNotWhole(data).sort()).toEqual([`${first} of an extract is missing`, `${second} of an extract is not what it was`].sort());
  });
});

test('a second start on the same folder is refused and touches nothing, on any port; a killed one leaves no lock', async () => {
  const data = copyOf(base, 'twice');
  const first = await started(data);
  const client = new Client(first.url);
  const upload = await client.upload({ 'waiting.geojson': points(5) });
  const { status, said } = refusedStart(data);
  expect(status).toBe(1);
  expect(said).toMatch(
    /is in use by another Clean Sieve \(process \d+, at http:\/\/127\.0\.0\.1:\d+\/, since .*\)\. Stop that one first, or choose another folder/,
  );
  expect(said).toContain(first.url);
  expect(existsSync(join(data, 'uploads', upload, 'waiting.geojson'))).toBe(true);
  const { looks } = await client.job<{ looks: { features: number }[] }>(
    (await client.send<{ id: string }>('POST', `api/uploads/${upload}/look`, { files: ['waiting.geojson'], reading: {} })).id,
  );
  expect(looks[0].features).toBe(5);
  await first.stop('SIGKILL');
  const second = await started(data);
  await second.stop();
});

test('files of extracts that an older copy of the workspace does not know are left alone', async () => {
  const data = copyOf(base, 'older copy');
  const database = new Database(join(data, 'workspace.sqlite'));
  database.exec('delete from extract');
  database.close();
  const server = await started(data);
  await server.stop();
  expect(readdirSync(join(data, 'extracts', base.extract))).toContain('first.gpkg');
});

describe('killed while it starts', () => {
  test.each(START_STEPS)('at “%s”: the next start finds all as it was, and nothing left over', async (step) => {
    const data = copyOf(base, 'starting');
    // Something to tidy up: an import that was stopped on the way, and an upload.
    const before = await startServer({ demo: false, data, removeData: false, env: { CLEAN_SIEVE_KILL_AT: 'layers stored:1' } });
    await new Client(before.url).bringIn({ 'half.geojson': points(50) }).catch(() => null);
    await before.stop('SIGKILL');
    await expect(startServer({ demo: false, data, removeData: false, env: { CLEAN_SIEVE_KILL_AT: `${step}:1` } })).rejects.toThrow(
      'The server ended',
    );
    const server = await started(data);
    expect(whatIsNotWhole(data)).toEqual([]);
    const { sources, sieves } = await new Client(server.url).get<{ sources: { name: string }[]; sieves: object[] }>('api/workspace');
    expect([sources.map(({ name }) => name), sieves.length]).toEqual([['places', 'squares'], 1]);
  });

  test.each(START_STEPS)('at “%s”, the first time: the next start begins anew', async (step) => {
    const data = join(base.folder, `new at ${step.replace(/\W+/g, ' ')}`);
    await expect(startServer({ demo: false, data, removeData: false, env: { CLEAN_SIEVE_KILL_AT: `${step}:1` } })).rejects.toThrow(
      'The server ended',
    );
    const client = new Client((await started(data)).url);
    expect(await client.get('api/workspace')).toMatchObject({ name: 'My workspace', sources: [] });
    expect(await client.bringIn({ 'one.geojson': points(3) })).toHaveLength(1);
  });
});

describe('where nothing more can be written', () => {
  test('a full disk: what does not fit is refused in words, what was acknowledged is there, and nothing is half', async () => {
    const data = copyOf(base, 'full');
    // No file may grow beyond 6 MB, which is what a full disk is to the one that grows.
    const within = ['bash', '-c', 'trap "" XFSZ; ulimit -f 6144; exec "$@"', 'limited'];
    const server = await startServer({ demo: false, data, removeData: false, within });
    running.push(server);
    const client = new Client(server.url);
    const large = crowded(60_000);
    await expect(client.bringIn({ 'large.geojson': large })).rejects.toThrow(/507.*The disk is full/);
    // Packed it is small on its way in, and too large for the workspace.
    await expect(client.bringIn({ 'packed.zip': Buffer.from(zipSync({ 'packed.geojson': strToU8(large) })) })).rejects.toThrow(
      /disk is full/i,
    );
    const acknowledged: string[] = [];
    for (let n = 1; n <= 20; n++)
      await client.send('PATCH', 'api/workspace', { name: `name ${n}` }).then(
        () => acknowledged.push(`name ${n}`),
        (error: Error) => expect(error.message).toMatch(/507.*The disk is full/),
      );
    await server.stop('SIGKILL');
    const again = await started(data);
    expect(whatIsNotWhole(data)).toEqual([]);
    const told = await new Client(again.url).get<{ name: string; sources: { name: string }[] }>('api/workspace');
    expect(told.sources.map(({ name }) => name)).toEqual(['places', 'squares']);
    expect(told.name).toBe(acknowledged.at(-1) ?? 'My workspace');
    await new Client(again.url).send('PATCH', 'api/workspace', { name: 'goes on' });
  });

  test('a folder that cannot be made, or may not be written: said in a line', () => {
    for (const data of ['/dev/null/clean-sieve', '/dev/full/clean-sieve']) {
      const { status, said } = refusedStart(data);
      expect(status).toBe(1);
      expect(said.trim().split('\n')).toHaveLength(1);
      expect(said).toMatch(/The folder .*clean-sieve cannot be made or written/);
    }
  });
});

describe('databases that cannot be opened', () => {
  test('of a newer program: refused before anything of it is changed', () => {
    const data = copyOf(base, 'newer');
    const path = join(data, 'workspace.sqlite');
    const database = new Database(path);
    database.exec(
      "insert into mikro_orm_migrations (name, executed_at) values ('999_things_to_come', '2030-01-01'); PRAGMA wal_checkpoint(TRUNCATE)",
    );
    database.close();
    const before = readFileSync(path);
    const { status, said } = refusedStart(data);
    expect(status).toBe(1);
    expect(said).toMatch(/last opened by a newer Clean Sieve.*999_things_to_come/);
    expect(readFileSync(path).equals(before)).toBe(true);
  });

  test.each([
    ['of something else', (path: string) => writeFileSync(path, 'this is no database, though it stands where one should '.repeat(40))],
    ['cut short', (path: string) => truncateSync(path, 5000)],
    [
      'with its first pages overwritten',
      (path: string) => {
        const file = openSync(path, 'r+');
        writeSync(file, Buffer.alloc(8000, 0x5a), 0, 8000, 100);
        closeSync(file);
      },
    ],
  ])('%s: said in words', (_, damage) => {
    const data = copyOf(base, 'damaged');
    for (const ending of ['-wal', '-shm']) rmSync(join(data, `workspace.sqlite${ending}`), { force: true });
    damage(join(data, 'workspace.sqlite'));
    const { status, said } = refusedStart(data);
    expect(status).toBe(1);
    expect(said).toMatch(/is damaged and cannot be opened. Put a copy of it back/);
    expect(said.trim().split('\n')).toHaveLength(1);
  });

  test('where a folder stands in its place: said in words', () => {
    const data = join(base.folder, 'blocked');
    mkdirSync(join(data, 'workspace.sqlite'), { recursive: true });
    const { status, said } = refusedStart(data);
    expect(status).toBe(1);
    expect(said).toMatch(/may not be written/);
  });
});

describe('files that keep a reader busy', () => {
  test('a job that does not listen ends when it is cancelled, and others go on beside it', async () => {
    const server = await started(copyOf(base, 'busy'));
    const client = new Client(server.url);
    // One number, read as a whole by the parser: nobody can ask it to stop on the way.
    const endless = Buffer.from(`{"type":"Topology","objects":{},"arcs":[${'[[1,1],[2,2]],'.repeat(4_000_000)}[[0,0]]]}`);
    const busy: string[] = [];
    for (let n = 0; n < 3; n++) {
      const upload = await client.upload({ 'endless.topojson': endless });
      const layers = [{ file: 'endless.topojson', layer: 'endless', name: `endless ${n}` }];
      busy.push((await client.send<{ id: string }>('POST', `api/uploads/${upload}/imports`, { layers })).id);
    }
    const state = async (id: string) => (await client.get<{ state: string }>(`api/jobs/${id}`)).state;
    // Meanwhile a small file can be looked at.
    const upload = await client.upload({ 'small.geojson': points(5) });
    const look = await client.send<{ id: string }>('POST', `api/uploads/${upload}/look`, { files: ['small.geojson'], reading: {} });
    await client.job(look.id);
    expect(await state(busy[0])).toBe('running');
    const began = Date.now();
    for (const id of busy) await client.send('DELETE', `api/jobs/${id}`);
    while ((await Promise.all(busy.map(state))).includes('running')) await new Promise((done) => setTimeout(done, 50));
    expect(Date.now() - began).toBeLessThan(2000);
    expect(await Promise.all(busy.map(state))).toEqual(['cancelled', 'cancelled', 'cancelled']);
    // The turn to write is free, and the next import comes in.
    await client.bringIn({ 'after.geojson': points(3) });
  });

  test('a job that takes more memory than one may have is refused in words, and nothing is kept', async () => {
    const data = copyOf(base, 'memory');
    const server = await startServer({ demo: false, data, removeData: false, more: ['--job-memory', '0.25'] });
    running.push(server);
    const client = new Client(server.url);
    const line = `${JSON.stringify({ type: 'Feature', geometry: { type: 'LineString', coordinates: Array.from({ length: 200 }, (_, i) => [i / 10, i / 10]) }, properties: {} })}\n`;
    await expect(client.bringIn({ 'large.geojsonl': line.repeat(90_000) })).rejects.toThrow(
      /takes more than 0.3 GB of memory, which is as much as one job may have/,
    );
    await client.bringIn({ 'after.geojson': points(3) });
    await server.stop();
    const again = await started(data);
    const { sources } = await new Client(again.url).get<{ sources: { name: string }[] }>('api/workspace');
    expect(sources.map(({ name }) => name)).toEqual(['places', 'squares', 'after']);
    expect(whatIsNotWhole(data)).toEqual([]);
  });
});

/** The head of a PNG of that size; the rest is not there. */
function png(width: number, height: number): Buffer {
  const head = Buffer.alloc(40);
  head.write('\x89PNG\r\n\x1a\n', 0, 'latin1');
  head.write('IHDR', 12, 'latin1');
  head.writeUInt32BE(width, 16);
  head.writeUInt32BE(height, 20);
  return head;
}
const pageWith = (picture: Buffer) => ({
  ...{
    paper: 'a4',
    landscape: true,
    title: 'A page',
    sentence: '',
    legend: [],
    scale: '1 : 100',
    system: '',
    date: '',
  },
  ...{ bar: { points: 10, label: '1 km' }, picture: picture.toString('base64') },
});

describe('requests that ask for trouble', () => {
  test('are answered in words, without a word of SQL, and never as a fault', async () => {
    const data = copyOf(base, 'trouble');
    const server = await started(data);
    const send = async (method: string, path: string, body?: unknown) => {
      const answer = await fetch(server.url + path, { method, body: typeof body === 'string' ? body : JSON.stringify(body) });
      return { status: answer.status, text: await answer.text() };
    };
    const deep = (depth: number) =>
      `{"trees":[${'{"kind":"group","id":"a","combine":"all","children":['.repeat(depth)}${']}'.repeat(depth)}]}`;
    const tree = { kind: 'group', id: 'root', combine: 'all', children: [] };
    const asked: [string, string, unknown][] = [
      ['PATCH', `api/sources/${base.places}`, { name: 'nul \u0000 inside' }],
      ['POST', 'api/areas', { name: 'here', shape: { type: 'Point', coordinates: [0, 0] } }],
      ['POST', 'api/sieves', { sourceId: 99_999, name: 'x', tree, colour: 0, visible: true }],
      ['POST', 'api/sieves', { id: base.sieve, sourceId: base.places, name: 'x', tree, colour: 0, visible: true }],
      ['PATCH', `api/sources/${base.places}/columns/n`, { codeList: 12_345 }],
      ['PATCH', `api/sources/${base.places}/columns/nothing`, { hidden: true }],
      ['POST', `api/sources/${base.places}/aggregate`, { tree, aggregation: { kind: 'values', column: 'no such column' } }],
      ['POST', `api/sources/${base.places}/aggregate`, { tree, aggregation: { kind: 'histogram', column: 'no such column', bins: 10 } }],
      ['POST', `api/sources/${base.places}/wholes/tiles/0/0/0`, { plane: 'mercator', tree, classing: null }],
      ['POST', `api/sources/${base.places}/counts`, deep(30_000)],
      ['POST', `api/sources/${base.places}/rows`, '{"tree":'],
      ['POST', 'api/extracts', { ...extractOf(99_999, 'x') }],
      ['POST', 'api/uploads/none/look', {}],
      ['DELETE', 'api/extracts/none', undefined],
      ['POST', 'api/pages', pageWith(Buffer.from('no picture'))],
      ['POST', 'api/pages', pageWith(png(10_000, 10_000))],
    ];
    for (const [method, path, body] of asked) {
      const { status, text } = await send(method, path, body);
      expect([path, status, status >= 400 && status < 500]).toEqual([path, status, true]);
      expect(text).not.toMatch(/insert into|select |sqlite|constraint|knex/i);
      expect((JSON.parse(text) as { error: string }).error.length).toBeGreaterThan(5);
    }
    expect(existsSync(join(data, 'errors.log'))).toBe(false);
    await server.stop();
  });

  test('a feed tells nothing of a column that is hidden, nor of the conditions on it', async () => {
    const server = await started(copyOf(base, 'hidden'));
    const client = new Client(server.url);
    const tree = {
      kind: 'group',
      id: 'root',
      combine: 'all',
      children: [{ kind: 'condition', id: 'c', expr: { op: 'like', args: [{ property: 'name' }, 'place 1%'] } }],
    };
    const { id } = await client.send<{ id: number }>('POST', 'api/sieves', {
      sourceId: base.places,
      name: null,
      tree,
      colour: 0,
      visible: true,
    });
    const live = await client.send<{ id: string }>('POST', `api/sieves/${id}/feeds`, { frozen: false });
    const frozen = await client.send<{ id: string }>('POST', `api/sieves/${id}/feeds`, { frozen: true });
    const everything = async () => {
      const paths = [live, frozen].flatMap((feed) =>
        ['', '/collections', '/collections/places', '/collections/places/queryables', '/collections/places/items', '/api'].map(
          (path) => `feeds/${feed.id}${path}?f=html`,
        ),
      );
      return (await Promise.all(paths.map(async (path) => (await client.bytes(path)).toString()))).join('');
    };
    expect(await everything()).toContain('place 1');
    await client.send('PATCH', `api/sources/${base.places}/columns/name`, { hidden: true });
    const told = await everything();
    expect(told).not.toContain('place 1');
    expect(told).toContain('by conditions of which some are not told');
    await server.stop();
  });

  test('heads of files hold no file open', async () => {
    const data = copyOf(base, 'heads');
    const server = await started(data);
    const client = new Client(server.url);
    const { extracts } = await client.get<{ extracts: { id: string; files: { name: string; bytes: number }[] }[] }>('api/extracts');
    const [{ id, files }] = extracts;
    const { process: pid } = JSON.parse(readFileSync(join(data, 'in-use.json'), 'utf8')) as { process: number };
    const open = () => readdirSync(`/proc/${pid}/fd`).length;
    const ask = async () => {
      const answer = await fetch(`${server.url}api/extracts/${id}/${encodeURIComponent(files[0].name)}`, {
        method: 'HEAD',
        headers: { connection: 'close' },
      });
      expect([answer.status, Number(answer.headers.get('content-length'))]).toEqual([200, files[0].bytes]);
    };
    await ask();
    const before = open();
    for (let n = 0; n < 60; n++) await ask();
    expect(open()).toBeLessThan(before + 10);
    await server.stop();
  });

  test('no page from elsewhere can frame, sniff or run anything', async () => {
    const server = await started(copyOf(base, 'headers'));
    const client = new Client(server.url);
    const feed = await client.send<{ id: string }>('POST', `api/sieves/${base.sieve}/feeds`, { frozen: true });
    for (const path of [
      '',
      'api/workspace',
      'api/none',
      `feeds/${feed.id}?f=html`,
      'feeds/none',
      `api/extracts/${base.extract}/first.note.html`,
    ]) {
      const { headers } = await fetch(server.url + path);
      const policy = headers.get('content-security-policy') ?? '';
      expect([path, policy.includes("frame-ancestors 'none'"), policy.includes('unsafe-eval')]).toEqual([path, true, false]);
      expect([path, /script-src[^;]*'unsafe-inline'/.test(policy), policy.startsWith("default-src 'none'")]).toEqual([path, false, true]);
      expect([path, headers.get('x-content-type-options'), headers.get('referrer-policy')]).toEqual([path, 'nosniff', 'no-referrer']);
    }
    await server.stop();
  });
});
