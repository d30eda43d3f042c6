import { readFileSync } from 'node:fs';
import { expect, test } from '../support/surface.ts';

const feature = (
  properties: Record<string, unknown>,
  ring: number[][] = [
    [8, 47],
    [8.1, 47],
    [8.1, 47.1],
    [8, 47],
  ],
) => ({
  type: 'Feature',
  geometry: { type: 'Polygon', coordinates: [ring] },
  properties,
});
const collection = (features: unknown[]) => JSON.stringify({ type: 'FeatureCollection', features });
const bow = [
  [9, 47],
  [9.2, 47.2],
  [9.2, 47],
  [9, 47.2],
  [9, 47],
];

test('numbers that arrived as text become a typed column beside it, which sieves like any other', async ({ surface }) => {
  const { page } = surface;
  const rows = [
    ['184', '0101'],
    ['n/a', '0142'],
    ['95', '0101'],
    ['', '0077'],
  ];
  await surface.bringIn('girths.geojson', collection(rows.map(([girth, species]) => feature({ girth, species }))));
  await expect(page.getByTestId('notice')).toContainText('girths: 4 features');
  const sheet = await surface.openSheet('girths');
  const offer = sheet.getByTestId('offer').first();
  await expect(offer).toContainText('66.6 % of the texts can be read as numbers');
  await offer.getByRole('button', { name: '1 cannot' }).click();
  await expect(offer).toContainText('n/a');
  await offer.getByTestId('take-offer').click();
  await expect(sheet.getByRole('button', { name: /^Girth number/ })).toBeVisible();
  // Codes are offered with a warning.
  await sheet.getByRole('button', { name: /^Species/ }).click();
  await expect(sheet.getByTestId('offer').first()).toContainText('Leading zeros would be lost');
  await sheet.getByRole('button', { name: 'Close' }).click();
  await surface.addColumn('girth number');
  await surface.chooseTest('or more');
  await page.getByTestId('value').locator('input').fill('100');
  await surface.done();
  await expect(surface.kept).toHaveText('1');
  expect(await surface.text()).toBe('girth_number >= 100');
});

test('a code list gives codes their meaning in table, list and sentence', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('coded.geojson', collection(['0101', '0142', '0999'].map((species) => feature({ species }))));
  await expect(page.getByTestId('notice')).toContainText('coded: 3 features');
  const sheet = await surface.openSheet('coded');
  await sheet.getByRole('tab', { name: 'Code lists' }).click();
  const list = 'code,meaning\n0101,Pedunculate oak\n0142,Sycamore\n';
  await page.getByTestId('code-list-file').setInputFiles({ name: 'kinds.csv', mimeType: '', buffer: Buffer.from(list) });
  await page.getByTestId('add-list').click();
  await expect(page.getByTestId('code-lists')).toContainText('Pedunculate oak');
  await sheet.getByRole('tab', { name: 'Columns' }).click();
  await page.getByTestId('code-list').click();
  await page.getByRole('option', { name: /kinds/ }).first().click();
  await expect(sheet).toContainText('1 value is not in the list');
  await page.getByTestId('column-title').locator('input').fill('Kind of tree');
  await page.getByTestId('column-title').locator('input').press('Enter');
  await sheet.getByRole('button', { name: 'Make a condition of 0142' }).click();
  await expect(surface.kept).toHaveText('1');
  await expect(page.getByTestId('sentence')).toContainText('kind of tree is 0142 Sycamore');
  await expect(surface.table).toContainText('0142 · Sycamore');
});

test('invalid shapes are listed, repaired in a copy, and the original can be used again', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('bow.geojson', collection([feature({ n: 1 }, bow), feature({ n: 2 })]));
  await expect(page.getByTestId('notice')).toContainText('bow: 2 features');
  const sheet = await surface.openSheet('bow');
  await sheet.getByRole('tab', { name: 'Where it came from' }).click();
  await expect(sheet).toContainText('Self-intersection at 9.100000 47.100000');
  await page.getByTestId('measure').click();
  await expect(sheet).toContainText(/Area in all [\d,.]+/);
  const report = page.waitForEvent('download');
  await page.getByTestId('download-report').click();
  expect(readFileSync(await (await report).path(), 'utf8')).toContain('invalid,"Feature 1","Self-intersection');
  await page.getByTestId('repair').click();
  await expect(page.getByTestId('notice')).toContainText('1 shape repaired in a copy');
  await expect(sheet).toContainText('The repaired copy is in use');
  await page.getByTestId('use-original').click();
  await expect(page.getByTestId('repair')).toBeVisible();
});

test('a newer version is compared by a key before it takes the place, and the older one comes back', async ({ surface }) => {
  const { page } = surface;
  const rows = (from: number, to: number, risk: number) =>
    Array.from({ length: to - from }, (_, i) => feature({ tree: `T-${from + i}`, risk: i === 0 ? risk : 5 }));
  await surface.bringIn('stock.geojson', collection(rows(0, 20, 90)));
  await expect(page.getByTestId('notice')).toContainText('stock: 20 features');
  await surface.addColumn('risk');
  await surface.chooseTest('or more');
  await page.getByTestId('value').locator('input').fill('50');
  await surface.done();
  await expect(surface.kept).toHaveText('1');
  await surface.more('stock');
  const chooser = page.waitForEvent('filechooser');
  await page.getByText('Bring in a newer version').click();
  const newer = Buffer.from(collection([...rows(5, 20, 70), ...rows(20, 23, 80)]));
  await (await chooser).setFiles({ name: 'stock-2027.geojson', mimeType: '', buffer: newer });
  const sheet = page.getByTestId('version-sheet');
  await expect(sheet).toContainText('3 added');
  await expect(sheet).toContainText('5 gone');
  await expect(sheet).toContainText('1 changed');
  await expect(sheet).toContainText('14 the same');
  await page.getByTestId('accept-version').click();
  await expect(surface.kept).toHaveText('2');
  const source = await surface.openSheet('stock');
  await source.getByRole('tab', { name: 'Where it came from' }).click();
  await page.getByTestId('put-back').click();
  await expect(page.getByTestId('notice')).toContainText('stock now has 20 features');
  await source.getByRole('button', { name: 'Close' }).click();
  await expect(surface.kept).toHaveText('1');
});

test('a hidden column leaves the table and comes back; a value on the card becomes a condition', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('plain.geojson', collection([feature({ a: 'x', b: 'y' }), feature({ a: 'z', b: 'y' })]));
  await expect(surface.table.getByRole('columnheader', { name: 'B' })).toBeVisible();
  const sheet = await surface.openSheet('plain');
  await sheet.getByRole('button', { name: /^B text/ }).click();
  await page.getByTestId('column-hidden').getByRole('checkbox').check();
  await sheet.getByRole('button', { name: 'Close' }).click();
  await expect(surface.table.getByRole('columnheader', { name: 'B' })).toHaveCount(0);
  await surface.rowsAreThere();
  await surface.table.locator('.row').first().click();
  const card = page.getByTestId('card');
  await card.locator('dd').first().hover();
  await card.getByRole('button', { name: 'Make a condition of A' }).click();
  await expect(surface.kept).toHaveText('1');
});
