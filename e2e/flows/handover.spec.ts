import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Download, Page } from '@playwright/test';
import { expect, test } from '../support/surface.ts';
import { trees, treesFile } from '../support/demo_data.ts';
import { TOP } from '../support/own_server.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-handover-'));
const kept = async (download: Download): Promise<string> => {
  const path = join(folder, download.suggestedFilename());
  await download.saveAs(path);
  return path;
};
const written = async (page: Page, work: () => Promise<unknown>): Promise<string> => {
  const [download] = await Promise.all([page.waitForEvent('download'), work()]);
  return kept(download);
};
/** Layers of a file with their counts and columns, as GDAL sees them. */
const gdal = (path: string) => {
  const text = execFileSync('ogrinfo', ['-ro', '-so', '-al', path], { encoding: 'utf8' });
  return text
    .split(/^Layer name: /m)
    .slice(1)
    .map((layer) => ({
      name: layer.split('\n')[0],
      count: Number(/Feature Count: (\d+)/.exec(layer)?.[1]),
      columns: [...layer.matchAll(/^(\w+): (String|Integer|Integer64|Real|Date|DateTime)/gm)].map(([, name]) => name),
    }));
};

test('columns chosen, named and ordered; codes with meanings; what a shapefile cannot hold is told before', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Veterans overdue');
  const count = await surface.keptCount();
  await page.getByTestId('hand-over').click();
  const dialog = page.getByTestId('hand-over-dialog');
  await expect(dialog).toContainText(`${count} of 24,000 features`);
  await expect(dialog).toContainText('Trees with girth 250 cm or more');
  await dialog.getByTestId('no-columns').click();
  for (const name of ['species', 'girth_cm', 'last_inspected']) await dialog.getByTestId(`column-${name}`).check();
  await dialog.getByTestId('codes-species').selectOption('both');
  await dialog.getByTestId('as-girth_cm').fill('girth');
  const heads = dialog.locator('thead th');
  await expect(heads).toHaveText(['species', 'species_meaning', 'girth', 'last_inspected', 'shape']);
  await dialog.getByRole('button', { name: 'Move girth_cm; with the arrow keys' }).press('ArrowUp');
  await dialog.getByRole('button', { name: 'Move girth_cm; with the arrow keys' }).press('ArrowUp');
  await expect(heads).toHaveText(['girth', 'species', 'species_meaning', 'last_inspected', 'shape']);
  await dialog.getByTestId('as-girth_cm').fill('species');
  await expect(dialog.getByTestId('preview-error')).toContainText('Two columns would be called species');
  await expect(dialog.getByTestId('run')).toBeDisabled();
  await dialog.getByTestId('as-girth_cm').fill('girth');
  // A table of cells is shown as it will be, and columns that come beside the chosen ones are counted.
  await dialog.getByRole('radio', { name: /^CSV/ }).check();
  await expect(heads).toHaveText(['girth', 'species', 'species_meaning', 'last_inspected', 'longitude', 'latitude']);
  await expect(dialog.getByTestId('column-count')).toHaveText(/3 of \d+ columns and 3 added/);
  await dialog.getByRole('radio', { name: /^Shapefile/ }).check();
  await expect(dialog.getByTestId('losses')).toContainText('last_inspected → last_inspe');
  await expect(dialog.getByTestId('file-name')).toHaveText('Veterans overdue.zip');
  const path = await written(page, () => dialog.getByTestId('run').click());
  const [layer] = gdal(`/vsizip/${path}/Veterans overdue.shp`);
  expect(layer).toEqual({ name: 'Veterans overdue', count, columns: ['girth', 'species', 'species_me', 'last_inspe'] });
});

test('a package of two layers, its note, made again here and from the shell, and deleted', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Veterans overdue');
  await page.getByTestId('hand-over').click();
  const dialog = page.getByTestId('hand-over-dialog');
  await dialog.getByRole('radio', { name: /^GeoPackage/ }).check();
  await dialog.getByTestId('shape').click();
  await page.getByRole('option', { name: 'widened by' }).click();
  await dialog.getByLabel('Distance in metres').fill('15');
  await dialog.getByTestId('add-layer').click();
  await page.locator('.v-list-item', { hasText: 'Dark and narrow' }).click();
  await dialog.getByTestId('extract-name').locator('input').fill('Crews');
  const path = await written(page, () => dialog.getByTestId('run').click());
  const layers = gdal(path);
  expect(layers.map(({ name }) => name)).toEqual(['Veterans overdue', 'Dark and narrow']);
  expect(layers[0].columns).toContain('girth_cm');

  await page.getByTestId('hand-over').click();
  await page.getByTestId('history-tab').click();
  const past = page.getByTestId('past-extract').filter({ hasText: 'Crews' });
  await expect(past).toHaveCount(1);
  const address = (await past.getByRole('link', { name: 'Crews.gpkg' }).getAttribute('href'))!;
  await past.getByTestId('again').click();
  await expect(past.getByTestId('again-says')).toHaveText('The same again as the one that it repeats');

  const note = await written(page, () => past.first().getByRole('link', { name: 'note as JSON' }).click());
  const told = JSON.parse(readFileSync(note, 'utf8')) as { layers: { kept: number; filter: string }[]; sources: { sha256: string }[] };
  expect(told.layers[0]).toMatchObject({ kept: layers[0].count, filter: expect.stringContaining('girth_cm >= 250') });
  expect(told.sources[0].sha256).toMatch(/^[0-9a-f]{64}$/);
  const [treesPath, pathsPath] = [join(folder, 'trees.geojson'), join(folder, 'paths.geojson')];
  writeFileSync(treesPath, treesFile);
  writeFileSync(pathsPath, execFileSync('gunzip', ['-c', join(TOP, 'demo/files/paths.geojson.gz')]));
  const run = (...args: string[]) => spawnSync(join(TOP, 'clean-sieve'), ['run', note, ...args], { encoding: 'utf8' });
  const same = run(treesPath, pathsPath, '--out', join(folder, 'again.gpkg'));
  expect(JSON.parse(same.stdout)).toMatchObject({ identical: true, differences: [], sources: [{ same: true }, { same: true }] });
  expect(gdal(join(folder, 'again.gpkg'))).toEqual(layers);
  expect(run(treesPath, pathsPath, '--out', join(folder, 'again.gpkg')).stderr).toContain('is there already');
  // A tree that stood among the kept ones is felled.
  const text = treesFile.toString();
  const felled = text.replace(/\{"type":"Feature"[^\n]*"girth_cm":3\d\d[^\n]*\n/, '');
  writeFileSync(treesPath, felled);
  const other = run(treesPath, pathsPath);
  expect(other.status).toBe(1);
  expect(other.stdout).toContain('"same":false');
  expect(run(pathsPath).stderr).toContain('The note needs trees.geojson for the source Trees');

  await past.first().getByTestId('delete-extract').click();
  await past.first().getByTestId('delete-extract').click();
  await expect(past).toHaveCount(1);
  expect((await page.request.get(new URL(address, page.url()).href)).status()).toBe(200);
  await past.getByTestId('delete-extract').click();
  await past.getByTestId('delete-extract').click();
  await expect(past).toHaveCount(0);
  expect((await page.request.get(new URL(address, page.url()).href)).status()).toBe(404);
});

test('files of several formats hold what is kept, and an empty result is said to be empty', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Trees');
  await surface.write('girth_cm >= 480');
  const count = trees.filter(({ properties }) => Number(properties.girth_cm) >= 480).length;
  await expect(surface.kept).toHaveText(String(count));
  for (const [name, file] of [
    ['GeoJSON', 'g.geojson'],
    ['CSV', 'g.csv'],
    ['KMZ', 'g.kmz'],
    ['Spreadsheet', 'g.xlsx'],
  ] as const) {
    await page.getByTestId('hand-over').click();
    const dialog = page.getByTestId('hand-over-dialog');
    await dialog.getByRole('radio', { name: new RegExp(`^${name} \\.`) }).check();
    await dialog.getByTestId('extract-name').locator('input').fill('g');
    const path = await written(page, () => dialog.getByTestId('run').click());
    expect(path.endsWith(file)).toBe(true);
    expect([file, gdal(path)[0].count]).toEqual([file, count]);
  }
  await surface.write('girth_cm >= 99999');
  await expect(surface.kept).toHaveText('0');
  await page.getByTestId('hand-over').click();
  await expect(page.getByTestId('hand-over-dialog')).toContainText('Nothing is kept');
});

test('the map as a page with everything on it, and as a picture of a chosen size', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Veterans overdue');
  const count = await surface.keptCount();
  await page.getByTestId('hand-over').click();
  await page.getByTestId('map-tab').click();
  await expect(page.getByTestId('page-look')).toBeVisible();
  await page.getByTestId('page-title').locator('input').fill('Crews – Zürich Ωψ Ж');
  await page.getByTestId('page-scale').locator('input').fill('80000');
  const path = await written(page, () => page.getByTestId('make-page').click());
  const text = execFileSync('pdftotext', ['-layout', path, '-'], { encoding: 'utf8' });
  for (const part of [
    'Crews – Zürich Ωψ Ж',
    'Trees with girth 250 cm or more',
    'Veterans overdue',
    `${count} of 24,000 features`,
    '1 : 80,000',
    'EPSG:3857',
    'as of 2026-11-24',
    'N',
  ])
    expect(text).toContain(part);
  expect(execFileSync('pdfinfo', [path], { encoding: 'utf8' })).toMatch(/Page size: +841\.89 x 595\.28/);
  await page.getByTestId('hand-over').click();
  await page.getByTestId('map-tab').click();
  await page.getByRole('radio', { name: /Picture/ }).check();
  await page.getByRole('spinbutton', { name: 'Width' }).fill('900');
  await page.getByRole('spinbutton', { name: 'Height' }).fill('500');
  const picture = readFileSync(await written(page, () => page.getByTestId('make-page').click()));
  expect([picture.readUInt32BE(16), picture.readUInt32BE(20)]).toEqual([900, 500]);
  // The area of a condition is drawn in its violet, which nothing else on the picture has.
  expect(await violetIn(page, picture)).toBe(0);
  await surface.open('Risky at the harbour front');
  await page.getByTestId('hand-over').click();
  await page.getByTestId('map-tab').click();
  await page.getByRole('radio', { name: /Picture/ }).check();
  const withArea = readFileSync(await written(page, () => page.getByTestId('make-page').click()));
  expect(await violetIn(page, withArea)).toBeGreaterThan(200);
});

/** Pixels of a PNG in the colour of areas. */
async function violetIn(page: Page, picture: Buffer): Promise<number> {
  return page.evaluate(async (base64) => {
    const image = new Image();
    image.src = `data:image/png;base64,${base64}`;
    await image.decode();
    const context = new OffscreenCanvas(image.width, image.height).getContext('2d')!;
    context.drawImage(image, 0, 0);
    const { data } = context.getImageData(0, 0, image.width, image.height);
    let count = 0;
    for (let i = 0; i < data.length; i += 4)
      if (Math.abs(data[i] - 0x64) < 12 && Math.abs(data[i + 1] - 0x47) < 12 && Math.abs(data[i + 2] - 0x9b) < 12) count++;
    return count;
  }, picture.toString('base64'));
}

test('rows, a feature, the sentence and the text on the clipboard', async ({ surface }) => {
  const { page } = surface;
  await page.context().grantPermissions(['clipboard-read', 'clipboard-write']);
  const clipboard = () => page.evaluate(() => navigator.clipboard.readText());
  await surface.open('Veterans overdue');
  const count = await surface.keptCount();
  await page.getByTestId('hand-over').click();
  const dialog = page.getByTestId('hand-over-dialog');
  await dialog.getByRole('radio', { name: /^Clipboard/ }).check();
  await dialog.getByTestId('no-columns').click();
  await dialog.getByTestId('column-species').check();
  await dialog.getByTestId('codes-species').selectOption('meaning');
  await dialog.getByTestId('as-species').fill('tree');
  await expect(dialog.locator('thead th').first()).toHaveText('tree');
  await dialog.getByTestId('run').click();
  await expect(page.getByTestId('notice')).toContainText(`${count} rows on the clipboard`);
  const lines = (await clipboard()).split('\n');
  expect(lines[0]).toBe('tree\tlongitude\tlatitude');
  expect(lines).toHaveLength(count + 1);
  expect(lines[1]).toMatch(/^[A-Z][a-z ]+\t-12\.\d+\t46\.\d+$/);
  await page.getByRole('button', { name: 'Copy the sentence' }).click();
  expect(await clipboard()).toContain('Trees with girth 250 cm or more');
  await page.getByTestId('text-tab').click();
  await page.getByRole('button', { name: 'Copy the text' }).click();
  expect(await clipboard()).toContain('girth_cm >= 250');
  await page.getByRole('tab', { name: 'Table' }).click();
  await surface.table.getByRole('row').nth(1).click();
  await page.getByTestId('card-copy').click();
  await page.getByText('Copy as GeoJSON').click();
  await expect(page.getByTestId('notice')).toContainText('as GeoJSON');
  expect(JSON.parse(await clipboard())).toMatchObject({ type: 'Feature', properties: { girth_cm: 300 } });
  await page.getByTestId('card-copy').click();
  await page.getByText('Copy its shape as WKT').click();
  await expect(page.getByTestId('notice')).toContainText('as WKT');
  expect(await clipboard()).toMatch(/^POINT\(-12\.\d+ 46\.\d+\)$/);
});
