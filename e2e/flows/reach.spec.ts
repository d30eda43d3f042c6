import { violations } from '../support/reach.ts';
import { expect, test, type Surface } from '../support/surface.ts';

/** Looks at a screen, or at a part of it. */
type Look = (screen: string, within?: string) => Promise<void>;

for (const theme of ['light', 'dark'] as const) {
  /** The screens of a part of the work, each looked at when it stands, in these colours. */
  const screens = (part: string, work: (surface: Surface, look: Look) => Promise<void>): void =>
    test(`${part} in ${theme} colours: no rule of WCAG 2.2 AA is broken`, async ({ surface }) => {
      const { page } = surface;
      if (theme === 'dark') await page.getByRole('button', { name: 'Dark colours' }).click();
      await surface.open('Veterans overdue');
      await expect(surface.table.locator('.row').first()).toBeVisible();
      const found: string[] = [];
      await work(surface, async (screen, within) => {
        found.push(
          ...(await violations(page, within === undefined ? undefined : page.getByTestId(within))).map((text) => `${screen}: ${text}`),
        );
      });
      expect([...new Set(found)]).toEqual([]);
    });

  screens('the surface, charts, small maps and text', async (surface, look) => {
    const { page } = surface;
    await look('surface');
    await page.getByTestId('charts-tab').click();
    await expect(page.getByTestId('value-bars')).toBeVisible();
    await look('charts');
    for (const kind of ['share', 'scatter', 'boxes', 'groups'] as const) {
      const chart = await surface.chart(kind);
      await expect(chart.getByTestId('said')).not.toHaveText('');
      await look(kind, `chart-${kind}`);
    }
    await page.getByTestId('maps-tab').click();
    await expect(page.getByTestId('small-map').first()).toBeVisible();
    await look('small maps');
    await page.getByTestId('text-tab').click();
    await expect(page.locator('.cm-content')).toBeVisible();
    await look('text');
    await page.getByRole('tab', { name: 'Table' }).click();
    await surface.table.locator('.row').first().click();
    await expect(page.getByTestId('card')).toBeVisible();
    await look('card');
  });

  screens('style and conditions', async (surface, look) => {
    const { page } = surface;
    const colourBy = async (column: string): Promise<void> => {
      await page.getByRole('combobox', { name: 'Colour by' }).fill(column);
      await page.getByRole('option', { name: column, exact: true }).click();
    };
    await page.getByTestId('style').click();
    await colourBy('Storm risk');
    await expect(page.getByTestId('bound').first()).toBeVisible();
    await look('style by steps');
    await colourBy('Owner');
    await expect(page.getByTestId('class').first()).toContainText('M1');
    await look('style by values');
    await colourBy('one colour');
    await page.getByRole('button', { name: 'Close', exact: true }).click();

    for (const row of await surface.stack.locator('[data-row]').all()) {
      await row.locator('.sentence').click();
      await expect(page.getByTestId('editor')).toBeVisible();
      await look('condition', 'editor');
      await surface.done();
    }
    await page.getByTestId('add-condition').click();
    await expect(page.getByRole('searchbox', { name: 'Find a column' })).toBeVisible();
    await look('add a condition');
    await page.keyboard.press('Escape');
    await expect(page.getByRole('searchbox', { name: 'Find a column' })).toHaveCount(0);
    await page.getByText('ask about a column').click();
    await expect(page.getByTestId('figures').locator('td').first()).toBeVisible();
    await look('figures');
  });

  screens('what opens over the surface', async (surface, look) => {
    const { page } = surface;
    /** Looks at what stands there now, and closes it. */
    const lookAndClose = async (dialog: string, screen: string): Promise<void> => {
      await expect(page.getByTestId(dialog)).toBeVisible();
      await look(screen, dialog);
      await page.keyboard.press('Escape');
      await expect(page.getByTestId(dialog)).toHaveCount(0);
    };
    await page.getByTestId('hand-over').click();
    await expect(page.getByTestId('hand-over-dialog')).toBeVisible();
    await look('hand over', 'hand-over-dialog');
    await page.getByTestId('hand-over-dialog').getByText('The map as a page').click();
    await expect(page.getByTestId('page-look')).toBeVisible();
    await lookAndClose('hand-over-dialog', 'the map as a page');
    await page.getByTestId('help-button').click();
    await expect(page.getByTestId('help')).toContainText('Filters');
    await lookAndClose('help', 'help');
    await page.keyboard.press('Control+k');
    await page.getByTestId('find').fill('oak');
    await expect(page.getByTestId('found').first()).toBeVisible();
    await lookAndClose('find-dialog', 'find');
    await surface.more('Veterans overdue');
    await page.getByText('Publish as a feed').click();
    await lookAndClose('feed-sheet', 'feeds');
    await page.getByTestId('from-service').click();
    await page.getByTestId('use-simulated').click();
    await page.getByTestId('with-key').click();
    await page.getByTestId('service-condition').locator('.cm-content').fill("severity >= 4 AND kind < 'g'");
    await expect(page.getByTestId('decided')).toContainText('here');
    await page.getByTestId('fetch-name').locator('input').focus();
    await lookAndClose('service-dialog', 'a service');
    await surface.openSheet('Trees');
    await look('columns', 'source-sheet');
    await page.getByTestId('compute-column').click();
    await expect(page.getByTestId('compute-panel')).toBeVisible();
    await look('computing a column', 'source-sheet');
    await page.getByTestId('find-duplicates').click();
    await page.getByTestId('alike-within').fill('2');
    await expect(page.getByTestId('alike-summary')).toBeVisible();
    await look('duplicates', 'source-sheet');
    await page
      .locator('.names')
      .getByRole('button', { name: /^Notes/ })
      .click();
    await page.getByTestId('read-column').click();
    await expect(page.getByTestId('misfits')).toBeVisible();
    await look('reading texts', 'source-sheet');
    await page.getByTestId('join-table').click();
    await page.getByTestId('join-source').click();
    await page.getByRole('option', { name: /^Inspections/ }).click();
    await page.getByTestId('alike-case').click();
    await expect(page.getByTestId('match-report')).toBeVisible();
    await page.getByTestId('take-hours').getByRole('checkbox').check();
    await lookAndClose('source-sheet', 'joining a table');
    await surface.openSheet('Wards');
    await page.getByTestId('sum-up').click();
    await page.getByTestId('zoned-of').click();
    await page.getByRole('option', { name: 'Trees · Veterans overdue' }).click();
    await page.getByTestId('add-figure').click();
    await lookAndClose('source-sheet', 'summing up by zones');
    await page.getByText('+ New area').click();
    await lookAndClose('area-sheet', 'new area');
    await page.getByRole('button', { name: 'Grid: pick its cells' }).click();
    await expect(page.getByRole('button', { name: 'Grid: pick its cells' })).toHaveAttribute('aria-pressed', 'true');
    await look('cells of a grid');
    await page.getByRole('button', { name: 'Ask a feature' }).click();
    await surface.more('Trees');
    await page.getByText('Rename …').click();
    await expect(page.getByLabel('New name')).toBeVisible();
    await look('rename');
    await page.keyboard.press('Escape');
    await expect(page.getByLabel('New name')).toHaveCount(0);
    await surface.choose({ name: `posts ${theme}.csv`, content: 'id,lon,lat\n1,8,47\n2,8.1,47\n' });
    await expect(page.getByTestId('take')).toBeVisible();
    await look('bring in');
    await page.getByTestId('take').click();
    await expect(page.getByTestId('notice')).toContainText(`posts ${theme}: 2 features`);
    await surface.more(`posts ${theme}`);
    const chooser = page.waitForEvent('filechooser');
    await page.getByText('Bring in a newer version').click();
    await (await chooser).setFiles({ name: 'posts.csv', mimeType: '', buffer: Buffer.from('id,lon,lat\n1,8,47.5\n3,8.1,47\n') });
    await expect(page.getByTestId('version-sheet')).toContainText('1 added');
    await look('a newer version', 'version-sheet');
  });
}
