import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { shown, trees } from '../support/demo_data.ts';
import { TOP } from '../support/own_server.ts';
import { expect, test } from '../support/surface.ts';

const visits = gunzipSync(readFileSync(join(TOP, 'demo/files/inspections.csv.gz')))
  .toString()
  .trim()
  .split('\n')
  .slice(1)
  .map((line) => line.split(','));
interface Workspace {
  sources: { name: string; columns: { derivation: { kind: string } | null }[] }[];
}
/** Hours at each tree by the inspection book, whatever case its numbers are written in. */
const hours = new Map<string, number>();
for (const [, tree, , , spent] of visits)
  if (spent !== '') hours.set(tree.toUpperCase(), (hours.get(tree.toUpperCase()) ?? 0) + Number(spent));
const idOf = (tree: (typeof trees)[number]) => String(tree.properties.tree_id);

test('a table is joined: what matches is told before, several rows are summed, and one undo takes it back', async ({ surface }) => {
  const { page } = surface;
  const sheet = await surface.openSheet('Trees');
  await page.getByTestId('join-table').click();
  await page.getByTestId('join-source').click();
  await page.getByRole('option', { name: /^Inspections/ }).click();
  // The keys are found by what they hold.
  await expect(page.getByTestId('own-key')).toContainText('Tree id');
  await expect(page.getByTestId('other-key')).toContainText('Tree id');
  const report = page.getByTestId('match-report');
  const written = new Set(visits.map(([, tree]) => tree));
  await expect(report).toContainText(`${shown(trees.filter((tree) => written.has(idOf(tree))).length)} of 24,000 features find their key`);
  await page.getByTestId('alike-case').click();
  const known = new Set([...written].map((tree) => tree.toUpperCase()));
  await expect(report).toContainText(`${shown(trees.filter((tree) => known.has(idOf(tree))).length)} of 24,000 features find their key`);
  await expect(report).toContainText('60,000 of 60,000 rows have a feature');
  await expect(page.getByTestId('join-several')).toContainText('Each column says what becomes of them');
  await page.getByTestId('take-hours').getByRole('checkbox').check();
  await page.getByTestId('several-hours').selectOption('the sum');
  await page.getByTestId('take-rows').getByRole('checkbox').check();
  await page.getByTestId('join-keep').click();
  await expect(page.getByTestId('joined')).toContainText('hours of Inspections by tree_id, the sum of several rows');
  await sheet.getByRole('button', { name: 'Close' }).click();

  const joined = () =>
    expect.poll(async () => {
      const { sources } = (await (await fetch(`${surface.url}api/workspace`)).json()) as Workspace;
      return sources.find(({ name }) => name === 'Trees')!.columns.filter(({ derivation }) => derivation?.kind === 'joined').length;
    });
  await page.keyboard.press('Control+z');
  await joined().toBe(0);
  await page.keyboard.press('Control+Shift+z');
  await joined().toBe(2);

  await surface.newSieve();
  await surface.write('hours >= 10');
  await expect(surface.kept).toHaveText(shown(trees.filter((tree) => (hours.get(idOf(tree)) ?? 0) >= 10).length));
  // A tree without a visit has no hours, but its number of visits is known.
  await surface.write('inspections_rows = 0 AND hours IS NULL');
  await expect(surface.kept).toHaveText(shown(trees.filter((tree) => !known.has(idOf(tree))).length));

  await surface.more('Inspections');
  await page.getByText('Remove …').click();
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByTestId('notice')).toContainText('Inspections is needed by columns: hours of Trees');
});

test('a table without geometry is a source; what is joined follows its newer version, or says why it cannot', async ({ surface }) => {
  const { page } = surface;
  const point = (ward: string, lon: number) => ({
    ...{ type: 'Feature', properties: { ward } },
    geometry: { type: 'Point', coordinates: [lon, 47] },
  });
  const features = ['a', 'b', 'c'].map((ward, i) => point(ward, 8 + i));
  await surface.bringIn('posts.geojson', JSON.stringify({ type: 'FeatureCollection', features }));
  await expect(page.getByTestId('notice')).toContainText('posts: 3 features');
  await surface.choose({ name: 'rates.csv', content: 'ward,rate\na,10\nb,20\nd,40\n' });
  await expect(page.getByTestId('bring-in-dialog')).toContainText('The table has no longitude and latitude columns');
  await page.getByTestId('take-bare').click();
  await page.getByTestId('take').click();
  await expect(page.getByTestId('notice')).toContainText('rates: 3 features');
  // It is sifted by its columns like any other.
  await surface.addColumn('rate');
  await surface.chooseTest('or more');
  await page.getByTestId('value').locator('input').fill('20');
  await surface.done();
  await expect(surface.kept).toHaveText('2');

  const sheet = await surface.openSheet('posts');
  await page.getByTestId('join-table').click();
  await page.getByTestId('join-source').click();
  await page.getByRole('option', { name: /^rates/ }).click();
  await expect(page.getByTestId('match-report')).toContainText('2 of 3 features find their key; 1 does not: c');
  await page.getByTestId('take-rate').getByRole('checkbox').check();
  await page.getByTestId('join-keep').click();
  await expect(page.getByTestId('joined')).toBeVisible();
  await sheet.getByRole('button', { name: 'Close' }).click();
  await surface.open('posts');
  await surface.addColumn('rate');
  await surface.chooseTest('or more');
  await page.getByTestId('value').locator('input').fill('15');
  await surface.done();
  await expect(surface.kept).toHaveText('1');

  const newer = async (content: string) => {
    await surface.more('rates');
    const chooser = page.waitForEvent('filechooser');
    await page.getByText('Bring in a newer version').click();
    await (await chooser).setFiles({ name: 'rates-2027.csv', mimeType: '', buffer: Buffer.from(content) });
    await page.getByTestId('accept-version').click();
    await expect(page.getByTestId('notice')).toContainText('rates now has');
  };
  await newer('ward,rate\na,30\nb,20\nc,50\n');
  await expect(surface.kept).toHaveText('3');
  // A key that stands in two rows now was never said to be brought together: the values stay, and say so.
  await newer('ward,rate\na,1\na,2\nb,1\n');
  await expect(surface.kept).toHaveText('3');
  await surface.openSheet('posts');
  await sheet.getByRole('button', { name: /^Rate number, joined/ }).click();
  await expect(page.getByTestId('behind')).toContainText('2 rows of the table have the key a');
});
