import { expect, test } from '../support/surface.ts';

test('table and map point at each other, and a feature says why it is kept', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Veterans overdue');
  const heading = surface.table.getByRole('columnheader', { name: 'Storm risk' });
  await heading.click();
  await heading.click();
  await expect(heading).toHaveAttribute('aria-sort', 'descending');
  await expect(page.getByTestId('table-state')).toContainText('sorted by storm risk');
  const first = surface.table.locator('.row').first();
  // The most at risk come first once the rows have arrived.
  const risk = first.locator(`[aria-colindex="${await heading.getAttribute('aria-colindex')}"]`);
  await expect(risk).toHaveText(/^(9\d|100)$/);
  const id = (await first.getByRole('gridcell').nth(1).innerText()).trim();
  await first.click();
  const card = page.getByTestId('card');
  await expect(card).toContainText(id);
  await expect(card).toContainText('kept');
  await expect(card).toContainText('Girth 250 cm or more');
  await expect(card).toContainText('to spare');

  const scale = page.locator('.ol-scale-line-inner');
  const before = await scale.innerText();
  await card.getByTestId('card-zoom').click();
  await expect(scale).not.toHaveText(before);
  await expect(scale).toHaveText(/^\d+ m$/);
  // A click on the map at the feature's place finds it again.
  await card.getByRole('button', { name: 'Close the card' }).click();
  await expect(card).toHaveCount(0);
  await surface.table.press('ArrowDown');
  await expect(card).toBeVisible();
});

test('near misses are shown on request, and the way back is in sight', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Veterans overdue');
  const misses = surface.stack.getByRole('button', { name: /fail only here/ }).first();
  const count = /[\d,]+/.exec(await misses.innerText())![0];
  await misses.click();
  await expect(page.getByTestId('table-state')).toContainText(`${count} rows that fail on one condition only`);
  await expect(page.getByTestId('sentence')).toContainText('Left out by one condition only');
  await page.getByRole('button', { name: 'Back to what is kept' }).click();
  await expect(page.getByTestId('sentence')).not.toContainText('Left out');
});

test('a new source is made of what is kept, and names how', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Dark and narrow');
  const kept = await surface.keptCount();
  await page.getByTestId('hand-over').click();
  const dialog = page.getByTestId('hand-over-dialog');
  await expect(dialog).toContainText(`${kept} of 1,800 features`);
  await dialog.getByRole('radio', { name: /New source/ }).check();
  await dialog.getByTestId('extract-name').locator('input').fill('Dark paths');
  await dialog.getByTestId('run').click();
  await expect(page.getByTestId('notice')).toContainText(`Dark paths: a new source of ${kept} features`);
  await expect(surface.kept).toHaveText(kept.toLocaleString('en-GB'));
  await surface.openSheet('Dark paths');
  await page.getByRole('tab', { name: 'Where it came from' }).click();
  await expect(page.getByRole('dialog')).toContainText('Taken on');
  await expect(page.getByRole('dialog')).toContainText('Kept: lit is no');
});

test('CSV handed over opens again with the same values', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Risky at the harbour front');
  const kept = await surface.keptCount();
  const { text } = await surface.handOver(/^CSV/, 'harbour');
  await surface.bringIn('harbour again.csv', text);
  await expect(page.getByTestId('notice')).toContainText(`harbour again: ${kept} features brought in`);
  await expect(surface.kept).toHaveText(kept.toLocaleString('en-GB'));
});

test('the dark theme is remembered', async ({ surface }) => {
  const { page } = surface;
  await page.getByRole('button', { name: 'Dark colours' }).click();
  await expect(page.locator('.v-theme--dark').first()).toBeVisible();
  await page.reload();
  await expect(page.locator('.v-theme--dark').first()).toBeVisible();
});

test('a pointer that rests on the map tells what lies there, by the columns that conditions are about', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write('storm_risk > 60 AND height_m > 10');
  await expect(surface.kept).not.toHaveText('24,000');
  const [x, y] = await surface.onMap(0, 0);
  let seen = '';
  for (let step = 0; step < 60 && seen === ''; step++) {
    await page.mouse.move(x + 9 * ((step % 10) - 5), y + 9 * (Math.floor(step / 10) - 3));
    seen = await page
      .getByTestId('hover')
      .innerText({ timeout: 1500 })
      .catch(() => '');
  }
  expect(seen).toMatch(/^T-\d{6}/);
  expect(seen).toContain('Storm risk');
  expect(seen).toContain('Height');
  expect(seen).not.toContain('Species');
  await page.mouse.move(5, 5);
  await expect(page.getByTestId('hover')).toHaveCount(0);
});
