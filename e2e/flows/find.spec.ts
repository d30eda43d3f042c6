import { expect, test } from '../support/surface.ts';
import { countOf, trees } from '../support/demo_data.ts';

test('one search finds commands, sieves, columns, codes, features, cities and coordinates, by keyboard alone', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  const find = async (text: string) => {
    await page.keyboard.press('Control+k');
    await expect(page.getByTestId('find')).toBeFocused();
    await page.getByTestId('find').fill(text);
  };
  const found = page.getByTestId('found');
  await find('pedunculate');
  await expect(found.first()).toContainText('0101 · Pedunculate oak');
  await page.keyboard.press('Enter');
  await expect(surface.kept).toHaveText(countOf((p) => p.species === '0101'));

  const { tree_id: id } = trees[1000].properties;
  await find(String(id));
  await expect(found.first()).toContainText(String(id));
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('card')).toContainText(String(id));

  await find('reykjavik');
  await expect(found.first()).toContainText('Iceland');
  await page.keyboard.press('Enter');
  await expect.poll(async () => (await page.locator('.ol-scale-line-inner').innerText()).trim()).toMatch(/^(1|2|5) km$/);

  await find('mongolia');
  await expect(found.first()).toContainText('Mongolia');
  await page.keyboard.press('Enter');
  await expect.poll(async () => (await page.locator('.ol-scale-line-inner').innerText()).trim()).toMatch(/^(200|500|1000) km$/);

  await find('64.1466, -21.9426');
  await expect(found.first()).toContainText('show it on the map');
  await page.keyboard.press('Escape');
  await find('storm');
  await expect(found.filter({ hasText: 'a condition on it' })).toContainText('Storm risk');
  await find('show: charts');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('charts')).toBeVisible();
  await find('xyzzy nothing');
  await expect(page.getByTestId('find-dialog')).toContainText('Nothing has this name.');
  await page.keyboard.press('Escape');
});

test('the help is searched, and lists the keys', async ({ surface }) => {
  const { page } = surface;
  await page.getByTestId('map').focus();
  await page.keyboard.press('?');
  const help = page.getByTestId('help');
  await expect(help).toContainText('find anything');
  await help.getByTestId('help-search').fill('accenti');
  await expect(help.getByRole('article')).toContainText('ACCENTI');
  await help.getByTestId('help-search').fill('no section says this');
  await expect(help).toContainText('No section has these words.');
  await help.getByRole('button', { name: 'Close' }).click();
  await expect(help).toHaveCount(0);
});

test('what lies on both sides of the 180° meridian is framed closely', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('islands.csv', 'id,lon,lat\n1,179.5,52\n2,-179.4,51.5\n3,-178.9,51.8\n');
  await expect(surface.kept).toHaveText('3');
  await expect.poll(async () => (await page.locator('.ol-scale-line-inner').innerText()).trim()).toMatch(/^(10|20|50) km$/);
});

test('the world and the poles are drawn at equal areas, where a click finds what lies there; what is drawn by hand is drawn on the web map', async ({
  surface,
}) => {
  const { page } = surface;
  const post = (lon: number, lat: number) => ({
    ...{ type: 'Feature', properties: { post: `Post ${lon} ${lat}` } },
    geometry: { type: 'Point', coordinates: [lon, lat] },
  });
  const round = Array.from({ length: 12 }, (_, i) => post(30 * i - 180, 66));
  const posts = { type: 'FeatureCollection', features: [post(0, 90), ...round] };
  await surface.bringIn('polar posts.geojson', JSON.stringify(posts));
  await expect(page.getByTestId('notice')).toContainText('polar posts: 13 features');
  const map = page.getByTestId('map');
  await expect(map).toHaveAttribute('data-plane', /^north /);
  await expect(page.locator('canvas[data-features=drawn]').first()).toBeVisible();
  // The pole is in the middle of what the tools leave free.
  await surface.clickMap(0, 6);
  await expect(page.getByTestId('card').locator('header b')).toHaveText('Post 0 90');

  await page.getByRole('button', { name: 'Draw a rectangle' }).click();
  await expect(map).toHaveAttribute('data-plane', 'mercator');
  await page.getByRole('button', { name: 'Ask a feature' }).click();
  await page.getByRole('button', { name: 'Show all that is kept' }).click();
  await expect(map).toHaveAttribute('data-plane', /^north /);
  await page.getByRole('button', { name: 'What is drawn below' }).click();
  await page.getByRole('checkbox', { name: 'World and poles at equal areas' }).uncheck();
  await expect(map).toHaveAttribute('data-plane', 'mercator');
  await page.getByRole('checkbox', { name: 'World and poles at equal areas' }).check();
  await page.keyboard.press('Escape');
});
