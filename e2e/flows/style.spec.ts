import { execFileSync } from 'node:child_process';
import type { Page } from '@playwright/test';
import { expect, test } from '../support/surface.ts';
import { countOf, shown, trees } from '../support/demo_data.ts';

async function colourBy(page: Page, column: string): Promise<void> {
  if ((await page.getByTestId('style-panel').count()) === 0) await page.getByTestId('style').click();
  await page.getByRole('combobox', { name: 'Colour by' }).fill(column);
  await page.getByRole('option', { name: column, exact: true }).click();
}
/** What the legend says: each class with its count. */
const legend = async (page: Page) =>
  Promise.all(
    (await page.getByTestId('class').all()).map(async (row) => [
      await row.locator('.label').innerText(),
      Number((await row.locator('.count').innerText()).replaceAll(',', '')),
    ]),
  );
/** All counts of the legend together; they come after the labels. */
const total = (page: Page) => expect.poll(async () => (await legend(page)).reduce((all, [, count]) => all + Number(count), 0));

test('coloured by a column, the legend tells what is kept of each class; a class is hidden, shown alone, becomes a condition', async ({
  surface,
}) => {
  const { page } = surface;
  await surface.newSieve();
  await colourBy(page, 'Owner');
  const owners = (...more: string[]) => countOf((p) => (p.owner ?? '') === more[0]);
  await expect(page.getByTestId('class').first()).toContainText('M1 · Town');
  await expect(page.getByTestId('class').first()).toContainText(owners('M1'));
  await total(page).toBe(trees.length);
  // The counts follow the conditions.
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await surface.write('storm_risk > 60');
  const risky = (p: Record<string, unknown>) => typeof p.storm_risk === 'number' && p.storm_risk > 60;
  await expect(page.getByTestId('class').first()).toContainText(countOf((p) => risky(p) && p.owner === 'M1'));
  await total(page).toBe(trees.filter(({ properties }) => risky(properties)).length);

  const town = page.getByTestId('class').first();
  await town.getByRole('button', { name: /hide it on the map/ }).click();
  await expect(town).toHaveClass(/hidden/);
  await page.getByRole('tab', { name: 'Table' }).click();
  await page.keyboard.press('Control+z');
  await expect(town).not.toHaveClass(/hidden/);
  await town.hover();
  await page.getByRole('button', { name: 'Show only M1 · Town' }).click();
  await expect(page.locator('[data-test=class].hidden')).toHaveCount((await page.getByTestId('class').count()) - 1);
  await town.hover();
  await town.getByTestId('keep-class').click();
  await expect(surface.kept).toHaveText(countOf((p) => risky(p) && p.owner === 'M1'));
  expect(await surface.text()).toBe("storm_risk > 60 AND owner IN ('M1')");
});

test('a number in steps: by a method, by moving a bound, and kept after a reload', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Trees');
  await colourBy(page, 'Storm risk');
  await expect(page.getByTestId('class').first()).toContainText('below');
  await total(page).toBe(trees.length);
  await page.getByTestId('method').click();
  await page.getByRole('option', { name: 'equal intervals' }).click();
  const bound = page.getByTestId('bound').first();
  await expect(bound).toHaveAttribute('aria-valuetext', '20');
  const below = (n: number) => countOf((p) => typeof p.storm_risk === 'number' && p.storm_risk < n);
  await expect(page.getByTestId('class').first()).toContainText(below(20));
  await bound.focus();
  await page.keyboard.press('ArrowRight');
  await expect(page.getByTestId('method')).toContainText('own bounds');
  const moved = Number(await bound.getAttribute('aria-valuenow'));
  expect(moved).toBeGreaterThan(20);
  await expect(page.getByTestId('class').first()).toContainText(below(moved));
  await page.reload();
  await surface.open('Trees');
  await expect(page.getByTestId('class').first()).toContainText(below(moved));
  await expect(page.getByTestId('class').last()).toContainText(
    shown(trees.filter(({ properties: p }) => typeof p.storm_risk !== 'number').length),
  );
  // In one colour again, as the other flows find it.
  await colourBy(page, 'one colour');
  await expect(page.getByTestId('class')).toHaveCount(0);
});

test('what is written beside the features, how large and how opaque they are: kept with the sieve, and undone', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await page.getByTestId('style').click();
  const panel = page.getByTestId('style-panel');
  await page.getByRole('combobox', { name: 'Write beside each' }).fill('Tree id');
  await page.getByRole('option', { name: 'Tree id', exact: true }).click();
  await expect(panel).toContainText('400 of 24,000 in view; zoom in for more');
  const size = page.getByTestId('size');
  await size.focus();
  await page.keyboard.press('ArrowRight');
  await expect(size).toHaveValue('1.25');
  const stored = async () => {
    const { sieves } = (await (await page.request.get(`${surface.url}api/workspace`)).json()) as {
      sieves: { style: { size?: number } | null }[];
    };
    return sieves.map(({ style }) => style?.size);
  };
  await expect.poll(stored).toContain(1.25);
  await page.reload();
  const { sources } = (await (await page.request.get(`${surface.url}api/workspace`)).json()) as { sources: { id: number; name: string }[] };
  const { id } = sources.find(({ name }) => name === 'Trees')!;
  const tree = { kind: 'group', id: 'root', combine: 'all', children: [] };
  const answer = await page.request.post(`${surface.url}api/sources/${id}/labels`, {
    data: { tree, box: [-180, -90, 180, 90], column: 'tree_id' },
    headers: { origin: new URL(surface.url).origin },
  });
  const { labels, total } = (await answer.json()) as { labels: { lon: number; value: string }[]; total: number };
  expect([labels.length, total]).toEqual([400, 24_000]);
  const ids = new Map(trees.map(({ properties, geometry }) => [properties.tree_id, geometry]));
  for (const { lon, value } of labels) expect((ids.get(value) as { coordinates: number[] }).coordinates[0]).toBeCloseTo(lon, 9);
  await page.getByTestId('style').click();
  await expect(size).toHaveValue('1.25');
});

test('one run of colours and marks as large as a number, each with its key, also on the page; undone one by one', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await page.getByTestId('style').click();
  await page.getByRole('combobox', { name: 'Colour by' }).fill('Storm risk');
  await page.getByRole('option', { name: 'Storm risk', exact: true }).click();
  await expect(page.getByTestId('bound').first()).toBeVisible();
  await page.getByTestId('method').click();
  await page.getByRole('option', { name: 'one run of colours' }).click();
  await expect(page.getByTestId('run')).toHaveText('0100');
  await expect(page.getByTestId('bound')).toHaveCount(0);
  await page.getByRole('combobox', { name: 'Points as large as' }).fill('Girth');
  await page.getByRole('option', { name: 'Girth', exact: true }).click();
  await expect(page.getByTestId('sizes')).toContainText('500');
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await expect(page.locator('canvas[data-features=drawn]').first()).toBeVisible();
  await page.getByTestId('hand-over').click();
  const dialog = page.getByTestId('hand-over-dialog');
  await dialog.getByText('The map as a page').click();
  await expect(page.getByTestId('page-look')).toBeVisible();
  const download = page.waitForEvent('download');
  await page.getByTestId('make-page').click();
  const text = execFileSync('pdftotext', ['-layout', await (await download).path(), '-'], { encoding: 'utf8' });
  for (const said of ['– from 0', '– to 100', '– Girth cm: 100', '– blank']) expect(text).toContain(said);
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect(page.getByTestId('sizes')).toHaveCount(0);
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect(page.getByTestId('run')).toHaveCount(0);
});

test('lines as wide as a number, with their key; a source is drawn as ground, hidden there, and undone', async ({ surface }) => {
  const { page } = surface;
  const line = (y: number, load: number) => ({
    ...{ type: 'Feature', properties: { road: `Road ${y}`, load } },
    geometry: {
      type: 'LineString',
      coordinates: [
        [8, y],
        [8.2, y],
      ],
    },
  });
  const roads = { type: 'FeatureCollection', features: [line(47, 1000), line(47.05, 250), line(47.1, 20)] };
  await surface.bringIn('roads.geojson', JSON.stringify(roads));
  await expect(page.getByTestId('notice')).toContainText('roads: 3 features');
  await page.getByTestId('style').click();
  await page.getByRole('combobox', { name: 'Lines as wide as' }).fill('Load');
  await page.getByRole('option', { name: 'Load', exact: true }).click();
  const widths = page.getByTestId('sizes').locator('rect');
  await expect(widths).toHaveCount(3);
  expect(await widths.evaluateAll((all) => all.map((one) => one.getAttribute('height')))).toEqual(['12', '2.4', '1.2']);
  await page.getByRole('combobox', { name: 'Colour by' }).fill('Load');
  await page.getByRole('option', { name: 'Load', exact: true }).click();
  await page.getByText('each value').click();
  await expect(page.getByTestId('class')).toHaveCount(3);
  await page.getByText('steps', { exact: true }).click();
  await page.getByTestId('patterned').check();
  await expect(page.getByTestId('patterned')).toBeChecked();
  await page.getByTestId('style-panel').getByRole('button', { name: 'Close' }).click();

  await surface.more('roads');
  await page.getByText('Draw it as ground, below all others').click();
  await surface.open('Trees');
  await page.getByRole('button', { name: 'What is drawn below' }).click();
  const own = page.getByRole('checkbox', { name: 'roads' });
  await expect(own).toBeChecked();
  await expect(page.getByRole('checkbox', { name: 'Rivers and lakes' })).toBeChecked();
  await own.uncheck();
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+z');
  await surface.more('roads');
  await expect(page.getByText('Draw it as ground, below all others')).toBeVisible();
});
