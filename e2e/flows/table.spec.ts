import { expect, test, type Surface } from '../support/surface.ts';
import { trees } from '../support/demo_data.ts';

const heads = (surface: Surface) =>
  surface.table.locator('[data-column]').evaluateAll((all) => all.map((one) => (one as HTMLElement).dataset.column));

test('several sort columns, a pinned, a hidden and a moved column, a width and figures stay with the sieve', async ({ surface }) => {
  const { page, table } = surface;
  await surface.newSieve();
  await surface.rename('Owners by girth');
  const head = (name: string) => table.getByRole('columnheader', { name });
  await head('Owner').getByRole('button').first().click();
  await head('Girth cm')
    .getByRole('button')
    .first()
    .click({ modifiers: ['Shift'] });
  await head('Girth cm')
    .getByRole('button')
    .first()
    .click({ modifiers: ['Shift'] });
  await expect(page.getByTestId('table-state')).toContainText('sorted by owner, then girth, largest first');
  const [first] = trees
    .filter(({ properties: p }) => typeof p.owner === 'string')
    .map(({ properties }) => properties)
    .sort((a, b) => {
      const [x, y] = [String(a.owner), String(b.owner)];
      if (x !== y) return x < y ? -1 : 1;
      return Number(b.girth_cm ?? -1) - Number(a.girth_cm ?? -1);
    });
  await expect(table.locator('.row').first()).toContainText(String(first.tree_id));

  await head('Species').hover();
  await head('Species').getByRole('button', { name: 'More for column Species' }).click();
  await page.getByText('Keep in sight').click();
  await head('Owner').hover();
  await head('Owner').getByRole('button', { name: 'More for column Owner' }).click();
  await page.getByText('Hide here').click();
  await expect(head('Owner')).toHaveCount(0);
  expect((await heads(surface)).slice(0, 3)).toEqual(['tree_id', 'species', 'girth_cm']);
  const edge = head('Girth cm').locator('.edge');
  const before = (await head('Girth cm').boundingBox())!.width;
  const box = (await edge.boundingBox())!;
  await page.mouse.move(box.x + 3, box.y + 8);
  await page.mouse.down();
  await page.mouse.move(box.x + 63, box.y + 8, { steps: 3 });
  await page.mouse.up();
  await expect.poll(async () => Math.round((await head('Girth cm').boundingBox())!.width - before)).toBe(60);
  await head('Height m').dragTo(head('Girth cm'), { targetPosition: { x: 10, y: 10 } });
  await expect.poll(async () => (await heads(surface)).slice(0, 4)).toEqual(['tree_id', 'species', 'height_m', 'girth_cm']);

  await page.getByTestId('table-menu').click();
  await page.getByTestId('totals').click();
  await page.getByRole('option', { name: 'largest' }).click();
  const most = Math.max(...trees.map(({ properties: p }) => Number(p.girth_cm ?? 0)));
  await expect(page.getByTestId('totals-row')).toContainText(String(most));

  await page.getByTestId('go-to-row').fill('20,001');
  await page.getByTestId('go-to-row').press('Enter');
  await expect(table.locator('.row[aria-rowindex="20001"]')).toBeVisible();

  await page.reload();
  await surface.open('Owners by girth');
  await expect(page.getByTestId('table-state')).toContainText('sorted by owner, then girth, largest first');
  await expect.poll(async () => (await heads(surface)).slice(0, 4)).toEqual(['tree_id', 'species', 'height_m', 'girth_cm']);
  await page.keyboard.press('Control+z');
});

test('a text is looked for in a column, row after row; blank and empty are told apart', async ({ surface }) => {
  const { page, table } = surface;
  await surface.bringIn('names.csv', 'id,name,lon,lat\n1,Élan,1,1\n2,,1,2\n3,"",1,3\n4,the elANd,1,4\n');
  await expect(table.locator('.row').first()).toContainText('Élan');
  await table.getByRole('columnheader', { name: 'Name' }).hover();
  await page.getByRole('button', { name: 'More for column Name' }).click();
  const find = page.getByTestId('find-in-column');
  await find.fill('elan');
  await find.press('Enter');
  await expect(table.locator('.row.asked')).toContainText('Élan');
  await find.press('Enter');
  await expect(table.locator('.row.asked')).toContainText('the elANd');
  await find.press('Enter');
  await expect(table.locator('.row.asked')).toContainText('Élan');
  await find.fill('nowhere');
  await find.press('Enter');
  await expect(page.getByText('No row on show has “nowhere” in Name.')).toBeVisible();
});

test('of 2,000 columns only those in sight are drawn, and the last one can be reached', async ({ surface }) => {
  const { page, table } = surface;
  const names = Array.from({ length: 2000 }, (_, i) => `c${i}`);
  const row = (n: number) => [n, 1, n / 10, ...names.map((_, i) => n * i)].join(',');
  await surface.bringIn('wide.csv', [['id', 'lon', 'lat', ...names].join(','), ...Array.from({ length: 7 }, (_, n) => row(n))].join('\n'));
  await expect(table.locator('.row').first()).toBeVisible();
  await expect(table).toHaveAttribute('aria-colcount', '2004');
  expect(await table.locator('[data-column]').count()).toBeLessThan(40);
  await table.evaluate((element) => element.scrollTo({ left: element.scrollWidth }));
  await expect(table.locator('[data-column="c1999"]')).toBeVisible();
  await expect(table.locator('.row').nth(3)).toContainText(String(3 * 1999));
  // The first column stays in sight.
  await expect(table.locator('[data-column="id"]')).toBeInViewport();
  await page.keyboard.press('Escape');
});
