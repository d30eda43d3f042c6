import { expect, test } from '../support/surface.ts';

const collection = (count: number) =>
  JSON.stringify({
    type: 'FeatureCollection',
    features: Array.from({ length: count }, (_, i) => ({
      type: 'Feature',
      // Off the island's coast, where no other flow looks, and where the map begins.
      geometry: { type: 'Point', coordinates: [-12.2 + i / 10_000, 46.53] },
      properties: { births: 248 + i, seat: i % 3 === 0 ? null : `t${i % 7}` },
    })),
  });

test('a condition that every feature fulfils keeps every feature, however many there are', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('counties.geojson', collection(100));
  await expect(surface.kept).toHaveText('100');
  await surface.more('counties');
  await page.getByText('New sieve').click();
  await surface.write('births >= 248');
  await expect(surface.kept).toHaveText('100');
  await surface.write('births <> 249');
  await expect(surface.kept).toHaveText('99');
  await surface.write("births > 1000 OR seat = 't1'");
  await expect(surface.kept).toHaveText('10');
  const { text } = await surface.handOver(/^CSV/, 'ten');
  expect(text.trim().split('\n')).toHaveLength(11);
});

test('two layers of one name are told apart, and both can be sifted', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('twins.geojson', collection(31));
  await expect(page.getByTestId('notice')).toContainText('twins: 31 features brought in');
  await surface.bringIn('twins.geojson', collection(33));
  await expect(surface.kept).toHaveText('33');
  await expect(surface.list.getByRole('button', { name: 'twins 2', exact: true })).toBeVisible();
  await surface.more('twins 2');
  await page.getByText('New sieve').click();
  await surface.write("S_DWITHIN(geometry, SOURCE('twins'), 1, 'm')");
  await expect(surface.kept).toHaveText('31');
});

test('a number begins with “or more”, so that a newer version loses nothing', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.addColumn('storm');
  await expect(page.getByTestId('test')).toContainText('or more');
  await surface.done();
  expect(await surface.text()).toMatch(/^storm_risk >= \d+$/);
});

test('a typed box says its order before it is used, and where it lies', async ({ surface }) => {
  const { page } = surface;
  await page.getByRole('button', { name: '+ New area' }).click();
  const sheet = page.getByTestId('area-sheet');
  await sheet.getByTestId('area-name').locator('input').fill('Typed box');
  await sheet.getByTestId('area-shape').locator('textarea').first().fill('-12.1,46.5,-12.0,46.6');
  await expect(sheet.getByTestId('area-order')).toContainText('Four numbers can be a box in two orders');
  await expect(sheet.getByTestId('area-add')).toBeDisabled();
  await sheet.getByRole('button', { name: 'west, south, east, north' }).click();
  await expect(sheet.getByTestId('area-size')).toContainText('about 46.5500° N 12.0500° W');
  await expect(sheet.getByTestId('area-preview').locator('canvas')).toBeVisible();
  await sheet.getByTestId('area-add').click();
  await expect(page.getByRole('button', { name: 'Typed box', exact: true })).toBeVisible();
});

test('years can be taken away to the last one, and chosen anew', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.addColumn('inspected');
  await surface.chooseTest('in the years');
  const years = page.getByTestId('parts');
  await years.locator('[aria-pressed=true]').first().click();
  await expect(years.locator('[aria-pressed=true]')).toHaveCount(0);
  await expect(page.getByText('Choose at least one')).toBeVisible();
  await years.getByRole('button', { name: '2022' }).click();
  await years.getByRole('button', { name: '2023' }).click();
  await expect(years.locator('[aria-pressed=true]')).toHaveCount(2);
  await surface.done();
  expect(await surface.text()).toContain('IN (2022, 2023)');
});

test('a condition that cannot be sifted is told in the stack', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await page.route('**/sift', (route) => route.fulfill({ status: 400, json: { error: 'It is not to be' } }));
  await surface.addColumn('storm');
  await expect(page.getByTestId('sift-problem')).toContainText('Cannot be sifted: It is not to be');
  await expect(surface.kept).toHaveText('?');
});
