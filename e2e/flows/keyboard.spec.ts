import { expect, test } from '../support/surface.ts';

test('the keyboard stays where the work is: after an editor, a removed condition, a dialog and a new sieve', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Veterans overdue');
  const rows = surface.stack.locator('[data-row]');
  await rows.first().focus();
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('editor')).toBeVisible();
  await surface.done();
  await expect(page.getByTestId('editor')).toHaveCount(0);
  await expect(rows.first()).toBeFocused();
  const many = await rows.count();
  await page.keyboard.press('Delete');
  await expect(rows).toHaveCount(many - 1);
  await expect(rows.first()).toBeFocused();
  await page.keyboard.press('Control+z');
  await expect(rows).toHaveCount(many);

  await page.getByTestId('hand-over').focus();
  await page.keyboard.press('Enter');
  // A dialog hears keys a moment after it is drawn; by the time it has asked for its size it does.
  await expect(page.getByTestId('hand-over-dialog')).toContainText('with its note');
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('hand-over-dialog')).toHaveCount(0);
  await expect(page.getByTestId('hand-over')).toBeFocused();

  await surface.more('Trees');
  await page.getByText('New sieve').click();
  await expect(page.getByTestId('add-condition')).toBeFocused();
  await page.keyboard.press('Control+z');
});

test('the first stops lead to the parts; the list is one stop, walked by the arrows', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Veterans overdue');
  await expect(page.getByTestId('map')).toBeVisible();
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  const skip = page.getByRole('button', { name: 'Skip to: Conditions' });
  await skip.focus();
  await page.keyboard.press('Enter');
  await expect(surface.stack.locator('[data-row]').first()).toBeFocused();
  await page.getByRole('button', { name: 'Skip to: Map' }).focus();
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('map')).toBeFocused();

  expect(await surface.list.locator('.open[tabindex="0"]').count()).toBe(1);
  const open = surface.list.getByRole('button', { name: 'Veterans overdue', exact: true });
  await open.focus();
  await page.keyboard.press('Home');
  const first = surface.list.locator('.open').first();
  await expect(first).toBeFocused();
  await page.keyboard.press('ArrowDown');
  await expect(surface.list.locator('.open').nth(1)).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(surface.list.locator('.open[tabindex="0"]')).toHaveCount(1);
});

test('the map by keyboard: its middle is asked, and a triangle is drawn there', async ({ surface }) => {
  const { page } = surface;
  const trees = { type: 'Point', coordinates: [8, 47] };
  const feature = (name: string, geometry: object) => ({ type: 'Feature', geometry, properties: { name } });
  const points = [feature('near', trees), feature('west', { type: 'Point', coordinates: [7.99, 47] })];
  const others = [feature('far', { type: 'Point', coordinates: [8.01, 47] })];
  await surface.bringIn('spots.geojson', JSON.stringify({ type: 'FeatureCollection', features: [...points, ...others] }));
  await expect(page.getByTestId('notice')).toContainText('spots: 3 features');
  await page.getByTestId('map').focus();
  await page.keyboard.press('Space');
  await expect(page.getByTestId('card').locator('header b')).toHaveText('near');
  await page.getByRole('button', { name: 'Draw a polygon' }).click();
  await page.getByTestId('map').focus();
  const go = async (...keys: string[]) => {
    for (const key of keys) await page.keyboard.press(`Shift+${key}`);
    // A corner is set where the middle has come to rest.
    await expect(page.locator('canvas[data-features=drawn]').first()).toBeVisible();
    await page.keyboard.press('Space');
    // OpenLayers takes two clicks within a quarter of a second at one place for a double one.
    await page.waitForTimeout(300);
  };
  await go('ArrowLeft', 'ArrowLeft', 'ArrowUp', 'ArrowUp');
  await expect(page.getByTestId('aim')).toBeVisible();
  await go('ArrowRight', 'ArrowRight', 'ArrowRight', 'ArrowRight');
  await go('ArrowDown', 'ArrowDown', 'ArrowDown', 'ArrowDown', 'ArrowLeft', 'ArrowLeft');
  await page.keyboard.press('Enter');
  await expect(surface.kept).toHaveText('1');
  await expect(surface.table.locator('.row').first()).toContainText('near');
});

test('corners of the area being edited are moved by the arrows, and one undo takes the move back', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  const before = 'S_INTERSECTS(geometry, POLYGON((-12.3 46.5, -12.1 46.5, -12.1 46.7, -12.3 46.7, -12.3 46.5)))';
  await surface.write(before);
  await expect(surface.kept).not.toHaveText('24,000');
  const kept = await surface.keptCount();
  await surface.stack.locator('[data-row] .sentence').click();
  await expect(page.getByTestId('editor')).toBeVisible();
  const map = page.getByTestId('map');
  await map.focus();
  await page.keyboard.press(']');
  const corner = page.getByTestId('corner');
  await expect(corner).toContainText('Corner 1 of 4 · 46.5');
  await page.keyboard.press('[');
  await expect(corner).toContainText('Corner 4 of 4 · 46.7');
  for (let i = 0; i < 6; i++) await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(corner).toHaveCount(0);
  // The text is that of the area as it is now, and of the one before after an undo.
  await expect.poll(() => surface.text()).toMatch(/-12\.3 46\.68/);
  await surface.done();
  await page.keyboard.press('Control+z');
  await expect.poll(() => surface.text()).toBe(before);
  expect(await surface.keptCount()).toBe(kept);
});

test.describe('zoomed to twice its size', () => {
  test.use({ viewport: { width: 640, height: 400 } });
  test('the parts stand below one another, and each can be reached', async ({ surface }) => {
    const { page } = surface;
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(640);
    await surface.open('Veterans overdue');
    for (const part of ['hand-over', 'map', 'table-tab', 'charts-tab', 'help-button', 'as-of']) {
      const one = page.getByTestId(part);
      await one.scrollIntoViewIfNeeded();
      await expect(one).toBeInViewport();
      const box = (await one.boundingBox())!;
      expect([part, box.x >= 0, box.x + box.width <= 640]).toEqual([part, true, true]);
    }
    await page.getByTestId('table-tab').click();
    await surface.table.locator('.row').first().scrollIntoViewIfNeeded();
    await expect(surface.table.locator('.row').first()).toBeInViewport();
    await page.getByTestId('hand-over').click();
    await page.getByTestId('run').scrollIntoViewIfNeeded();
    await expect(page.getByTestId('run')).toBeInViewport();
  });
});
