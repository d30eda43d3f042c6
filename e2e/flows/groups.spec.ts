import { readFileSync } from 'node:fs';
import { expect, test } from '../support/surface.ts';
import { countOf, shown, trees } from '../support/demo_data.ts';

const number = (value: unknown) => (typeof value === 'number' ? value : NaN);

test('a number by one column or two: kept beside all, with figures that follow the conditions, and a group kept by a click', async ({
  surface,
}) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write('storm_risk > 60');
  const risky = (p: Record<string, unknown>) => number(p.storm_risk) > 60;
  await expect(surface.kept).toHaveText(countOf(risky));
  const chart = await surface.chart('groups');
  const pick = async (which: string, title: string) => {
    await page.getByTestId(which).click();
    await page.getByRole('option', { name: title, exact: true }).click();
    // The list of the next one is another.
    await expect(page.getByRole('option')).toHaveCount(0);
  };
  await pick('group-by', 'Owner');
  await pick('group-of', 'Height');
  const rows = page.getByTestId('group');
  const town = rows.filter({ hasText: 'M1 · Town' });
  const heights = trees.flatMap(({ properties: p }) =>
    risky(p) && p.owner === 'M1' && typeof p.height_m === 'number' ? [p.height_m] : [],
  );
  await expect(town.locator('td').nth(1)).toHaveText(countOf((p) => risky(p) && p.owner === 'M1'));
  await expect(town.locator('td').nth(2)).toHaveText(countOf((p) => p.owner === 'M1'));
  await expect(town.locator('td').last()).toHaveText(String(Math.max(...heights)));
  await expect(rows.last()).toContainText('blank');
  // The file has every group, kept beside all.
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByTestId('save-groups').click()]);
  expect(download.suggestedFilename()).toMatch(/ by Owner\.csv$/);
  const lines = readFileSync(await download.path(), 'utf8')
    .trim()
    .split('\r\n');
  const kept = countOf((p) => risky(p) && p.owner === 'M1').replaceAll(',', '');
  const all = countOf((p) => p.owner === 'M1').replaceAll(',', '');
  expect(lines[0]).toMatch(/^owner,owner_meaning,kept,all,kept_height_m_sum,all_height_m_sum,/);
  expect(lines.find((line) => line.startsWith('M1,'))).toContain(`M1,Town,${kept},${all},`);
  // Together the groups are all features.
  const counts = await rows.locator('td:nth-child(4)').allInnerTexts();
  expect(counts.reduce((sum, text) => sum + Number(text.replaceAll(',', '')), 0)).toBe(trees.length);
  await page.getByRole('button', { name: 'kept', exact: true }).first().click();
  await pick('group-and', 'Condition');
  await expect(chart.getByTestId('said')).toContainText('groups');
  const poor = rows.filter({ hasText: 'M1 · Town' }).filter({ hasText: /· poor/ });
  await expect(poor.locator('td').nth(1)).toHaveText(countOf((p) => risky(p) && p.owner === 'M1' && p.condition === 'poor'));
  await poor.getByRole('button').click();
  await expect(surface.kept).toHaveText(
    shown(trees.filter(({ properties: p }) => risky(p) && p.owner === 'M1' && p.condition === 'poor').length),
  );
  await page.keyboard.press('Control+z');
  await expect(surface.kept).toHaveText(countOf(risky));
});
