import { expect, Surface, test } from '../support/surface.ts';
import type { Page } from '@playwright/test';

/** Another window of the same workspace, at the same sieve. */
async function another(page: Page, url: string, name: string): Promise<Surface> {
  const other = new Surface(await page.context().newPage(), url);
  await other.page.goto(url);
  await other.open(name);
  return other;
}

// Once a live source has answered, a window looks at the workspace anew: what the other changed would be no surprise then.
test.beforeEach(async ({ surface }) => {
  await expect(surface.list.locator('.entry').filter({ hasText: 'Storm reports' })).toContainText(/5,\d{3}/);
});

test('a sieve changed in two windows: the later one is told, and both are kept, or either', async ({ page, server, surface }) => {
  test.setTimeout(120_000);
  await surface.newSieve();
  await surface.addColumn('planted');
  await expect(surface.kept).not.toHaveText('…');
  // It is called so that the other window finds it.
  const name = `two windows ${Date.now()}`;
  const { sieves } = (await (await fetch(`${server.url}api/workspace`)).json()) as { sieves: { id: number; tree: object }[] };
  const { id } = sieves.at(-1)!;
  const send = (change: object) => fetch(`${server.url}api/sieves/${id}`, { method: 'PATCH', body: JSON.stringify(change) });
  await send({ name });
  await page.reload();
  await surface.open(name);
  const other = await another(page, server.url, name);

  const treeOf = async () =>
    JSON.stringify(
      ((await (await fetch(`${server.url}api/workspace`)).json()) as typeof JSON & { sieves: { id: number; tree: object }[] }).sieves.find(
        (one) => one.id === id,
      )!.tree,
    );
  await other.addColumn('species');
  await expect.poll(treeOf).toContain('species');
  await surface.addColumn('girth');
  const dialog = page.getByTestId('two-windows');
  await expect(dialog).toBeVisible();
  await expect(dialog.getByRole('heading')).toHaveText(`${name} was changed in another window too`);
  await expect(page.getByTestId('theirs')).toContainText(/species/i);
  await expect(page.getByTestId('mine')).toContainText('girth');

  await page.getByTestId('take-both').click();
  await expect(dialog).toHaveCount(0);
  await expect(surface.list.getByRole('button', { name, exact: true })).toBeVisible();
  expect(await treeOf()).toContain('species');

  // Once more: what this window made is kept after all, and one undo brings the other's back.
  await surface.open(name);
  await send({ tree: { kind: 'group', id: 'root', combine: 'all', children: [] } });
  await surface.addColumn('height');
  await expect(dialog).toBeVisible();
  await expect(page.getByTestId('theirs')).toHaveText('no conditions: everything is kept');
  await page.getByTestId('take-mine').click();
  await expect(dialog).toHaveCount(0);
  await expect.poll(treeOf).toContain('height');
  await page.keyboard.press('Control+z');
  await expect.poll(treeOf).not.toContain('height');
  await other.page.close();
});

test('what another window has changed meanwhile is shown, and the own change offered once more', async ({ page, server, surface }) => {
  await surface.open('Trees');
  const elsewhere = (asOf: string | null) => fetch(`${server.url}api/workspace`, { method: 'PATCH', body: JSON.stringify({ asOf }) });
  const shown = page.getByRole('button', { name: /As of/ });
  const before = await shown.innerText();
  await elsewhere('2025-03-01');
  await shown.click();
  await page.getByRole('radio', { name: /^Today/ }).check();
  await expect(page.getByTestId('notice')).toHaveText('The workspace was changed in another window meanwhile. It is shown as it is now.');
  await expect(shown).toContainText('1 Mar 2025');
  await page.getByTestId('notice-offer').click();
  await expect(shown).toContainText(/today/i);
  // One undo brings back what the other window had made of it.
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+z');
  await expect(shown).toContainText('1 Mar 2025');
  await elsewhere('2026-11-24');
  await page.reload();
  await expect(shown).toHaveText(before);
});

test('an area that another window calls something else stays what conditions are about, with every undo', async ({
  page,
  server,
  surface,
}) => {
  const shape = {
    type: 'Polygon',
    coordinates: [
      [
        [-12.3, 46.5],
        [-12.1, 46.5],
        [-12.1, 46.7],
        [-12.3, 46.7],
        [-12.3, 46.5],
      ],
    ],
  };
  const area = await fetch(`${server.url}api/areas`, { method: 'POST', body: JSON.stringify({ name: 'Some ground', shape }) });
  const { id } = (await area.json()) as { id: number };
  await page.reload();
  await surface.newSieve();
  await surface.write("S_INTERSECTS(geometry, AREA('Some ground'))");
  await expect(surface.kept).not.toHaveText('24,000');
  const within = await surface.keptCount();
  await surface.addColumn('storm_risk');
  await surface.done();
  await fetch(`${server.url}api/areas/${id}`, { method: 'PATCH', body: JSON.stringify({ name: 'Other ground' }) });
  // Coming back to this window shows what the other one has made of it.
  await page.evaluate(() => document.dispatchEvent(new Event('visibilitychange')));
  await page.getByRole('tab', { name: 'Table' }).click();
  await page.keyboard.press('Control+z');
  await expect(surface.stack.locator('.sentence')).toHaveCount(1);
  await expect.poll(() => surface.keptCount()).toBe(within);
  await expect.poll(() => surface.text()).toBe("S_INTERSECTS(geometry, AREA('Other ground'))");
});
