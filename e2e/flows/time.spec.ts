import { expect, test } from '../support/surface.ts';
import { countOf, shown, trees } from '../support/demo_data.ts';

test('the brush of the time chart is a condition, moves along, and goes with it', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  const times = await surface.chart('times');
  const chart = times.locator('.frame > svg');
  await expect(chart.locator('rect.all').first()).toBeAttached();
  await expect(times.getByTestId('said')).toContainText('Counts by year');
  const box = (await chart.boundingBox())!;
  await page.mouse.move(box.x + 280, box.y + 50);
  await page.mouse.down();
  await page.mouse.move(box.x + 360, box.y + 50, { steps: 5 });
  await page.mouse.up();
  await page.mouse.move(box.x + 280, box.y - 40);
  const row = stack.locator('[data-row]');
  await expect(row).toContainText(/Planted from 1 Jan \d{4} to 31 Dec \d{4}/);
  const years = async () =>
    /1 Jan (\d{4}) to 31 Dec (\d{4})/
      .exec(await row.innerText())!
      .slice(1)
      .map(Number);
  const inYears = (from: number, to: number) =>
    countOf(({ planted }) => typeof planted === 'string' && Number(planted.slice(0, 4)) >= from && Number(planted.slice(0, 4)) <= to);
  const [from, to] = await years();
  await expect(surface.kept).toHaveText(inYears(from, to));
  await expect(times.getByTestId('said')).toContainText(`${from} to ${to}: ${inYears(from, to)} features kept`);

  // Along by a year with the keyboard.
  await page.getByRole('group', { name: /Counts along time/ }).focus();
  await page.keyboard.press('ArrowRight');
  await expect.poll(years).toEqual([from + 1, to + 1]);
  await expect(surface.kept).toHaveText(inYears(from + 1, to + 1));
  await page.getByTestId('play').click();
  await expect.poll(years).not.toEqual([from + 1, to + 1]);
  await page.getByTestId('play').click();
  // A click beside the window takes it, and its condition, away.
  await page.mouse.click(box.x + 620, box.y + 20);
  await expect(row).toHaveCount(0);
  await expect(surface.kept).toHaveText('24,000');
});

test('months of any year; what is known to the year only is unknown', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.addColumn('planted');
  await surface.chooseTest('in the months');
  const parts = page.getByTestId('parts');
  const pressed = parts.locator('[aria-pressed="true"]');
  const first = await pressed.getAttribute('aria-label');
  await parts.getByRole('button', { name: 'March' }).click();
  if (first !== 'March') await parts.getByRole('button', { name: first! }).click();
  const dated = trees.filter(({ properties: { planted } }) => typeof planted === 'string' && planted.length >= 7);
  const march = dated.filter(({ properties: { planted } }) => (planted as string).slice(5, 7) === '03');
  await expect(surface.kept).toHaveText(shown(march.length));
  await expect(page.getByTestId('sentence')).toContainText('Trees with planted in March');
  expect(await surface.text()).toBe('MONTH(planted) IN (3)');
});

test('on a source as a whole, a brush and a text being typed begin one sieve each', async ({ surface }) => {
  const { page, list, stack } = surface;
  const sieves = list.locator('.entry');
  const before = await sieves.count();
  await surface.open('Trees');
  const times = await surface.chart('times');
  const chart = times.locator('.frame > svg');
  await expect(chart.locator('rect.all').first()).toBeAttached();
  const box = (await chart.boundingBox())!;
  await page.mouse.move(box.x + 280, box.y + 50);
  await page.mouse.down();
  await page.mouse.move(box.x + 420, box.y + 50, { steps: 20 });
  await page.mouse.up();
  await expect(stack.locator('[data-row]')).toContainText(/Planted from 1 Jan/);
  await expect(sieves).toHaveCount(before + 1);

  await surface.open('Trees');
  await page.getByTestId('text-tab').click();
  await page.locator('.cm-content').click();
  await page.keyboard.type('height_m > 12.5', { delay: 40 });
  await expect(stack.locator('[data-row]')).toContainText('12.5');
  await expect(sieves).toHaveCount(before + 2);
});

test('a window over the calendar in a condition is its days; taken away, all days are kept', async ({ surface }) => {
  const { page } = surface;
  const days = ['2020-01-10', '2020-02-11', '2020-04-12', '2020-04-30'];
  await surface.bringIn('sightings.csv', ['seen,lon,lat', ...days.map((day, i) => `${day},8.${i},47`), ''].join('\n'));
  await expect(page.getByTestId('notice')).toContainText('sightings: 4 features');
  await surface.addColumn('seen');
  const bars = page.getByTestId('date-bars');
  const low = bars.getByRole('slider').first();
  await low.focus();
  for (let n = 0; n < 40; n++) await page.keyboard.press('ArrowRight');
  const from = await page.getByTestId('from').locator('input').inputValue();
  expect(from > '2020-01-10').toBe(true);
  await expect(surface.kept).toHaveText(String(days.filter((day) => day >= from).length));
  await low.press('Delete');
  await expect(page.getByTestId('from').locator('input')).toHaveValue('');
  await expect(surface.kept).toHaveText('4');
  // Where there is no window one is drawn: over the first bin, which is the day of the first.
  const box = (await bars.boundingBox())!;
  await page.mouse.move(box.x + 6.5, box.y + 20);
  await page.mouse.down();
  await page.mouse.move(box.x + 24, box.y + 20, { steps: 4 });
  await page.mouse.up();
  await expect(surface.kept).toHaveText('1');
  await expect(page.getByTestId('from').locator('input')).toHaveValue('2020-01-10');
});
