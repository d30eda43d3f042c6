// Writes the pictures in docs/screenshots from a fresh demo workspace. Run after ./check has built everything.
import { execFileSync, spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { chromium } from 'playwright-core';

const top = resolve(import.meta.dirname, '..');
const data = mkdtempSync(join(tmpdir(), 'clean-sieve-pictures-'));
const server = spawn(process.execPath, ['--no-warnings', join(top, 'packages/server/dist/main.mjs'), '--port', '0', '--data', data]);
const url = await new Promise((done) =>
  server.stdout.on('data', (chunk) => {
    const found = /http:\/\/127\.0\.0\.1:\d+\//.exec(String(chunk))?.[0];
    if (found) done(found);
  }),
);
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const settle = (millis = 900) => page.waitForTimeout(millis);
const shoot = async (name) => {
  await page.mouse.move(900, 790);
  await settle();
  await page.screenshot({ path: join(top, 'docs/screenshots', `${name}.png`) });
  console.log(name);
};
const byTest = (id) => page.locator(`[data-test="${id}"]`);

/** Another program's idea of a file from another office: wards and trees in metres, made of the demo data. */
const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-pictures-'));
for (const name of ['trees', 'wards'])
  writeFileSync(join(folder, `${name}.geojson`), gunzipSync(readFileSync(join(top, `demo/files/${name}.geojson.gz`))));
const office = join(folder, 'tree office.gpkg');
for (const name of ['trees', 'wards'])
  execFileSync('ogr2ogr', [
    ...(name === 'trees' ? [] : ['-update']),
    '-f',
    'GPKG',
    '-t_srs',
    'EPSG:32629',
    '-nln',
    name,
    office,
    join(folder, `${name}.geojson`),
  ]);
const trees = JSON.parse(readFileSync(join(folder, 'trees.geojson'), 'utf8'));
trees.features = trees.features.slice(40);
for (const feature of trees.features.slice(0, 300)) feature.properties.storm_risk = 95;
writeFileSync(join(folder, 'trees 2027.geojson'), JSON.stringify(trees));
const more = async (name) => {
  await page
    .locator('.entry')
    .filter({ has: page.getByRole('button', { name, exact: true }) })
    .hover();
  await page.getByRole('button', { name: `More for ${name}` }).click();
};

await page.goto(url);
await settle(2500);
await shoot('surface');
await byTest('from-service').click();
await byTest('use-simulated').click();
await byTest('would-come').waitFor();
await byTest('service-condition')
  .locator('.cm-content')
  .fill("severity >= 4 AND S_DWITHIN(geometry, POINT(-12.1 46.6), 3, 'km') AND kind < 'g'");
await byTest('decided').waitFor();
await settle(1500);
await shoot('service');
await byTest('service-dialog').getByRole('button', { name: 'Cancel' }).click();
await byTest('ask').click();
await byTest('figures').getByRole('button', { name: 'Close' }).click();
await page.getByText('Girth 250 cm or more').first().click();
await shoot('condition');
await page.getByRole('button', { name: 'Done' }).click();
await page.locator('[data-test=table] .row').first().click();
await shoot('why');
await page.getByRole('button', { name: 'Close the card' }).click();
await byTest('text-tab').click();
await shoot('text');
await page.getByRole('button', { name: 'Risky at the harbour front', exact: true }).click();
await page.getByText('In the drawn area').first().click();
await byTest('name-area').click();
await byTest('keep-name').locator('input').fill('Harbour front');
await byTest('keep-area').click();
await page.getByRole('button', { name: 'Done' }).click();
await page.getByRole('tab', { name: 'Table' }).click();
await page.getByRole('button', { name: 'Trees', exact: true }).click();
await byTest('add-condition').click();
await byTest('add-layer').click();
await byTest('distance').locator('input').fill('20');
await byTest('place').locator('input[type=text]').fill('dark');
await page.getByRole('option', { name: 'Sieve · Dark and narrow' }).click();
for (const column of ['count', 'ids', 'nearest']) await byTest(`show-${column}`).locator('input').check();
await settle(3000);
await shoot('near');
await page.getByRole('button', { name: 'Undo' }).click();
await page.getByRole('button', { name: 'Trees', exact: true }).click();
await page.getByRole('button', { name: 'Grid: pick its cells' }).click();
await byTest('grid-kind').click();
await page.getByRole('option', { name: 'Hexagons' }).click();
const map = await byTest('map').boundingBox();
for (const [dx, dy] of [
  [60, 20],
  [90, 20],
  [75, 50],
]) {
  await page.mouse.click(map.x + map.width / 2 + dx, map.y + map.height / 2 + dy);
  await settle(450);
}
await shoot('grid');
await page.getByRole('button', { name: 'Ask a feature' }).click();
await page.getByRole('button', { name: 'Risky at the harbour front', exact: true }).click();
await byTest('charts-tab').click();
await settle();
const chart = await byTest('chart-times').locator('.frame > svg').boundingBox();
await page.mouse.move(chart.x + 90, chart.y + 60);
await page.mouse.down();
await page.mouse.move(chart.x + 150, chart.y + 60, { steps: 5 });
await page.mouse.up();
await settle();
await shoot('charts');
await page.locator('.entry.sieve .open').first().click();
await byTest('maps-tab').click();
await byTest('maps-column').click();
await page.getByRole('option', { name: 'Owner', exact: true }).click();
await settle(2500);
await shoot('small-maps');
await byTest('style').click();
await page.getByRole('combobox', { name: 'Colour by' }).fill('Storm risk');
await page.getByRole('option', { name: 'Storm risk', exact: true }).click();
await byTest('charts-tab').click();
await byTest('add-chart').click();
await page.locator('.v-list-item', { hasText: 'Groups' }).click();
await byTest('chart-groups').getByRole('button', { name: 'Show it large' }).click();
await settle();
await shoot('style');
await page.getByRole('combobox', { name: 'Colour by' }).fill('one colour');
await page.getByRole('option', { name: 'one colour', exact: true }).click();
await page.getByRole('button', { name: 'Close', exact: true }).click();
await page.getByRole('tab', { name: 'Table' }).click();
await byTest('hand-over').click();
await settle(1500);
await shoot('hand-over');
await byTest('map-tab').click();
await settle(2500);
await shoot('page');
await page.keyboard.press('Escape');
await more('Veterans overdue');
await page.getByText('Publish as a feed').click();
await byTest('publish-live').click();
await byTest('feed').waitFor();
await shoot('feed');
await byTest('feed-off').click();
await page.getByText('It is not published').waitFor();
await byTest('feed-sheet').getByRole('button', { name: 'Close', exact: true }).click();
await byTest('file').setInputFiles(office);
await byTest('bring-in-dialog').waitFor();
await settle(1500);
await shoot('bring-in');
await page.getByRole('button', { name: 'Cancel' }).click();
await more('Trees');
await page.getByText('Columns and report').click();
await page.getByRole('button', { name: 'Girth number' }).click();
await shoot('columns');
await byTest('join-table').click();
await byTest('join-source').click();
await page.getByRole('option', { name: /^Inspections/ }).click();
await byTest('alike-case').click();
await byTest('join-several').waitFor();
await byTest('take-inspected_at').getByRole('checkbox').check();
await byTest('several-inspected_at').selectOption('the latest');
await byTest('take-hours').getByRole('checkbox').check();
await byTest('several-hours').selectOption('the sum');
await shoot('join');
await page.getByRole('button', { name: 'Close', exact: true }).click();
await more('Wards');
await page.getByText('Columns and report').click();
await byTest('sum-up').click();
await byTest('zoned-of').click();
await page.getByRole('option', { name: 'Trees · Veterans overdue' }).click();
await byTest('add-figure').click();
await byTest('figure-column').selectOption({ label: 'Residents' });
await byTest('zoned-keep').click();
await byTest('zoned').waitFor();
await byTest('source-sheet').getByRole('button', { name: 'Close', exact: true }).click();
await settle(2500);
await shoot('zones');
await page.locator('.entry.sieve .open').first().click();
await more('Trees');
const chooser = page.waitForEvent('filechooser');
await page.getByText('Bring in a newer version').click();
await (await chooser).setFiles(join(folder, 'trees 2027.geojson'));
await byTest('version-sheet').waitFor();
await shoot('version');
await byTest('drop-version').click();
await page.locator('.entry.sieve .open', { hasText: 'Bad and still open' }).click();
await byTest('ask-other').click();
await byTest('would-come').waitFor();
await page.locator('[data-test=service-condition] .cm-content').fill("severity >= 3 AND kind IN ('tree down', 'branch down')");
await byTest('decided').waitFor();
await settle(1500);
await byTest('fetch').click();
await page.locator('[data-test=live-line] li').first().waitFor();
await page.getByRole('button', { name: 'Dark colours' }).click();
await settle(1500);
await shoot('live');
await browser.close();
server.kill();
for (const path of [data, folder]) rmSync(path, { recursive: true, force: true });
