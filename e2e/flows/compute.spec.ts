import { countOf } from '../support/demo_data.ts';
import { expect, test } from '../support/surface.ts';

const ratio = ({ girth_cm: girth, height_m: height }: Record<string, unknown>) =>
  typeof girth === 'number' && typeof height === 'number' ? girth / height : null;

test('a column is computed: looked at with its blanks and why, kept, sifted by, changed and taken back', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Trees');
  await surface.openSheet('Trees');
  await page.getByTestId('compute-column').click();
  const pick = async (field: string, title: string) => {
    await page.getByTestId(`field-${field}`).click();
    await page.getByRole('option', { name: title, exact: true }).click();
    await expect(page.getByRole('option')).toHaveCount(0);
  };
  await pick('a', 'Girth');
  await pick('b', 'Height');
  const there = countOf((p) => ratio(p) !== null);
  await expect(page.getByTestId('compute-summary')).toContainText(`${there} values of 24,000 features: numbers`);
  await expect(page.getByTestId('compute-blanks')).toContainText(`${countOf((p) => p.girth_cm === null)} blank: girth_cm is blank`);
  await expect(page.getByTestId('compute-samples').locator('tbody tr')).toHaveCount(12);
  const name = page.getByTestId('compute-name').locator('input');
  await expect(name).toHaveValue('girth_per_height');
  await page.getByTestId('compute-unit').locator('input').fill('cm/m');
  await page.getByTestId('compute-keep').click();
  await expect(page.getByTestId('computed')).toContainText('Computed: girth_cm / height_m, in cm/m');
  await page.getByTestId('source-sheet').getByRole('button', { name: 'Close' }).click();
  await expect(page.getByTestId('source-sheet')).toHaveCount(0);

  await surface.newSieve();
  await surface.write('girth_per_height >= 12');
  await expect(surface.kept).toHaveText(countOf((p) => (ratio(p) ?? 0) >= 12));
  await page.getByRole('tab', { name: 'Table' }).click();
  await surface.rowsAreThere();
  await surface.table.locator('.row').first().click();
  await expect(page.getByTestId('card')).toContainText(/girth per height/i);
  await page.keyboard.press('Escape');

  // Changed, what is sifted by it follows; one undo takes the change back.
  await (await surface.openSheet('Trees')).getByRole('button', { name: /girth per height/i }).click();
  await page.getByTestId('change-computed').click();
  const editor = page.getByTestId('compute-panel').locator('.cm-content');
  await editor.fill('ROUND(girth_cm / heigt_m)');
  await expect(page.getByTestId('compute-problem')).toContainText('There is no column heigt_m (at character 18). Did you mean height_m?');
  await page.getByTestId('compute-mend').click();
  await expect(page.getByTestId('compute-summary')).toContainText(`${there} values`);
  await page.getByTestId('compute-keep').click();
  await expect(page.getByTestId('computed')).toContainText('ROUND(girth_cm / height_m)');
  await page.getByTestId('source-sheet').getByRole('button', { name: 'Close' }).click();
  await expect(surface.kept).toHaveText(countOf((p) => Math.round(ratio(p) ?? 0) >= 12));
  await page.keyboard.press('Control+z');
  await expect(surface.kept).toHaveText(countOf((p) => (ratio(p) ?? 0) >= 12));

  // What conditions use is not taken away.
  await (await surface.openSheet('Trees')).getByRole('button', { name: /girth per height/i }).click();
  await page.getByText('Remove this column').click();
  await expect(page.getByTestId('notice')).toContainText('The column is used by');
});

test('what is filled in stays when another source has something new to say', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Bad and still open');
  let answer = () => {};
  const held = new Promise<void>((resolve) => (answer = resolve));
  await page.route('**/api/sources/*/asks', async (route) => {
    await held;
    await route.continue();
  });
  await page.getByTestId('ask-anew').click();
  await surface.open('Trees');
  await surface.openSheet('Trees');
  await page.getByTestId('compute-column').click();
  await page.getByTestId('field-a').click();
  await page.getByRole('option', { name: 'Girth', exact: true }).click();
  await page.getByTestId('compute-unit').locator('input').fill('cm');
  answer();
  await expect(page.getByTestId('notice')).toContainText('was asked anew');
  await page.getByTestId('field-b').click();
  await page.getByRole('option', { name: 'Height', exact: true }).click();
  await expect(page.getByTestId('compute-summary')).toContainText('numbers');
  await expect(page.getByTestId('compute-unit').locator('input')).toHaveValue('cm');
});

test('an age follows the as-of date; what cannot be computed is told with the values', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Trees');
  await surface.openSheet('Trees');
  await page.getByTestId('compute-column').click();
  await page.getByTestId('way').click();
  await page.getByRole('option', { name: 'An expression of your own' }).click();
  await page.getByTestId('compute-panel').locator('.cm-content').fill('AGE(planted)');
  const vague = (p: Record<string, unknown>) => typeof p.planted === 'string' && p.planted.length < 10;
  await expect(page.getByTestId('compute-blanks')).toContainText(
    `${countOf(vague)} blank: AGE: what it is given is known to the month or year only, such as`,
  );
  await page.getByTestId('compute-name').locator('input').fill('age');
  await page.getByTestId('compute-keep').click();
  await expect(page.getByTestId('computed')).toContainText('as of 24 Nov 2026');
  await page.getByTestId('source-sheet').getByRole('button', { name: 'Close' }).click();
  await surface.newSieve();
  await surface.write('age >= 100');
  const older = (year: number) => (p: Record<string, unknown>) =>
    typeof p.planted === 'string' && p.planted.length === 10 && p.planted <= `${year - 100}-11-24`;
  await expect(surface.kept).toHaveText(countOf(older(2026)));
  const shown = page.getByRole('button', { name: /As of/ });
  await shown.click();
  await page.getByLabel('As-of date').fill('2036-11-24');
  await page.keyboard.press('Escape');
  await expect(surface.kept).toHaveText(countOf(older(2036)));
  await page.keyboard.press('Control+z');
  await expect(surface.kept).toHaveText(countOf(older(2026)));
});

test('what cannot be a column is refused in words, and nothing is left of it', async ({ surface, server }) => {
  const line = (n: number) =>
    JSON.stringify({ type: 'Feature', geometry: { type: 'Point', coordinates: [8 + n, 47] }, properties: { n, s: `${n}` } });
  await surface.bringIn('few.geojsonl', [1, 2, 3].map(line).join('\n'));
  await expect(surface.page.getByTestId('notice')).toContainText('few: 3 features');
  const state = async () =>
    (await (await fetch(`${server.url}api/workspace`)).json()) as {
      sources: { id: number; name: string; columns: { name: string; min: unknown; derivation: unknown }[] }[];
    };
  const { id } = (await state()).sources.find(({ name }) => name === 'few')!;
  const post = (path: string, body: object) => fetch(`${server.url}api/${path}`, { method: 'POST', body: JSON.stringify(body) });
  const n = { property: 'n' };
  const compute = async (name: string, expr: object, was: object | null = null) => {
    const replaces = was && { expr: was, unit: null };
    const answer = await post(`sources/${id}/computed`, { name, expr, unit: null, replaces });
    const said = (await answer.json()) as { id: string; error?: string };
    if (!answer.ok) return `${answer.status} ${said.error}`;
    for (;;) {
      const job = (await (await fetch(`${server.url}api/jobs/${said.id}`)).json()) as { state: string; error: string | null };
      if (job.state !== 'running') return job.error ?? job.state;
    }
  };
  expect(await compute('twice', { op: '*', args: [n, 2] })).toBe('done');
  expect(await compute('more', { op: '+', args: [{ property: 'twice' }, 1] })).toBe('done');
  expect(await compute('twice', { op: '*', args: [n, 3] })).toMatch(/^400 There is a column twice already/);
  const twice = { op: '*', args: [n, 2] };
  expect(await compute('n', { op: '*', args: [n, 3] }, n)).toMatch(/^400 n is not a computed column/);
  expect(await compute('twice', { op: '+', args: [{ property: 'more' }, 1] }, twice)).toMatch(
    /^400 more is made of twice: they would go round/,
  );
  expect(await compute('wrong', { op: 'UPPER', args: [n] })).toMatch(/^400 The argument of UPPER must be a text/);
  // A column that others are made of stays as long as they do, and takes them along when it changes.
  const remove = await fetch(`${server.url}api/sources/${id}/columns/twice`, { method: 'DELETE' });
  expect([remove.status, ((await remove.json()) as { error: string }).error]).toEqual([400, 'more is made of it; remove that first']);
  // Another window has changed it meanwhile.
  expect(await compute('twice', { op: '*', args: [n, 9] }, { op: '*', args: [n, 4] })).toMatch(/^409 The column twice was changed/);
  // What is made of it has to fit.
  expect(await compute('twice', { op: 'TO_TEXT', args: [n] }, twice)).toMatch(
    /^400 more is made of twice, and would not fit: Each side of \+ must be a number/,
  );
  expect(await compute('twice', { op: '*', args: [n, 10] }, twice)).toBe('done');
  const { columns } = (await state()).sources.find((one) => one.id === id)!;
  expect(columns.map(({ name, min }) => [name, min])).toEqual([
    ['n', 1],
    ['s', '1'],
    ['twice', 10],
    ['more', 11],
  ]);
});
