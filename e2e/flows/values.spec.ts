import { expect, test } from '../support/surface.ts';
import { countOf } from '../support/demo_data.ts';

test('bars of values make a condition, add to it, and take it away', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  const chart = await surface.chart('bars');
  const bars = page.getByTestId('value-bars');
  const of = (...names: string[]) => countOf(({ species }) => typeof species === 'string' && names.includes(species));
  await expect(bars.getByRole('button', { name: /0142/ })).toContainText(`${of('0142')} of ${of('0142')}`);
  await bars.getByRole('button', { name: /0142/ }).click();
  await expect(surface.kept).toHaveText(of('0142'));
  // The others can still be added: bars are counted without their own condition.
  await expect(bars.getByRole('button', { name: /0205/ })).toContainText(`${of('0205')} of ${of('0205')}`);
  await bars.getByRole('button', { name: /0205/ }).click();
  await expect(surface.kept).toHaveText(of('0142', '0205'));
  await expect(stack.locator('[data-row]')).toHaveCount(1);
  await expect(chart.getByTestId('said')).toContainText(`${of('0142', '0205')} of them kept`);

  // By keyboard too.
  await bars.getByRole('button', { name: /0142/ }).press('Enter');
  await expect(surface.kept).toHaveText(of('0205'));
  await bars.getByRole('button', { name: /0205/ }).press('Enter');
  await expect(stack.locator('[data-row]')).toHaveCount(0);
});

test('a bar narrows alternatives too, and what it leaves out is counted with them', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.write("girth_cm > 250 OR species = '0205'");
  const alternatives = (species?: string) =>
    countOf((p) => (Number(p.girth_cm) > 250 || p.species === '0205') && (species === undefined || p.species === species));
  await expect(surface.kept).toHaveText(alternatives());
  const chart = await surface.chart('bars');
  const bars = page.getByTestId('value-bars');
  await bars.getByRole('button', { name: /0142/ }).click();
  await expect(surface.kept).toHaveText(alternatives('0142'));
  await expect(chart.getByTestId('said')).toContainText(`${alternatives('0142')} of them kept`);
  await expect(bars.getByRole('button', { name: /0205/ })).toContainText(`${alternatives('0205')} of`);
});

test('yes and no leave one another out', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.open('Paths');
  await surface.more('Paths');
  await page.getByText('New sieve').click();
  await expect(surface.kept).toHaveText('1,800');
  await surface.chart('bars');
  await page.getByTestId('bars-column').click();
  await page.getByRole('option', { name: 'Lit', exact: true }).click();
  const bars = page.getByTestId('value-bars');
  await bars.getByRole('button', { name: /^yes/ }).click();
  await expect(stack.locator('[data-row]')).toContainText('Lit is yes');
  await bars.getByRole('button', { name: /^no / }).click();
  await expect(stack.locator('[data-row]')).toHaveCount(0);
});

test('a pasted list is ticked, and what of it is not there is told with what was meant', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.addColumn('species');
  await surface.chooseTest('is one of');
  const field = page.getByTestId('editor').getByRole('searchbox', { name: /paste a list/ });
  await field.focus();
  await field.evaluate((element, text) => {
    const data = new DataTransfer();
    data.setData('text/plain', text);
    element.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  }, '0142\n0205\n101\nno such tree\n');
  const said = page.getByTestId('pasted');
  await expect(said).toContainText('2 values of the list found and ticked, 2 not found');
  await expect(surface.kept).toHaveText(countOf((p) => p.species === '0142' || p.species === '0205'));
  await said.getByRole('button', { name: '0101' }).click();
  await expect(said).toContainText('3 values of the list found and ticked, 1 not found');
  await expect(surface.kept).toHaveText(countOf((p) => ['0142', '0205', '0101'].includes(String(p.species))));
});
