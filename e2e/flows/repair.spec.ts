import { expect, test } from '../support/surface.ts';

interface Workspace {
  sources: { name: string; columns: { name: string }[] }[];
}
/** Plots whose heights are written in two units, and in words; some are there twice. */
const heights = ['12 m', '3.5 m', '1,250 cm', 'tall', 'n/a', '7 m', 'tall', '90 cm', ''];
const dates = ['3.5.19', '12.11.87', 'spring 19', '1.1.50', '31.12.49', '3.5.19', '30.2.20', '4.4.04', ''];
const plots = heights.map((height, i) => [`P-${i % 7}`, `"${height}"`, dates[i], 8 + (i === 5 ? 0 : i) / 1000, 47].join(','));
const csv = ['plot,height,surveyed,lon,lat', ...plots].join('\n');

test('texts are read by units and a pattern; what fails is replaced one by one and by a list; how is changed and undone', async ({
  surface,
}) => {
  const { page } = surface;
  await surface.bringIn('heights.csv', csv);
  await expect(page.getByTestId('notice')).toContainText('heights: 9 features');
  const sheet = await surface.openSheet('heights');
  const columns = sheet.locator('.names');
  await columns.getByRole('button', { name: /^Height/ }).click();
  await page.getByTestId('read-column').click();
  const summary = page.getByTestId('read-summary');
  await expect(summary).toContainText('0 % of the texts can be read: 0 of 8');
  await page.getByTestId('unit-found').filter({ hasText: 'm (3)' }).first().click();
  await page.getByTestId('unit-found').filter({ hasText: 'cm (2)' }).click();
  // How many of the column's unit another one is has to be said.
  await expect(page.getByTestId('read-problem')).toContainText("cm is nothing of the column's unit");
  await page.getByTestId('unit-times').nth(1).fill('0.01');
  await expect(summary).toContainText('62.5 % of the texts can be read: 5 of 8, from 0.9 to 12.5; 3 rows with 2 texts cannot');
  const misfits = page.getByTestId('misfits');
  await expect(misfits.locator('li').first()).toContainText('tall');
  await misfits.getByLabel('Read tall as').fill('30 m');
  await page.keyboard.press('Enter');
  await expect(summary).toContainText('87.5 %');
  await page.getByTestId('paste-list').click();
  await page.getByTestId('misfit-list').fill('n/a\t\ntall\t25 m');
  await page.getByTestId('take-list').click();
  await expect(summary).toContainText('from 0.9 to 25; 1 row with 1 text cannot');
  await page.getByTestId('leave-rest').click();
  await expect(summary).toContainText('from 0.9 to 25; 3 rows read as another text');
  await expect(page.getByTestId('read-samples')).toContainText('1,250 cm');
  await page.getByTestId('read-keep').click();
  await expect(page.getByTestId('column-profile')).toContainText(
    'height read as numbers in m; m as 1 m, cm as 0.01 m; 1 text read as another; 1 text left blank',
  );

  // Changed: another reading of the same texts, with all that was said.
  await page.getByTestId('change-read').click();
  await expect(misfits.getByLabel('Read tall as')).toHaveValue('25 m');
  await misfits.locator('li').filter({ hasText: 'tall' }).getByRole('button', { name: 'as it was' }).click();
  await expect(summary).toContainText('2 rows with 1 text cannot');
  await page.getByTestId('read-keep').click();
  await expect(page.getByTestId('column-profile')).toContainText('12.5');

  await columns.getByRole('button', { name: /^Surveyed/ }).click();
  await page.getByTestId('read-column').click();
  await page.getByTestId('read-as').click();
  await page.getByRole('option', { name: 'dates', exact: true }).click();
  await page.getByTestId('read-written').click();
  await page.getByRole('option', { name: 'all by one pattern' }).click();
  await page.getByTestId('read-pattern').locator('input').fill('d.Q.yy');
  await expect(page.getByTestId('read-problem')).toContainText('Q is no field of a date');
  await page.getByTestId('read-pattern').locator('input').fill('d.M.yy');
  await expect(summary).toContainText('75 % of the texts can be read: 6 of 8, from 1950-01-01 to 2049-12-31; 2 rows with 2 texts cannot');
  await page.getByTestId('read-years').locator('input').fill('1940');
  await expect(summary).toContainText('from 1949-12-31 to 2019-05-03');
  await page.getByTestId('read-keep').click();
  await expect(page.getByTestId('column-profile')).toContainText('written as d.M.yy, years from 1940');
  await sheet.getByRole('button', { name: 'Close' }).click();

  const columnsThere = () =>
    expect.poll(async () => {
      const { sources } = (await (await fetch(`${surface.url}api/workspace`)).json()) as Workspace;
      return sources
        .find(({ name }) => name === 'heights')!
        .columns.map(({ name }) => name)
        .filter((name) => name.includes('_'));
    });
  await page.keyboard.press('Control+z');
  await columnsThere().toEqual(['height_number']);
  await page.keyboard.press('Control+Shift+z');
  await columnsThere().toEqual(['height_number', 'surveyed_date']);

  await surface.newSieveOf('heights', '9');
  await surface.write("height_number >= 7 AND surveyed_date < DATE('2019-05-04')");
  await expect(surface.kept).toHaveText('2');
});

test('duplicates by a column, and by place, have a group; one of each is kept', async ({ surface }) => {
  const { page } = surface;
  await surface.bringIn('duplicated.csv', csv);
  await expect(page.getByTestId('notice')).toContainText('duplicated: 9 features');
  const sheet = await surface.openSheet('duplicated');
  await page.getByTestId('find-duplicates').click();
  await page.getByTestId('alike-within').fill('0');
  await expect(page.getByTestId('alike-summary')).toContainText('2 features of 9 are duplicates, in 1 group of up to 2');
  await page.getByTestId('alike-within').fill('100');
  await expect(page.getByTestId('alike-summary')).toContainText('9 features of 9 are duplicates, in 2 groups of up to 6');
  await page.getByTestId('alike-by-place').uncheck();
  await page.getByTestId('alike-columns').click();
  await page.getByRole('option', { name: 'Plot', exact: true }).click();
  await expect(page.getByTestId('alike-summary')).toContainText('4 features of 9 are duplicates, in 2 groups of up to 2');
  await page.getByTestId('alike-keep').click();
  await expect(page.getByTestId('alike')).toContainText('The number of the group of features that are alike: by plot');
  await sheet.getByRole('button', { name: 'Close' }).click();
  await surface.newSieveOf('duplicated', '9');
  await surface.write('duplicate_number = 1');
  await expect(surface.kept).toHaveText('7');
  await surface.write('duplicate_group IS NOT NULL');
  await expect(surface.kept).toHaveText('4');
});
