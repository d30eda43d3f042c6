import { execFileSync } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { expect, test } from '../support/surface.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-picks-'));

/** Values of a column in the file that the open hand-over screen writes, as GDAL reads them. */
async function handedOver(page: Page, column: string): Promise<string[]> {
  const dialog = page.getByTestId('hand-over-dialog');
  await dialog.getByRole('radio', { name: /^GeoJSON \.geojson/ }).check();
  const [download] = await Promise.all([page.waitForEvent('download'), dialog.getByTestId('run').click()]);
  const path = join(folder, download.suggestedFilename());
  await download.saveAs(path);
  const csv = execFileSync('ogr2ogr', ['-f', 'CSV', '/vsistdout/', path, '-select', column], { encoding: 'utf8' });
  return csv.trim().split('\n').slice(1);
}

const picked = (page: Page) => page.getByTestId('picks');
const menu = async (page: Page, entry: string) => {
  await picked(page).click();
  await page.locator('.v-list-item', { hasText: entry }).click();
};

test('features are picked in the table and on the map, handed over, and become a condition', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Veterans overdue');
  await expect(surface.kept).toHaveText('921');
  await surface.rowsAreThere();
  await surface.table.getByTestId('pick').nth(1).click();
  await expect(picked(page)).toHaveText('1 picked');
  await surface.table
    .getByTestId('pick')
    .nth(3)
    .click({ modifiers: ['Shift'] });
  await expect(picked(page)).toHaveText('3 picked');
  const names = await surface.table.locator('.row').evaluateAll((rows) => rows.slice(1, 4).map((row) => row.children[1].textContent));
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect(picked(page)).toHaveText('1 picked');
  await page.getByRole('button', { name: /^Redo/ }).click();

  await menu(page, 'Hand them over');
  await expect(page.getByTestId('hand-over-dialog')).toContainText('3 of 24,000 features');
  expect(await handedOver(page, 'tree_id')).toEqual(names);

  await menu(page, 'Copy their rows');
  await expect(page.getByTestId('notice')).toContainText('3 rows on the clipboard');

  await menu(page, 'Sift them out');
  await expect(surface.kept).toHaveText('918');
  expect(await surface.text()).toContain(`tree_id NOT IN ('${names.join("', '")}')`);
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect(surface.kept).toHaveText('921');

  // The keyboard and the card pick too; the picks stay with their source.
  await surface.rowsAreThere();
  await surface.table.locator('.row').nth(5).click();
  await expect(page.getByTestId('card')).toBeVisible();
  await surface.table.press(' ');
  await expect(picked(page)).toHaveText('4 picked');
  await page.getByTestId('card-pick').click();
  await expect(picked(page)).toHaveText('3 picked');
  await surface.open('Dark and narrow');
  await expect(picked(page)).toHaveCount(0);
  await surface.open('Veterans overdue');
  await menu(page, 'Keep only them');
  await expect(surface.kept).toHaveText('3');
  await page.getByRole('button', { name: 'Show all that is kept' }).click();
  await page.getByRole('button', { name: /^Undo/ }).click();
  await menu(page, 'Clear the picks');
  await expect(picked(page)).toHaveCount(0);
});

test('a click on the map with a key held down picks; the only one picked is offered when handing over', async ({ surface }) => {
  const { page } = surface;
  const feature = (name: string, x: number) => ({
    type: 'Feature',
    properties: { name },
    geometry: { type: 'Point', coordinates: [x, 0] },
  });
  const features = [feature('west', -1), feature('middle', 0), feature('east', 1)];
  await surface.bringIn('three.geojson', JSON.stringify({ type: 'FeatureCollection', features }));
  await expect(page.getByTestId('table-state')).toContainText('3 rows');
  await surface.open('three');
  await page.getByRole('button', { name: 'Show all that is kept' }).click();
  const box = (await page.getByTestId('map').boundingBox())!;
  await expect(async () => {
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.keyboard.down('Control');
    await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2);
    await page.keyboard.up('Control');
    // A second click takes the pick back: the first one is waited for as long as a busy machine may take.
    await expect(picked(page)).toHaveText('1 picked', { timeout: 15_000 });
  }).toPass();
  await page.getByTestId('hand-over').click();
  await expect(page.getByTestId('hand-over-dialog')).toContainText('3 of 3 features');
  await page.getByTestId('only-picks').getByRole('checkbox').check();
  await expect(page.getByTestId('hand-over-dialog')).toContainText('1 of 3 features');
  expect(await handedOver(page, 'name')).toEqual(['middle']);
  // Every feature can be picked at once.
  await menu(page, 'Clear the picks');
  await page.getByTestId('pick-all').click();
  await expect(picked(page)).toHaveText('3 picked');
});

test('a condition names what was picked as it is, even where a spreadsheet would take it for a formula', async ({ surface }) => {
  const { page } = surface;
  const feature = (key: string) => ({ type: 'Feature', properties: { key }, geometry: null });
  const features = ['=A1', '-b', '@c', 'd'].map(feature);
  await surface.bringIn('keys.geojson', JSON.stringify({ type: 'FeatureCollection', features }));
  await expect(page.getByTestId('table-state')).toContainText('4 rows');
  await surface.rowsAreThere();
  await surface.table.getByTestId('pick').nth(0).click();
  await surface.table
    .getByTestId('pick')
    .nth(2)
    .click({ modifiers: ['Shift'] });
  await expect(picked(page)).toHaveText('3 picked');
  await menu(page, 'Keep only them');
  await expect(surface.kept).toHaveText('3');
  expect(await surface.text()).toBe("key IN ('=A1', '-b', '@c')");
});

test('what was added, is gone or has changed between two versions is handed over', async ({ surface }) => {
  const { page } = surface;
  const feature = (tree: string, risk: number) => ({
    type: 'Feature',
    properties: { tree, risk },
    geometry: { type: 'Point', coordinates: [8, 47] },
  });
  const file = (...features: object[]) => JSON.stringify({ type: 'FeatureCollection', features });
  await surface.bringIn('orchard.geojson', file(feature('A', 1), feature('B', 2), feature('C', 3)));
  await expect(page.getByTestId('notice')).toContainText('orchard: 3 features');
  await surface.more('orchard');
  const chooser = page.waitForEvent('filechooser');
  await page.getByText('Bring in a newer version').click();
  const newer = Buffer.from(file(feature('B', 7), feature('C', 3), feature('D', 4), feature('E', 5)));
  await (await chooser).setFiles({ name: 'orchard-2027.geojson', mimeType: '', buffer: newer });
  await expect(page.getByTestId('version-sheet')).toContainText('2 added');
  for (const [part, trees] of [
    ['added', ['D', 'E']],
    ['gone', ['A']],
    ['changed', ['B']],
  ] as const) {
    await page.getByTestId(`part-${part}`).click();
    const dialog = page.getByTestId('hand-over-dialog');
    await expect(dialog).toContainText(`${part === 'added' ? 'new' : part} in orchard-2027.geojson since orchard.geojson`);
    expect(await handedOver(page, 'tree')).toEqual(trees);
  }
  // Once the newer version is in use, the picks are still those of the versions that they were made in.
  await page.getByTestId('accept-version').click();
  await expect(page.getByTestId('notice')).toContainText('orchard now has 4 features');
  await page.getByTestId('hand-over').click();
  await page.getByTestId('history-tab').click();
  for (const part of ['added', 'gone', 'changed']) {
    const past = page
      .getByTestId('past-extract')
      .filter({ hasText: `orchard ${part}` })
      .last();
    await past.getByTestId('again').click();
    await expect(page.getByTestId('notice')).toContainText(`orchard ${part}: the same again, value by value.`);
  }
});

test('what is drawn can pick; figures of the picks stand beside the kept ones, and what is like them is kept', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await page.getByRole('button', { name: 'Draw a rectangle' }).click();
  await page.getByRole('radio', { name: 'picks what lies there' }).click();
  const [x, y] = await surface.onMap(-40, -30);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 60, y + 50, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByTestId('picks')).toContainText(/[1-9]\d* picked/);
  const many = (await page.getByTestId('picks').innerText()).replace(' picked', '');
  await expect(surface.stack.locator('[data-row]')).toHaveCount(0);
  await page.getByText('ask about a column').click();
  const figures = page.getByTestId('figures');
  await expect(figures.locator('th.picked')).toHaveText(`picked ${many}`);
  // A condition on the area of the same rectangle keeps as many.
  await page.getByTestId('picks').click();
  await page.getByText('Keep what meets them').click();
  await expect(surface.stack.locator('[data-row]')).toContainText(/Trees picked/);
  await expect(surface.kept).toHaveText(many);
  await page.keyboard.press('Escape');
  await page.getByTestId('picks').click();
  await page.getByTestId('alike').click();
  await page.getByText('Owner', { exact: true }).last().click();
  await expect(surface.stack.locator('[data-row]')).toHaveCount(2);
  await expect(surface.kept).toHaveText(many);
});
