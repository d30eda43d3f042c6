import { expect, test as base, type Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { newDemoFolder } from './demo_folder.ts';
import { startServer, type Running } from './own_server.ts';

interface Served {
  file: string;
  server: Running;
}

interface Fixtures {
  /** A server with the demo workspace, shared by the tests of a file in their order; nothing of other files is in it. */
  server: Running;
  surface: Surface;
}

export const test = base.extend<Fixtures, { served: { now: Served | null } }>({
  served: [
    async ({}, use) => {
      const served: { now: Served | null } = { now: null };
      await use(served);
      await served.now?.server.stop();
    },
    { scope: 'worker' },
  ],
  server: [
    async ({ served }, use, { file }) => {
      if (served.now?.file !== file) {
        await served.now?.server.stop();
        served.now = null;
        served.now = { file, server: await startServer({ demo: true, data: newDemoFolder() }) };
      }
      await use(served.now.server);
    },
    { timeout: 90_000 },
  ],
  async surface({ page, server }, use) {
    const problems: string[] = [];
    page.on('pageerror', (error) => problems.push(error.message));
    const surface = new Surface(page, server.url);
    await page.goto(server.url);
    await expect(surface.kept).not.toHaveText('…');
    await use(surface);
    expect(problems).toEqual([]);
  },
});
export { expect };

/** The working surface as a person uses it. */
export class Surface {
  readonly page: Page;
  readonly url: string;

  constructor(page: Page, url: string) {
    this.page = page;
    this.url = url;
  }

  get kept() {
    return this.page.getByTestId('kept');
  }
  get list() {
    return this.page.getByRole('navigation', { name: 'Sources and their sieves' });
  }
  get stack() {
    return this.page.getByRole('region', { name: 'Sift stack' });
  }
  get table() {
    return this.page.getByTestId('table');
  }

  async open(name: string): Promise<void> {
    await this.list.getByRole('button', { name, exact: true }).click();
    await expect(this.stack.getByRole('heading', { level: 1 })).toHaveText(name);
  }

  /** The rows of the table come behind the counts. */
  async rowsAreThere(): Promise<void> {
    await expect(this.table).toHaveAttribute('aria-busy', 'false');
  }

  /** A sieve over the trees of the demo that keeps all of them. */
  async newSieve(): Promise<void> {
    await this.newSieveOf('Trees', '24,000');
  }

  /** A sieve over a source that keeps all of it. */
  async newSieveOf(source: string, features: string): Promise<void> {
    await this.open(source);
    await this.more(source);
    await this.page.getByText('New sieve').click();
    // The source as a whole has as many: the sieve has to be there.
    await expect(this.stack).toContainText('all of these hold');
    await expect(this.kept).toHaveText(features);
  }

  /** Writes the whole filter of the active sieve as text; the text tab stays open. */
  async write(filter: string): Promise<void> {
    await this.page.getByTestId('text-tab').click();
    const editor = this.page.locator('.cm-content');
    const plain = (text: string) => text.replaceAll(/\s+/g, ' ').trim();
    // The editor draws hints in the text while it is filled, by which the selection of the old text can be lost.
    await expect(async () => {
      await editor.fill(filter);
      const shown = (await editor.locator('.cm-placeholder').count()) > 0 ? '' : await editor.innerText();
      expect(plain(shown)).toBe(plain(filter));
    }).toPass();
  }

  /** Opens the menu of a source or sieve in the list. */
  async more(name: string): Promise<void> {
    await this.list
      .locator('.entry')
      .filter({ has: this.page.getByRole('button', { name, exact: true }) })
      .hover();
    await this.list.getByRole('button', { name: `More for ${name}`, exact: true }).click();
  }

  /** Opens the sheet of a source: its columns, its report, where it came from. */
  async openSheet(source: string) {
    await this.more(source);
    await this.page.getByText('Columns and report').click();
    return this.page.getByTestId('source-sheet');
  }

  /** Gives the active sieve another name. */
  async rename(to: string): Promise<void> {
    await this.stack.getByRole('button', { name: 'Rename the sieve' }).click();
    await this.stack.getByRole('textbox', { name: 'Name of the sieve' }).fill(to);
    await this.page.keyboard.press('Enter');
    await expect(this.stack.getByRole('heading', { level: 1 })).toHaveText(to);
  }

  /** A chart of the board below the map, in all its room; made where there is none of its kind. */
  async chart(kind: 'bars' | 'histogram' | 'times' | 'share' | 'scatter' | 'boxes' | 'groups') {
    const titles = {
      bars: 'Bars',
      histogram: 'Histogram',
      times: 'Along time',
      share: 'Shares',
      scatter: 'Two numbers',
      boxes: 'Boxes',
      groups: 'Groups',
    };
    await this.page.getByTestId('charts-tab').click();
    const chart = this.page.getByTestId(`chart-${kind}`);
    await expect(this.page.locator('[data-test=charts] > section').last()).toBeVisible();
    const back = this.page.getByRole('button', { name: 'Beside the others' });
    if ((await back.count()) > 0) await back.click();
    await expect(this.page.getByTestId('table-state')).toContainText(/[1-9]\d* charts?$/);
    const many = Number.parseInt(await this.page.getByTestId('table-state').innerText());
    await expect(this.page.locator('[data-test=charts] > section')).toHaveCount(many);
    if ((await chart.count()) === 0) {
      await this.page.getByTestId('add-chart').click();
      await this.page.locator('.v-list-item').filter({ hasText: titles[kind] }).click();
    }
    await chart.getByRole('button', { name: 'Show it large' }).click();
    return chart;
  }

  async keptCount(): Promise<number> {
    await expect(this.kept).not.toHaveText('…');
    // The number of before stands until there is another one.
    await expect(this.kept).toHaveAttribute('aria-busy', 'false');
    return Number((await this.kept.innerText()).replaceAll(/\D/g, ''));
  }

  async addColumn(name: string): Promise<void> {
    await this.page.getByTestId('add-condition').click();
    await this.page.getByRole('searchbox', { name: 'Find a column' }).fill(name);
    await this.page.keyboard.press('Enter');
    await expect(this.page.getByTestId('editor')).toBeVisible();
  }

  /** Chooses how the column of the open editor is tested. */
  async chooseTest(title: string): Promise<void> {
    await this.page.getByTestId('test').click();
    await this.page.getByRole('option', { name: title, exact: true }).click();
  }

  async done(): Promise<void> {
    await this.page.getByRole('button', { name: 'Done' }).click();
  }

  /** Chooses a file and, once it was looked at, takes it in as it is offered. */
  async bringIn(name: string, content: string | Buffer): Promise<void> {
    await this.choose({ name, content });
    await this.page.getByTestId('take').click();
  }

  async choose(...files: { name: string; content: string | Buffer }[]): Promise<void> {
    await this.page
      .getByTestId('file')
      .setInputFiles(files.map(({ name, content }) => ({ name, mimeType: '', buffer: Buffer.from(content as Buffer) })));
    await expect(this.page.getByTestId('bring-in-dialog')).toBeVisible();
  }

  /** The filter of the active sieve as CQL2 text, as the dock shows it. */
  async text(): Promise<string> {
    await this.page.getByTestId('text-tab').click();
    const editor = this.page.locator('.cm-content');
    await expect(editor).toBeVisible();
    const text = (await editor.innerText()).replaceAll(/\s*\n\s*/g, ' ').trim();
    await this.page.getByRole('tab', { name: 'Table' }).click();
    return text;
  }

  /** Hands over in a format and gives the bytes of the file. */
  async handOver(format: RegExp, name: string): Promise<{ text: string; fileName: string }> {
    await this.page.getByTestId('hand-over').click();
    const dialog = this.page.getByTestId('hand-over-dialog');
    await dialog.getByRole('radio', { name: format }).check();
    await dialog.getByTestId('extract-name').locator('input').fill(name);
    const download = this.page.waitForEvent('download');
    await dialog.getByTestId('run').click();
    const file = await download;
    return { text: readFileSync(await file.path(), 'utf8'), fileName: file.suggestedFilename() };
  }

  /** Position on the page of a place in the map's middle, moved by pixels. */
  async onMap(dx: number, dy: number): Promise<[number, number]> {
    const box = (await this.page.getByTestId('map').boundingBox())!;
    return [box.x + box.width / 2 + dx, box.y + box.height / 2 + dy];
  }

  async clickMap(dx: number, dy: number): Promise<void> {
    const [x, y] = await this.onMap(dx, dy);
    await this.page.mouse.move(x, y);
    await this.page.mouse.down();
    await this.page.mouse.up();
    // OpenLayers needs a moment between clicks so as not to take two for one.
    await this.page.waitForTimeout(90);
  }
}
