import { expect, test } from '../support/surface.ts';
import { countOf, shown, trees } from '../support/demo_data.ts';

const number = (value: unknown) => (typeof value === 'number' ? value : NaN);

test('the numbers at the rows tell what is left, what each alone keeps, and what is kept without it', async ({ surface }) => {
  const { stack } = surface;
  await surface.newSieve();
  await surface.write("storm_risk >= 80 AND condition = 'poor'");
  const risky = (p: Record<string, unknown>) => number(p.storm_risk) >= 80;
  const poor = (p: Record<string, unknown>) => p.condition === 'poor';
  const both = countOf((p) => risky(p) && poor(p));
  await expect(surface.kept).toHaveText(both);
  const numbers = stack.getByTestId('left');
  await expect(numbers).toHaveText([countOf(risky), both]);
  await stack.getByRole('radio', { name: 'alone' }).click();
  await expect(numbers).toHaveText([countOf(risky), countOf(poor)]);
  await stack.getByRole('radio', { name: 'without' }).click();
  await expect(numbers).toHaveText([countOf(poor), countOf(risky)]);
  await stack.getByRole('radio', { name: 'left' }).click();
});

test('an empty result says what empties it, and the nearest bound is one click away', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write("storm_risk > 500 AND condition = 'poor'");
  await expect(surface.kept).toHaveText('0');
  const why = page.getByTestId('empty-why');
  await expect(why).toContainText('storm risk above 500');
  const highest = Math.max(
    ...trees
      .filter(({ properties: p }) => p.condition === 'poor')
      .map(({ properties: p }) => number(p.storm_risk))
      .filter((v) => !Number.isNaN(v)),
  );
  await expect(why).toContainText('would keep');
  await why.getByTestId('nearest-bound').first().click();
  await expect(why).toBeHidden();
  // Just under the highest value there is: those that have it are kept.
  const kept = await surface.keptCount();
  expect(shown(kept)).toBe(countOf((p) => p.condition === 'poor' && number(p.storm_risk) === highest));
});

test('a curve shows how many are kept as a bound moves; a click on it moves the bound', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  await surface.write('storm_risk >= 80');
  await expect(surface.kept).toHaveText(countOf((p) => number(p.storm_risk) >= 80));
  await stack.locator('[data-row] .sentence').first().click();
  const curve = page.getByTestId('curve').getByRole('slider');
  await curve.hover({ position: { x: 30, y: 20 } });
  const said = (await page.getByTestId('curve').innerText()).split('\n')[0];
  const [at, kept] = /at ([\d.,]+)\D+([\d,]+)/.exec(said)!.slice(1);
  expect(kept).toBe(countOf((p) => number(p.storm_risk) >= Number(at)));
  await curve.click({ position: { x: 30, y: 20 } });
  await expect(surface.kept).toHaveText(kept);
});

test('a column of what is kept is summed up beside the whole source', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write("condition = 'very poor'");
  await expect(surface.kept).toHaveText(countOf((p) => p.condition === 'very poor'));
  await page.getByTestId('ask').click();
  const figures = page.getByTestId('figures');
  await figures.locator('.v-select').click();
  await page.getByRole('option', { name: 'Height', exact: true }).click();
  const heights = (of: typeof trees) => of.map(({ properties: p }) => number(p.height_m)).filter((h) => !Number.isNaN(h));
  const kept = heights(trees.filter(({ properties: p }) => p.condition === 'very poor'));
  const all = heights(trees);
  const row = (title: string) => figures.getByRole('row').filter({ hasText: title });
  await expect(row('largest')).toContainText(String(Math.max(...kept)));
  await expect(row('largest')).toContainText(String(Math.max(...all)));
  const mean = (values: number[]) => values.reduce((a, b) => a + b, 0) / values.length;
  await expect(row('mean')).toContainText(mean(kept).toFixed(1).replace(/\.0$/, ''));
});

test('a name that mentions a value that has gone is marked, and can follow the conditions', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  await surface.write('storm_risk >= 85');
  await expect(surface.kept).toHaveText(countOf((p) => number(p.storm_risk) >= 85));
  await stack.getByRole('button', { name: 'Rename the sieve' }).click();
  await stack.getByRole('textbox', { name: 'Name of the sieve' }).fill('Risk 85 and up');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('stale-name')).toBeHidden();
  await surface.write('storm_risk >= 70');
  await expect(page.getByTestId('stale-name')).toContainText('The name mentions 85');
  await page.getByRole('button', { name: 'let the conditions name it' }).click();
  await expect(stack.getByRole('heading', { level: 1 })).toHaveText('Storm risk 70 or more');
});

test('of several features at one place each can be seen, the kept ones first', async ({ surface }) => {
  const { page } = surface;
  const three = [0, 1, 2].map((n) => ({
    type: 'Feature',
    geometry: { type: 'Point', coordinates: [-30.1, 41.2] },
    properties: { unit: `U-${n}`, floor: n },
  }));
  const far = { type: 'Feature', geometry: { type: 'Point', coordinates: [-29.9, 41.4] }, properties: { unit: 'U-9', floor: 9 } };
  const low = { type: 'Feature', geometry: { type: 'Point', coordinates: [-30.3, 41] }, properties: { unit: 'U-8', floor: 8 } };
  await surface.bringIn('units.geojson', JSON.stringify({ type: 'FeatureCollection', features: [...three, far, low] }));
  await expect(page.getByTestId('notice')).toContainText('units: 5 features');
  await surface.addColumn('floor');
  await surface.chooseTest('or more');
  await page.getByTestId('value').locator('input').fill('1');
  await surface.done();
  await expect(surface.kept).toHaveText('4');
  await surface.clickMap(0, 0);
  const card = page.getByTestId('card');
  const name = card.locator('header b');
  await expect(card.getByTestId('there')).toContainText('1 of 3 here');
  // The one drawn last is on top, and of those that are sifted out none is before one that is kept.
  await expect(name).toHaveText('U-2');
  await card.getByRole('button', { name: 'The next one, at this place' }).click();
  await expect(name).toHaveText('U-1');
  await card.getByRole('button', { name: 'The next one, at this place' }).click();
  await expect(name).toHaveText('U-0');
  await expect(card).toContainText('sifted out');
  await card.getByRole('button', { name: 'The one before, at this place' }).click();
  await expect(card.getByTestId('there')).toContainText('2 of 3 here');
});

test('whatever is drawn answers a click: what stands out first, of that points before areas; a source is gone to from the card', async ({
  surface,
}) => {
  const { page } = surface;
  const at = (size: number) => [
    [9 - size, 46 - size],
    [9 + size, 46 - size],
    [9 + size, 46 + size],
    [9 - size, 46 + size],
    [9 - size, 46 - size],
  ];
  const feature = (geometry: object, properties: object) => ({ type: 'Feature', geometry, properties });
  const layer = (...features: object[]) => JSON.stringify({ type: 'FeatureCollection', features });
  const point = feature({ type: 'Point', coordinates: [9, 46] }, { post: 'Post 7', made: 1990, seen: 2020 });
  await surface.bringIn('posts.geojson', layer(point));
  await expect(page.getByTestId('notice')).toContainText('posts: 1 feature');
  await surface.addColumn('made');
  await surface.done();
  await expect(surface.kept).toHaveText('1');
  const square = feature({ type: 'Polygon', coordinates: [at(0.001)] }, { field: 'Long field', use: 'meadow' });
  await surface.bringIn('fields.geojson', layer(square));
  await expect(page.getByTestId('notice')).toContainText('fields: 1 feature');
  // The map leaves a little more room above what it shows.
  await surface.clickMap(0, 6);
  const card = page.getByTestId('card');
  await expect(card.locator('header b')).toHaveText('Post 7');
  await expect(card).toContainText('of posts');
  await expect(card.getByTestId('lying')).toHaveText([/Post 7\s*posts/, /Long field\s*fields/]);
  await card.getByTestId('lying').first().focus();
  await page.keyboard.press('ArrowDown');
  await expect(card.locator('header b')).toHaveText('Long field');
  await expect(card.getByTestId('lying').nth(1)).toBeFocused();
  await card.getByTestId('lying').first().click();
  await card.getByTestId('card-go').click();
  await expect(surface.stack.getByRole('heading', { level: 1 })).toHaveText('posts');
  await expect(card.locator('header b')).toHaveText('Post 7');
  await expect(card.getByTestId('card-pick')).toBeVisible();
  // In the background it comes after what is worked on.
  await surface.list.getByRole('button', { name: /^Hide Made .* on the map$/ }).click();
  await surface.open('fields');
  await surface.clickMap(0, 6);
  await expect(card.getByTestId('lying')).toHaveText([/Long field/, /Post 7/]);
  await surface.open('posts');
  // Hidden from the background, the field is not asked any more.
  await surface.list.locator('.entry').filter({ hasText: 'fields' }).hover();
  await surface.list.getByRole('button', { name: 'Hide fields from the context' }).click();
  await surface.clickMap(0, 6);
  await expect(card.getByTestId('there')).toHaveCount(0);
  await surface.clickMap(60, 60);
  await expect(card).toHaveCount(0);
});
