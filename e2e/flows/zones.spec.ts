import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import type { FeatureCollection, Polygon } from 'geojson';
import type { Page } from '@playwright/test';
import { shown, trees, treesFile } from '../support/demo_data.ts';
import { TOP } from '../support/own_server.ts';
import { expect, test } from '../support/surface.ts';

const wardsFile = gunzipSync(readFileSync(join(TOP, 'demo/files/wards.geojson.gz')));
const wards = (JSON.parse(wardsFile.toString()) as FeatureCollection<Polygon, { name: string; residents: number }>).features;

/** Whether a place lies in a ring, by the edges that a ray to the east crosses. */
function inRing([x, y]: number[], ring: number[][]): boolean {
  let inside = false;
  for (let i = 1; i < ring.length; i++) {
    const [[x1, y1], [x2, y2]] = [ring[i - 1], ring[i]];
    if (y1 > y !== y2 > y && x < x1 + ((y - y1) / (y2 - y1)) * (x2 - x1)) inside = !inside;
  }
  return inside;
}
const wardOf = new Map(
  trees.map((tree) => [tree, wards.findIndex(({ geometry }) => inRing(tree.geometry.coordinates, geometry.coordinates[0]))]),
);
/** Trees of at least so high a risk in each ward. */
const risky = (risk: number): number[] =>
  wards.map((_, ward) => trees.filter((tree) => wardOf.get(tree) === ward && Number(tree.properties.storm_risk ?? -1) >= risk).length);
interface NoteColumn {
  name: string;
  title: string | null;
  unit: string;
}
async function spreadOver(page: Page, what: string): Promise<void> {
  await page.getByTestId('spread-by').locator('input').fill(what);
  await page.getByRole('option', { name: what, exact: true }).click();
  await expect(page.getByTestId('spread-values')).toBeVisible();
}
const atLeast = (numbers: number[], least: number) => shown(numbers.filter((number) => number >= least).length);

test('trees are summed up by wards: every one accounted for, drawn and sifted by, and the figures follow the sieve', async ({
  surface,
}) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write('storm_risk >= 60');
  await expect(surface.kept).toHaveText(shown(risky(60).reduce((sum, one) => sum + one, 0)));
  await surface.rename('Stormy');

  const sheet = await surface.openSheet('Wards');
  await page.getByTestId('sum-up').click();
  await page.getByTestId('zoned-of').click();
  await page.getByRole('option', { name: 'Trees · Stormy' }).click();
  const all = risky(60).reduce((sum, one) => sum + one, 0);
  await expect(page.getByTestId('zone-account')).toHaveText(`${shown(all)} features: ${shown(all)} inside, 0 outside every zone.`);
  await page.getByTestId('add-figure').click();
  await page.getByTestId('figure-column').selectOption({ label: 'Residents' });
  await expect(page.getByTestId('figure-name').nth(1)).toHaveValue('stormy_per_1000_residents');
  await page.getByTestId('zoned-keep').click();
  await expect(page.getByTestId('zoned')).toContainText('The number of Stormy of Trees in each zone; it follows them.');
  await sheet.getByRole('button', { name: 'Close' }).click();
  // The map is drawn by the first figure, whose classes the legend counts.
  await expect(page.getByTestId('legend')).toContainText('Stormy');

  await surface.more('Wards');
  await page.getByText('New sieve').click();
  const middle = risky(60).toSorted((a, b) => a - b)[7];
  await surface.write(`stormy >= ${middle}`);
  await expect(surface.kept).toHaveText(atLeast(risky(60), middle));
  await surface.write('stormy_per_1000_residents >= 40');
  const rates = risky(60).map((one, ward) => (one / wards[ward].properties.residents) * 1000);
  await expect(surface.kept).toHaveText(atLeast(rates, 40));
  await surface.write(`stormy >= ${middle}`);
  await surface.rename('Stormy wards');

  // Other conditions of the sieve, other figures.
  await surface.open('Stormy');
  await surface.write('storm_risk >= 55');
  await expect(surface.kept).toHaveText(shown(risky(55).reduce((sum, one) => sum + one, 0)));
  await surface.open('Stormy wards');
  await expect(surface.kept).toHaveText(atLeast(risky(55), middle));

  // What figures are of stays.
  await surface.more('Stormy');
  await page.locator('.v-list-item', { hasText: /^Remove$/ }).click();
  await expect(page.getByTestId('notice')).toContainText('The sieve is needed by columns: stormy of Wards');
});

test('each figure once for every value of a column, shown as its meaning, and all others in one', async ({ surface }) => {
  const { page } = surface;
  const sheet = await surface.openSheet('Wards');
  await page.getByTestId('sum-up').click();
  await page.getByTestId('zoned-of').click();
  await page.getByRole('option', { name: /^Trees \(/ }).click();
  await page.getByTestId('figure-name').fill('by_kind');
  await spreadOver(page, 'value of Species');
  await page.getByRole('button', { name: 'none', exact: true }).click();
  const named = new Set(['0101', '0142']);
  for (const kind of ['Pedunculate oak', 'Sycamore']) await page.getByTestId('spread-values').getByText(kind).click();
  const left = trees.filter(({ properties }) => !named.has(String(properties.species))).length;
  await expect(page.getByText('all others in one column')).toContainText(`${shown(left)} features now`);
  await page.getByTestId('spread-others').check();
  await expect(page.getByTestId('spread-many')).toContainText('3 columns: by_kind_0101, by_kind_0142, by_kind_others');
  await page.getByTestId('zoned-keep').click();
  await expect(page.getByTestId('zoned')).toContainText('in each zone; it follows them');
  await expect(sheet.locator('.names')).toContainText('By kind, Pedunculate oak');
  await sheet.getByRole('button', { name: 'Close' }).click();
  await surface.newSieveOf('Wards', shown(wards.length));
  const of = (test: (species: string) => boolean) =>
    wards.map((_, ward) => trees.filter((tree) => wardOf.get(tree) === ward && test(String(tree.properties.species))).length);
  const oaks = of((species) => species === '0101');
  const middle = oaks.toSorted((a, b) => a - b)[7];
  await surface.write(`by_kind_0101 >= ${middle}`);
  await expect(surface.kept).toHaveText(atLeast(oaks, middle));
  const others = of((species) => !named.has(species));
  const most = Math.max(...others);
  await surface.write(`by_kind_others >= ${most}`);
  await expect(surface.kept).toHaveText(atLeast(others, most));
});

test('a tree has the name of its ward and how far the nearest path is, by place', async ({ surface }) => {
  const { page } = surface;
  const take = async (source: RegExp, way: string, column: string) => {
    const sheet = await surface.openSheet('Trees');
    await page.getByTestId('join-table').click();
    await page.getByTestId('join-source').click();
    await page.getByRole('option', { name: source }).click();
    await page.getByTestId('join-by').click();
    await page.getByRole('option', { name: way }).click();
    await expect(page.getByTestId('placed-report')).toContainText('24,000 of 24,000 features');
    await page.getByTestId(column).getByRole('checkbox').check();
    await page.getByTestId('join-keep').click();
    await expect(page.getByTestId('placed')).toContainText('it follows newer versions of');
    await sheet.getByRole('button', { name: 'Close' }).click();
  };
  await take(/^Wards/, 'is the zone that a feature lies in', 'take-name');
  await take(/^Paths/, 'is the nearest', 'take-rows');
  await surface.newSieve();
  await surface.write(`name = '${wards[0].properties.name}'`);
  await expect(surface.kept).toHaveText(shown(trees.filter((tree) => wardOf.get(tree) === 0).length));
  // The distance is that by which conditions go.
  await surface.write("S_DWITHIN(geometry, SOURCE('Paths'), 20, 'm')");
  await expect(surface.kept).not.toHaveText('24,000');
  await surface.write(
    "paths_m <= 20 AND S_DWITHIN(geometry, SOURCE('Paths'), 20, 'm') OR paths_m > 20 AND NOT S_DWITHIN(geometry, SOURCE('Paths'), 20, 'm')",
  );
  await expect(surface.kept).toHaveText('24,000');
});

test('what is handed over tells how its figures came to be, and is made again from the shell', async ({ surface }) => {
  const { page } = surface;
  const sheet = await surface.openSheet('Wards');
  await page.getByTestId('sum-up').click();
  await page.getByTestId('zoned-of').click();
  await page.getByRole('option', { name: 'Trees · Veterans overdue' }).click();
  await page.getByTestId('add-figure').click();
  await page.getByTestId('figure-kind').nth(1).selectOption('the mean of');
  await page.getByTestId('figure-titles').click();
  await page.getByTestId('figure-title').nth(1).fill('Mean girth');
  await expect(page.getByTestId('figure-measure').nth(1)).toHaveValue('cm');
  await spreadOver(page, 'year of Last inspected');
  await page.getByTestId('zoned-keep').click();
  await expect(page.getByTestId('zoned')).toBeVisible();
  await sheet.getByRole('button', { name: 'Close' }).click();
  await page.getByTestId('hand-over').click();
  const dialog = page.getByTestId('hand-over-dialog');
  await dialog.getByRole('radio', { name: /^GeoJSON \.geojson/ }).check();
  await dialog.getByTestId('extract-name').locator('input').fill('Wards summed up');
  const [download] = await Promise.all([page.waitForEvent('download'), dialog.getByTestId('run').click()]);
  expect(download.suggestedFilename()).toMatch(/^Wards summed up/);
  await page.getByTestId('hand-over').click();
  await page.getByTestId('history-tab').click();
  const past = page.getByTestId('past-extract').filter({ hasText: 'Wards summed up' });
  const [told] = await Promise.all([page.waitForEvent('download'), past.getByRole('link', { name: 'note as JSON' }).click()]);
  const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-zones-'));
  const at = (name: string) => join(folder, name);
  await told.saveAs(at('wards.note.json'));
  const { layers } = JSON.parse(readFileSync(at('wards.note.json'), 'utf8')) as { layers: { columns: NoteColumn[] }[] };
  const documented = layers[0].columns.find(({ title }) => title === 'Mean girth, 2019');
  expect(documented).toMatchObject({ name: 'veterans_overdue_girth_cm_mean_2019', unit: 'cm' });
  for (const [name, content] of Object.entries({ 'trees.geojson': treesFile, 'wards.geojson': wardsFile }))
    writeFileSync(at(name), content);
  const files = ['inspections.csv', 'paths.geojson', 'surge_zones.geojson'];
  for (const name of files) writeFileSync(at(name), gunzipSync(readFileSync(join(TOP, `demo/files/${name}.gz`))));
  const paths = ['trees.geojson', 'wards.geojson', ...files].map(at);
  const run = spawnSync(join(TOP, 'clean-sieve'), ['run', at('wards.note.json'), ...paths], { encoding: 'utf8' });
  expect(run.stderr).toBe('');
  expect(JSON.parse(run.stdout)).toMatchObject({ identical: true, differences: [] });
});

test('what cannot be summed up or joined is refused in words, and nothing is left of it', async ({ surface }) => {
  await surface.openSheet('Wards');
  const read = async () =>
    (await (await fetch(`${surface.url}api/workspace`)).json()) as {
      sources: { id: number; name: string; columns: { name: string }[] }[];
      sieves: { id: number; sourceId: number; name: string | null }[];
    };
  const { sources, sieves } = await read();
  const of = (name: string) => sources.find((one) => one.name === name)!;
  const [zones, features] = [of('Wards'), of('Trees')];
  const send = async (method: string, path: string, body: object) => {
    const answer = await fetch(`${surface.url}api/${path}`, { method, body: JSON.stringify(body) });
    const said = (await answer.json()) as { id: string; error?: string };
    if (!answer.ok) return `${answer.status} ${said.error}`;
    if (!/zoned|joins|placed/.test(path)) return 'done';
    for (;;) {
      const job = (await (await fetch(`${surface.url}api/jobs/${said.id}`)).json()) as { state: string; error: string | null };
      if (job.state !== 'running') return job.error ?? job.state;
    }
  };
  const count = { kind: 'count', column: null, weight: null, unit: null, several: 'each' };
  const sumUp = (name: string, figure: object, more: object = {}, sieve: number | null = null) =>
    send('POST', `sources/${zones.id}/zoned`, { features: { source: features.id, sieve }, figures: [{ name, figure }], ...more });
  expect(await sumUp('residents', count)).toBe('400 There is a column residents already; choose another name');
  expect(await sumUp('n', { ...count, kind: 'sum', column: 'species' })).toMatch(/^400 species holds no numbers/);
  expect(await sumUp('n', { ...count, kind: 'area', unit: 'toString' })).toMatch(/^400 toString is no unit of area/);
  const unnamed = sieves.find(({ sourceId, name }) => sourceId === features.id && name === null)!;
  expect(await sumUp('n', count, {}, unnamed.id)).toBe('400 Give the sieve a name first');
  // What is computed of the figures is made with them, or none of them is.
  const wrong = { computed: [{ name: 'rate', expr: { op: '/', args: [{ property: 'n' }, { property: 'name' }] }, unit: null }] };
  expect(await sumUp('n', count, wrong)).toMatch(/^400 Each side of \/ must be a number/);
  const rate = { computed: [{ name: 'rate', expr: { op: '/', args: [{ property: 'n' }, { property: 'residents' }] }, unit: null }] };
  expect(await sumUp('n', count, rate)).toBe('done');
  const named = sieves.find(({ sourceId, name }) => sourceId === features.id && name === 'Not the town’s trees')!;
  expect(await sumUp('m', count, {}, named.id)).toBe('done');
  expect(await send('PATCH', `sieves/${named.id}`, { name: null })).toMatch(
    /^400 The sieve needs its name: it is used by columns: m of Wards/,
  );
  // A column that others are figures of cannot be made of them.
  const place = { table: zones.id, by: 'within', most: null, columns: [{ column: 'm', name: 'of_ward' }] };
  expect(await send('POST', `sources/${features.id}/placed`, place)).toBe('done');
  const { id } = of('Trees');
  const remove = await fetch(`${surface.url}api/sources/${zones.id}/columns/m`, { method: 'DELETE' });
  expect(((await remove.json()) as { error: string }).error).toBe('The column is used by columns: of_ward of Trees; remove them first');
  const summed = { ...count, kind: 'mean', column: 'of_ward' };
  expect(await sumUp('again', summed, {}, named.id)).toBe('done');
  const pairs = [{ own: 'ward', other: 'wrd' }];
  const like = { spaces: false, case: false, accents: false, zeros: false };
  const join = { table: id, pairs, like, columns: [{ column: 'species', name: 'kind', several: 'first' }] };
  expect(await send('POST', `sources/${zones.id}/joins`, join)).toBe('400 Trees has no column wrd');
  expect(await send('POST', `sources/${zones.id}/joins`, { ...join, table: zones.id })).toBe('400 Wards cannot be joined to itself');
  const names = (await read()).sources.find(({ name }) => name === 'Wards')!.columns.map(({ name }) => name);
  expect(names).toEqual(expect.arrayContaining(['n', 'rate', 'm', 'again']));
  expect(names).not.toContain('kind');
});
