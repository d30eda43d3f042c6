import { expect, test } from '../support/surface.ts';
import { countOf } from '../support/demo_data.ts';

test('completion offers the real values with their counts', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write('');
  const editor = page.locator('.cm-content');
  await editor.pressSequentially('spec');
  const list = page.locator('.cm-tooltip-autocomplete');
  await expect(list).toContainText('species');
  await page.waitForTimeout(120);
  await page.keyboard.press('Enter');
  await editor.pressSequentially(" = 'syc");
  const sycamores = countOf((p) => p.species === '0142');
  await expect(list).toContainText('0142 · Sycamore');
  await expect(list).toContainText(sycamores);
  await page.waitForTimeout(120);
  await page.keyboard.press('Enter');
  await expect(editor).toHaveText("species = '0142'");
  await expect(surface.kept).toHaveText(sycamores);
});

test('AND and OR side by side are told apart with both counts; one click writes the brackets', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  const filter = "condition = 'poor' OR condition = 'very poor' AND storm_risk > 60";
  await surface.write(filter);
  const risky = (p: Record<string, unknown>) => typeof p.storm_risk === 'number' && p.storm_risk > 60;
  const andFirst = countOf((p) => p.condition === 'poor' || (p.condition === 'very poor' && risky(p)));
  const orFirst = countOf((p) => (p.condition === 'poor' || p.condition === 'very poor') && risky(p));
  await expect(surface.kept).toHaveText(andFirst);
  const hint = page.getByTestId('hint');
  await expect(hint).toContainText(`brackets round AND · ${andFirst} kept`);
  await hint.getByRole('button', { name: `brackets round OR · ${orFirst} kept` }).click();
  await expect(surface.kept).toHaveText(orFirst);
  await expect(hint).toHaveCount(0);
  await expect(page.locator('.cm-content')).toHaveText("(condition = 'poor' OR condition = 'very poor') AND storm_risk > 60");
});

test('an error is mended in the text by one click', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write('storm_rsk > 60');
  await page.getByTestId('text-problem').getByRole('button', { name: 'write storm_risk' }).click();
  await expect(surface.kept).toHaveText(countOf((p) => typeof p.storm_risk === 'number' && p.storm_risk > 60));
});

test('the cursor marks its row, a row marks its term, and an edit in the stack leaves the rest of the text', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  await surface.write("storm_risk > 60   AND condition = 'poor'");
  await page.locator('.cm-content').click();
  await page.keyboard.press('Home');
  await expect(stack.locator('[data-row].told')).toContainText('Storm risk above 60');
  await page.keyboard.press('End');
  await expect(stack.locator('[data-row].told')).toContainText('Condition is poor');
  await stack.locator('[data-row]').first().hover();
  await expect(page.locator('.cm-told')).toHaveText('storm_risk > 60');
  await stack.locator('[data-row] .sentence').first().click();
  await page.getByTestId('value').locator('input').fill('90');
  await surface.done();
  await expect(page.locator('.cm-content')).toHaveText("storm_risk > 90   AND condition = 'poor'");
});

test('a long filter is laid out on request, and means the same', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write("(condition = 'poor' OR condition = 'very poor') AND storm_risk > 60 AND height_m BETWEEN 5 AND 25");
  await expect(surface.kept).not.toHaveText('24,000');
  const before = await surface.keptCount();
  await page.getByRole('button', { name: 'Lay out' }).click();
  await expect(page.locator('.cm-line')).toHaveText([
    "(condition = 'poor' OR condition = 'very poor')",
    'AND storm_risk > 60',
    'AND height_m BETWEEN 5 AND 25',
  ]);
  expect(await surface.keptCount()).toBe(before);
});

test('help on a word tells the column behind it', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write('height_m > 12');
  await page.locator('.cm-line').hover({ position: { x: 30, y: 8 } });
  await expect(page.locator('.cm-help')).toContainText('Number');
  await expect(page.locator('.cm-help')).toContainText('blank');
});
