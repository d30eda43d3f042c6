import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unpackTile } from '../../packages/core/src/display/tile_bytes.ts';
import { startCluster, type Cluster } from '../../tests/postgis/cluster.ts';
import { Client } from '../support/api_client.ts';
import { treesFile } from '../support/demo_data.ts';
import { expect, test, type Surface } from '../support/surface.ts';

/** Stands nowhere else. */
const PASSWORD = 'gannet-7431';
let cluster: Cluster;
test.beforeAll(async () => {
  cluster = await startCluster();
  await cluster.sql(`
    create table moorings as
      select i as n, case when i % 3 = 0 then 'Stone' else 'stone' end as kind, i / 7.0::numeric as depth,
             st_transform(st_setsrid(st_makepoint(-12.2 + (i % 40) * 0.005, 46.55 + (i / 40) * 0.002), 4326), 3857)::geometry(Point, 3857) as place
        from generate_series(1, 2501) i;
    alter table moorings add primary key (n);
    comment on table moorings is 'Moorings of the harbour';
    create table quays (name text, line geometry(LineString, 4326));
    create table wharf_lamps as select i as no, st_setsrid(st_makepoint(-12 + i / 1000.0, 46.6), 4326)::geometry(Point, 4326) as place from generate_series(1, 37) i;
    create role locked login password '${PASSWORD}';
    grant select on moorings, quays, wharf_lamps to locked;
    analyze`);
});
test.afterAll(() => cluster.stop());

const address = (password = '') => cluster.address.replace('keeper', password === '' ? 'locked' : `locked:${encodeURIComponent(password)}`);

async function ask({ page }: Surface, text: string, password?: string): Promise<void> {
  await page.getByTestId('service-address').locator('input').fill(text);
  if (password !== undefined) await page.getByTestId('database-password').locator('input').fill(password);
  await page.getByTestId('survey').click();
}

test('a table is looked at, asked for by conditions, fetched, and compared when it is fetched again', async ({ surface }) => {
  const { page } = surface;
  await page.getByTestId('from-service').click();
  await ask(surface, address(), 'wrong');
  await expect(page.getByTestId('service-problem')).toContainText('does not let locked in');
  await ask(surface, address(), PASSWORD);
  const dialog = page.getByTestId('service-dialog');
  await expect(dialog.getByRole('list', { name: 'Tables' }).getByRole('listitem')).toHaveCount(3);
  await expect(dialog).toContainText('A password is kept for it in this workspace');
  await expect(dialog.getByTestId('would-come')).toHaveText('2,501 features would come, all there are');
  await expect(dialog).toContainText('WGS 84 / Pseudo-Mercator');
  await page
    .getByTestId('service-condition')
    .locator('.cm-content')
    .fill("kind = 'stone' AND n > 100 AND S_DWITHIN(geometry, POINT(-12.1 46.6), 3000, 'm')");
  const decided = page.getByTestId('decided').getByRole('listitem');
  await expect(decided).toHaveCount(3);
  await expect(decided.nth(0)).toContainText(/^\s*there\s*kind/);
  await expect(decided.nth(2)).toContainText('there + here');
  await page.getByTestId('fetch').click();
  await expect(surface.stack.getByRole('heading', { level: 1 })).toHaveText('moorings');
  // The same by the database itself.
  const there = await cluster.sql(
    "select count(*) from moorings where kind = 'stone' and n > 100 and st_dwithin(st_transform(place, 4326)::geography, st_makepoint(-12.1, 46.6)::geography, 3000)",
  );
  await expect(surface.kept).toHaveText(Number(there).toLocaleString('en-GB'));

  await cluster.sql("update moorings set kind = 'stone' where n % 3 = 0 and n > 2000; delete from moorings where n = 1001");
  await surface.more('moorings');
  await page.getByText('Fetch it again and compare').click();
  const version = page.getByTestId('version-sheet');
  await expect(version).toContainText(/\d+ added/);
  await page.keyboard.press('Escape');
  await expect(version).toBeHidden();
});

test('what each condition leaves is counted over the whole table before anything comes; what is asked for live is as it is now', async ({
  surface,
}) => {
  const { page } = surface;
  await page.getByTestId('from-service').click();
  await ask(surface, cluster.address);
  await expect(page.getByTestId('would-come')).toContainText('features would come, all there are');
  const near = 'st_dwithin(st_transform(place, 4326)::geography, st_makepoint(-12.1, 46.6)::geography, 3000)';
  await page
    .getByTestId('service-condition')
    .locator('.cm-content')
    .fill("n > 100 AND S_DWITHIN(geometry, POINT(-12.1 46.6), 3000, 'm') AND CASEI(kind) = CASEI('STONE') AND depth < 200");
  const left = async (where: string) =>
    `${Number(await cluster.sql(`select count(*) from moorings where ${where}`)).toLocaleString('en-GB')} left`;
  const kept = await left(`n > 100 and ${near} and depth < 200`);
  await expect(page.getByTestId('would-come')).toContainText(`of which ${kept.replace(' left', '')} are kept`);
  const decided = page.getByTestId('decided').getByRole('listitem');
  await expect(decided.nth(0)).toContainText(await left('n > 100'));
  await expect(decided.nth(1)).toContainText(await left(`n > 100 and ${near}`));
  await expect(decided.nth(2)).toContainText(await left(`n > 100 and ${near}`));
  await expect(decided.nth(3)).toContainText(kept);
  await page.getByTestId('as-live').check();
  await page.getByTestId('fetch-name').locator('input').fill('Moorings now');
  await page.getByTestId('fetch').click();
  await expect(page.getByTestId('live-line')).toContainText('Live, asked today at');
  await expect(surface.kept).toHaveText(kept.replace(' left', ''));
  await cluster.sql("delete from moorings where n between 900 and 950; update moorings set kind = 'STONE' where n = 800");
  await page.getByTestId('ask-anew').click();
  await expect(page.getByTestId('notice')).toContainText(/Moorings now was asked anew: [\d,]+ features, 0 new, \d changed, \d+ gone/);
  await expect(surface.kept).toHaveText((await left(`n > 100 and ${near} and depth < 200`)).replace(' left', ''));
});

test('of a large table a sample is looked at; what is counted and handed over is all of it', async ({ surface, server }) => {
  const { page } = surface;
  const lines = page.getByTestId('live-line');
  const countOf = async (where: string) => Number(await cluster.sql(`select count(*) from moorings where ${where}`));
  const told = async (where: string) => (await countOf(where)).toLocaleString('en-GB');
  await page.getByTestId('from-service').click();
  await ask(surface, cluster.address);
  await expect(page.getByTestId('would-come')).toContainText('features would come, all there are');
  await page.getByTestId('as-sample').check();
  await page.getByTestId('service-condition').locator('.cm-content').fill("S_DWITHIN(geometry, POINT(-12.1 46.6), 3000, 'm')");
  await expect(page.getByTestId('service-dialog')).toContainText('not by S_DWITHIN');
  await expect(page.getByTestId('fetch')).toBeDisabled();
  await page.getByTestId('service-condition').locator('.cm-content').fill('n > 100');
  await page.getByTestId('fetch-name').locator('input').fill('Sampled');
  await page.getByTestId('sample-size').fill('600');
  await page.getByTestId('fetch').click();
  await expect(page.getByTestId('notice')).toContainText(/Sampled: a sample of \d{3} of 2,\d{3} features is here/);
  await expect(surface.kept).toHaveText(await told('n > 100'));
  await expect(page.getByTestId('table-state')).toContainText(/^\d{3} rows/);

  await surface.write("kind = 'stone' AND S_DWITHIN(geometry, POINT(-12.1 46.6), 3000, 'm')");
  const near = 'st_dwithin(st_transform(place, 4326)::geography, st_makepoint(-12.1, 46.6)::geography, 3000)';
  const sample = page.getByTestId('sample-line');
  await expect(sample).toHaveText(`These numbers: of all ${await told('n > 100')}.`);
  const kept = await told(`n > 100 and kind = 'stone' and ${near}`);
  await expect(surface.kept).toHaveText(kept);
  await expect(surface.stack).toContainText(await told("n > 100 and kind = 'stone'"));
  await expect(surface.stack.getByTestId('decided-by')).toHaveText(['there', 'there + here']);
  // In the sample nothing is blank, however many more are counted.
  const parts = await surface.chart('share');
  await expect(parts).toContainText('%');
  await expect(parts).not.toContainText('blank');
  await page.keyboard.press('Escape');
  // What hangs on all features cannot be told by some of them, and is not counted there.
  await surface.write("kind = 'stone' AND S_NEAREST(geometry, POINT(-12.1 46.6), 3)");
  await expect(sample).toContainText('estimated; all cannot be counted');
  await expect(surface.kept).toHaveText('…');
  await surface.write("kind = 'stone' AND S_DWITHIN(geometry, POINT(-12.1 46.6), 3000, 'm')");
  await expect(surface.kept).toHaveText(kept);

  const { text } = await surface.handOver(/^GeoJSON \.geojson$/, 'stones');
  expect((JSON.parse(text) as { features: unknown[] }).features.length.toLocaleString('en-GB')).toBe(kept);
  const client = new Client(server.url);
  const { extracts } = await client.get<{ extracts: { id: string; title: string }[] }>('api/extracts');
  const { id } = extracts.find(({ title }) => title === 'stones')!;
  const note = await client.get<{ layers: object[]; sources: { fetched: object }[] }>(`api/extracts/${id}/stones.note.json`);
  const all = await countOf('n > 100');
  expect(note.layers[0]).toMatchObject({ of: all, digest: expect.any(Object) });
  expect(note.sources[0]).toMatchObject({ rows: all, fetched: { live: true, filter: 'n > 100', matched: all } });
  const file = join(server.data, 'extracts', id, 'stones.note.json');
  const rerun = ['run', file, `Sampled=${cluster.address}&table=moorings`];
  expect(execFileSync(join(import.meta.dirname, '../../clean-sieve'), rerun, { encoding: 'utf8' })).toContain('"identical":true');

  await surface.more((await surface.stack.getByRole('heading', { level: 1 }).innerText()).trim());
  await page.getByText('Publish as a feed').click();
  await expect(page.getByTestId('no-feed')).toContainText('Of Sampled only a sample is held');
  await expect(page.getByTestId('publish-live')).toBeDisabled();
  await page.keyboard.press('Escape');

  // All that lies in view, and back.
  const [x, y] = await surface.onMap(0, 0);
  await page.mouse.move(x, y);
  await page.mouse.wheel(0, -700);
  await page.getByTestId('table-tab').click();
  await lines.getByTestId('all-in-view').click();
  await expect(lines).toContainText(/there \+ here\s*S_INTERSECTS\(geometry, BBOX\(/);
  await expect(sample).toBeHidden();
  await page.keyboard.press('Control+z');
  await expect(sample).toHaveText(`These numbers: of all ${await told('n > 100')}.`);
  await lines.getByTestId('ask-other').click();
  await page.getByTestId('would-come').waitFor();
  await page.getByTestId('as-live').check();
  await page.getByTestId('fetch').click();
  await expect(sample).toBeHidden();
  await expect(surface.kept).toHaveText(kept);
  await page.getByTestId('table-tab').click();
  await expect(page.getByTestId('table-state')).toContainText(`${kept} rows`);
  await page.keyboard.press('Control+z');
  await expect(sample).toHaveText(`These numbers: of all ${await told('n > 100')}.`);
  await expect(surface.kept).toHaveText(kept);
  await cluster.sql(`delete from moorings where n = (select max(n) from moorings where kind = 'stone' and ${near})`);
  await lines.getByTestId('ask-anew').click();
  await expect(page.getByTestId('notice')).toContainText(/Sampled was asked anew: a sample of \d{3} of 2,\d{3} features/);
  await expect(surface.kept).toHaveText(await told(`n > 100 and kind = 'stone' and ${near}`));
  // All that was counted elsewhere changes nothing of the rows.
  await surface.rowsAreThere();
});

test('of a large table the map draws all that is kept in view, or says that it does not', async ({ surface }) => {
  const { page } = surface;
  const points = new Map<string, number>();
  page.on('response', async (answer) => {
    if (!answer.url().includes('/wholes/tiles/') || !answer.ok()) return;
    const asked = answer.request().postData() ?? '';
    // Of what was given up there is nothing to read.
    const bytes = await answer.body().catch(() => null);
    if (bytes) points.set(asked, (points.get(asked) ?? 0) + unpackTile(new Uint8Array(bytes)).pointRows.length);
  });
  await page.getByTestId('from-service').click();
  await ask(surface, cluster.address);
  await page.getByTestId('as-sample').check();
  await page.getByTestId('fetch-name').locator('input').fill('Drawn');
  await page.getByTestId('sample-size').fill('500');
  await page.getByTestId('fetch').click();
  const drawnOf = page.getByTestId('drawn-of');
  await expect(drawnOf).toHaveText('all in view');
  // Each point is in one tile.
  await surface.write("kind = 'stone' AND S_DWITHIN(geometry, POINT(-12.1 46.6), 3000, 'm')");
  const near = 'st_dwithin(st_transform(place, 4326)::geography, st_makepoint(-12.1, 46.6)::geography, 3000)';
  const kept = Number(await cluster.sql(`select count(*) from moorings where kind = 'stone' and ${near}`));
  await expect.poll(() => [...points.values()].at(-1)).toBe(kept);
  await expect(drawnOf).toHaveText('all in view');
  // Which are the nearest hangs on what lies elsewhere.
  await surface.write('S_NEAREST(geometry, POINT(-12.1 46.6), 3)');
  await expect(drawnOf).toHaveText('of the sample');
  await surface.write('n > 7');
  await expect(drawnOf).toHaveText('all in view');
  await cluster.sql('alter table moorings rename to elsewhere');
  const [x, y] = await surface.onMap(0, 0);
  await page.mouse.move(x, y);
  await page.mouse.wheel(0, -700);
  await expect(drawnOf).toContainText('has no table public.moorings');
  await cluster.sql('alter table elsewhere rename to moorings');
  await page.getByTestId('draw-again').click();
  await expect(drawnOf).toHaveText('all in view');
});

test('a table of which a sample is held is a place for what is stored: all of it that is near comes over', async ({ surface, server }) => {
  const { page } = surface;
  const bring = async (name: string, how: 'as-copy' | 'as-sample') => {
    await page.getByTestId('from-service').click();
    await ask(surface, cluster.address);
    await expect(page.getByTestId('would-come')).toContainText('features would come, all there are');
    await page.getByTestId(how).check();
    if (how === 'as-sample') await page.getByTestId('sample-size').fill('300');
    await page.getByTestId('fetch-name').locator('input').fill(name);
    await page.getByTestId('fetch').click();
    await expect(page.getByTestId('notice')).toContainText(`${name}: `);
  };
  await bring('All berths', 'as-copy');
  await bring('Berths', 'as-sample');
  await surface.newSieve();
  const near = (place: string, metres: number) => `S_DWITHIN(geometry, ${place}, ${metres}, 'm')`;
  await surface.write(near("SOURCE('All berths')", 60));
  await expect(surface.kept).not.toHaveText('24,000');
  await expect(surface.kept).toHaveAttribute('aria-busy', 'false');
  const kept = await surface.kept.innerText();
  expect(kept).toMatch(/^[1-9]/);
  await surface.write(near("SOURCE('Berths')", 60));
  const told = surface.stack.getByTestId('near-told');
  await expect(told).toHaveText(/^[\d,]+ in reach, asked today at \d\d:\d\d$/);
  await expect(surface.kept).toHaveText(kept);

  const { text } = await surface.handOver(/^GeoJSON \.geojson$/, 'berths');
  expect((JSON.parse(text) as { features: unknown[] }).features.length.toLocaleString('en-GB')).toBe(kept);
  const client = new Client(server.url);
  const { extracts } = await client.get<{ extracts: { id: string; title: string }[] }>('api/extracts');
  const { id } = extracts.find(({ title }) => title === 'berths')!;
  const note = await client.get<{ layers: { remarks: string[] }[] }>(`api/extracts/${id}/berths.note.json`);
  expect(note.layers[0].remarks.join()).toMatch(
    /Of Berths a sample is held; what counts here is all of it in the extent of Trees and 200 m round it/,
  );
  // Made again, all of the table is asked for.
  const file = join(server.data, 'extracts', id, 'berths.note.json');
  const treesPath = join(mkdtempSync(join(tmpdir(), 'clean-sieve-database-')), 'trees.geojson');
  writeFileSync(treesPath, treesFile);
  const rerun = ['run', file, `Trees=${treesPath}`, `Berths=${cluster.address}&table=moorings`];
  expect(execFileSync(join(import.meta.dirname, '../../clean-sieve'), rerun, { encoding: 'utf8' })).toContain('"identical":true');

  // What hangs on all of it is refused, in words.
  await surface.write("S_NEAREST(geometry, SOURCE('Berths'), 5)");
  await expect(page.getByTestId('sift-problem')).toContainText('Of Berths only a sample is held, and this hangs on all of it');

  // The table cannot be read for a while: that can be waited for, given up, and asked for again.
  const locked = cluster.sql('begin; lock table moorings; select pg_sleep(600)').catch(() => undefined);
  await expect.poll(() => cluster.sql("select count(*) from pg_locks where mode = 'AccessExclusiveLock' and granted")).not.toBe('0');
  await surface.write(near("SOURCE('Berths')", 900));
  const job = page.getByTestId('job').filter({ hasText: 'Asking for what of Berths is near to Trees' });
  await expect(job).toBeVisible();
  await job.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByTestId('sift-problem')).toContainText('it was cancelled');
  await cluster.sql("select pg_terminate_backend(pid) from pg_stat_activity where query like '%pg_sleep%' and pid <> pg_backend_pid()");
  await locked;
  await page.getByTestId('near-again').click();
  await expect(told).toBeVisible();
  await expect(page.getByTestId('sift-problem')).toBeHidden();
  await surface.write(near("SOURCE('All berths')", 900));
  await expect(told).toBeHidden();
  const wide = await surface.kept.innerText();
  await page.keyboard.press('Control+z');
  await expect(told).toBeVisible();
  await expect(surface.kept).toHaveText(wide);
});

test('a password stands in the workspace only, wherever it was typed', async ({ surface, server }) => {
  const { page } = surface;
  await page.getByTestId('from-service').click();
  await ask(surface, address(PASSWORD));
  await expect(page.getByTestId('would-come')).toContainText('would come');
  // It is gone from where it was typed.
  await expect(page.getByTestId('service-address').locator('input')).toHaveValue(address());
  await page.getByTestId('fetch').click();
  await expect(surface.stack.getByRole('heading', { level: 1 })).toHaveText('moorings 2');
  const state = await (await fetch(`${server.url}api/workspace`)).text();
  expect(state).not.toContain(PASSWORD);
  const jobs = await (await fetch(`${server.url}api/jobs`)).text();
  expect(jobs).not.toContain(PASSWORD);
  const files = readdirSync(server.data, { recursive: true, encoding: 'utf8' }).map((name) => join(server.data, name));
  const holding = files.filter((file) => statSync(file).isFile() && readFileSync(file).includes(PASSWORD));
  expect(holding.length).toBeGreaterThan(0);
  expect(holding.every((file) => /\.db(-wal|-shm)?$|\.sqlite/.test(file))).toBe(true);
});

test('several tables come together, each as it was chosen', async ({ surface }) => {
  const { page } = surface;
  await page.getByTestId('from-service').click();
  await ask(surface, cluster.address);
  const tables = page.getByRole('list', { name: 'Tables' }).getByRole('listitem');
  const fetch = page.getByTestId('fetch');
  await tables.filter({ hasText: 'moorings' }).getByTestId('take').check();
  await page.getByTestId('fetch-name').locator('input').fill('Deep moorings');
  const condition = page.getByTestId('service-condition').locator('.cm-content');
  await condition.fill('depth > 300');
  const would = page.getByTestId('would-come');
  const deep = (await cluster.sql('select count(*) from moorings where depth > 300')).trim();
  await expect(would).toContainText(`${deep} of `);
  // Nothing of it is lost while another is looked at.
  await tables.filter({ hasText: 'lamps' }).getByTestId('take').check();
  await expect(tables.filter({ hasText: 'moorings' })).toContainText(`${deep} features`);
  await expect(would).toHaveText('37 features would come, all there are');
  await expect(fetch).toHaveText('Bring in 2 tables');
  await condition.fill('no >');
  await expect(fetch).toBeDisabled();
  await condition.fill('no > 30');
  await expect(would).toContainText('7 of 37');
  await tables.filter({ hasText: 'moorings' }).getByRole('button').click();
  await expect(condition).toHaveText('depth > 300');
  await expect(tables.filter({ hasText: 'lamps' })).toContainText('7 features');
  await fetch.click();
  await surface.open('Deep moorings');
  await expect(surface.kept).toHaveText(deep);
  await surface.open('wharf_lamps');
  await expect(surface.kept).toHaveText('7');
});

test('from the shell the same rows are kept as the database says', async () => {
  const answer = execFileSync(
    join(import.meta.dirname, '../../clean-sieve'),
    ['sift', `${cluster.address}&table=moorings`, '--where', "depth >= 100.5 AND CASEI(kind) = 'stone'"],
    {
      encoding: 'utf8',
    },
  );
  const kept = Number(await cluster.sql('select count(*) from moorings where depth::float8 >= 100.5'));
  expect(JSON.parse(answer)).toMatchObject({ kept, fetched: kept, pushed: 'depth >= 100.5', here: "CASEI(kind) = 'stone'" });
});
