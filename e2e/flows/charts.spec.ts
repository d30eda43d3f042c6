import { expect, test } from '../support/surface.ts';
import { countOf, shown, trees } from '../support/demo_data.ts';

const numberOf = (value: unknown) => (typeof value === 'number' ? value : NaN);

test('a range drawn over a histogram is a condition, grows with Shift, moves by keyboard, and goes with a click', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  const chart = await surface.chart('histogram');
  const svg = chart.locator('.frame > svg');
  await expect(svg.locator('rect.all').first()).toBeAttached();
  const box = (await svg.boundingBox())!;
  const drag = async (from: number, to: number) => {
    await page.mouse.move(box.x + from, box.y + 40);
    await page.mouse.down();
    await page.mouse.move(box.x + to, box.y + 40, { steps: 4 });
    await page.mouse.up();
  };
  await drag(150, 300);
  const row = stack.locator('[data-row]');
  const range = async () =>
    /GIRTH_CM BETWEEN ([\d.]+) AND ([\d.]+)/i
      .exec(await surface.text())!
      .slice(1)
      .map(Number);
  const inRange = (low: number, high: number) => countOf((p) => numberOf(p.girth_cm) >= low && numberOf(p.girth_cm) <= high);
  await expect(row).toHaveCount(1);
  const [low, high] = await range();
  expect(high).toBeGreaterThan(low);
  await expect(surface.kept).toHaveText(inRange(low, high));

  await page.getByTestId('charts-tab').click();
  const from = chart.getByRole('slider', { name: 'Range of Girth, from' });
  await expect(from).toBeVisible();
  await page.keyboard.down('Shift');
  await drag(320, 380);
  await page.keyboard.up('Shift');
  const [same, farther] = await range();
  expect([same, farther > high]).toEqual([low, true]);
  await expect(surface.kept).toHaveText(inRange(low, farther));

  await page.getByTestId('charts-tab').click();
  await from.press('ArrowRight');
  const [moved] = await range();
  expect(moved).toBeGreaterThan(low);
  await expect(surface.kept).toHaveText(inRange(moved, farther));
  await page.getByTestId('charts-tab').click();
  await expect(from).toBeVisible();
  await page.mouse.click(box.x + 600, box.y + 30);
  await expect(row).toHaveCount(0);
  await expect(surface.kept).toHaveText('24,000');
});

test('charts are chosen, kept with the sieve, and follow its conditions and picks; a box and a part of the whole are conditions', async ({
  surface,
}) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write('storm_risk > 60');
  const risky = (p: Record<string, unknown>) => numberOf(p.storm_risk) > 60;
  await expect(surface.kept).toHaveText(countOf(risky));

  const share = await surface.chart('share');
  await page.getByRole('combobox').first().click();
  await page.getByRole('option', { name: 'Owner', exact: true }).click();
  await share.getByRole('button', { name: /M1 · Town/ }).hover();
  await expect(share.getByTestId('said')).toContainText(`kept (${countOf((p) => risky(p) && p.owner === 'M1')})`);
  await share.getByRole('button', { name: 'Beside the others' }).click();

  const boxes = await surface.chart('boxes');
  const town = boxes.getByRole('button', { name: /0142/ });
  const girths = trees
    .flatMap(({ properties: p }) => (risky(p) && p.species === '0142' && typeof p.girth_cm === 'number' ? [p.girth_cm] : []))
    .sort((a, b) => a - b);
  const middle = (girths[Math.floor((girths.length - 1) / 2)] + girths[Math.ceil((girths.length - 1) / 2)]) / 2;
  await expect(town).toContainText(`median ${middle.toLocaleString('en-GB', { maximumFractionDigits: 1 })},`);
  await town.click();
  await expect(surface.kept).toHaveText(countOf((p) => risky(p) && p.species === '0142'));

  // What is picked stands beside what is kept.
  await page.getByRole('tab', { name: 'Table' }).click();
  await surface.rowsAreThere();
  await surface.table.getByTestId('pick').nth(0).click();
  await surface.table.getByTestId('pick').nth(1).click();
  const bars = await surface.chart('bars');
  await expect(bars.getByRole('button', { name: /0142/ })).toHaveAttribute('title', /, 2 picked/);

  await page.reload();
  await surface.list
    .getByRole('button', { name: /Trees with storm risk|Storm risk/ })
    .last()
    .click();
  await page.getByTestId('charts-tab').click();
  await expect(page.getByTestId('table-state')).toContainText('5 charts');
  await page.getByTestId('chart-share').getByRole('button', { name: 'More for shares' }).click();
  await page.getByText('Remove', { exact: true }).click();
  await expect(page.getByTestId('chart-share')).toHaveCount(0);
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('chart-share')).toHaveCount(1);
});

test('a rectangle over one number against another keeps both ranges in one step', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  const chart = await surface.chart('scatter');
  const both = trees.filter(({ properties: p }) => typeof p.girth_cm === 'number' && typeof p.height_m === 'number').length;
  await expect(chart.getByTestId('said')).toContainText(`${shown(both)} of ${shown(both)} with both values`);
  const box = (await chart.locator('.frame').boundingBox())!;
  await page.mouse.move(box.x + 200, box.y + 20);
  await page.mouse.down();
  await page.mouse.move(box.x + 340, box.y + 70, { steps: 5 });
  await page.mouse.up();
  await expect(stack.locator('[data-row]')).toHaveCount(2);
  const [, low, high, least, most] = /girth_cm BETWEEN ([\d.]+) AND ([\d.]+) AND height_m BETWEEN ([\d.]+) AND ([\d.]+)/
    .exec(await surface.text())!
    .map(Number);
  await expect(surface.kept).toHaveText(
    countOf((p) => {
      const [girth, height] = [numberOf(p.girth_cm), numberOf(p.height_m)];
      return girth >= low && girth <= high && height >= least && height <= most;
    }),
  );
  await page.keyboard.press('Control+z');
  await expect(stack.locator('[data-row]')).toHaveCount(0);
});

test('small maps: one for each value, of one extent, with its count; one is shown alone or becomes a condition', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write('storm_risk > 60');
  const risky = (p: Record<string, unknown>) => numberOf(p.storm_risk) > 60;
  await page.getByTestId('maps-tab').click();
  await page.getByTestId('maps-column').click();
  await page.getByRole('option', { name: 'Condition', exact: true }).click();
  const maps = page.getByTestId('small-map');
  const poor = maps.filter({ hasText: /^poor/ });
  await expect(poor.locator('.count')).toHaveText(
    `${countOf((p) => risky(p) && p.condition === 'poor')} of ${countOf((p) => p.condition === 'poor')}`,
  );
  const counts = (await maps.locator('.count b').allInnerTexts()).map((text) => Number(text.replaceAll(',', '')));
  expect(counts.reduce((sum, count) => sum + count, 0)).toBe(trees.filter(({ properties }) => risky(properties)).length);
  // Each is drawn: a picture with more than one colour.
  const drawn = () =>
    maps.locator('canvas').evaluateAll((all) =>
      all.every((one) => {
        const copy = document.createElement('canvas');
        [copy.width, copy.height] = [(one as HTMLCanvasElement).width, (one as HTMLCanvasElement).height];
        const context = copy.getContext('2d')!;
        context.drawImage(one as HTMLCanvasElement, 0, 0);
        return new Set(new Uint32Array(context.getImageData(0, 0, copy.width, copy.height).data.buffer)).size > 3;
      }),
    );
  await expect.poll(drawn).toBe(true);
  await poor.getByRole('button', { name: /alone on the map/ }).click();
  await expect(page.locator('[data-test=class]:not(.hidden)')).toHaveCount(1);
  await expect(page.locator('[data-test=class]:not(.hidden)')).toContainText('poor');
  await poor.getByRole('button', { name: /Keep only/ }).click();
  await expect(surface.kept).toHaveText(countOf((p) => risky(p) && p.condition === 'poor'));
});
