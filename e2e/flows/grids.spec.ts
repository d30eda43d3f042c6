import { expect, test } from '../support/surface.ts';
import { countOf, shown, trees } from '../support/demo_data.ts';

test('cells of a grid are picked on the map and become an area', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.open('Trees');
  await page.getByRole('button', { name: 'Grid: pick its cells' }).click();
  const panel = page.getByTestId('grid-panel');
  await expect(panel).toContainText('Click the cells');
  await page.getByTestId('grid-kind').click();
  await page.getByRole('option', { name: 'Degrees' }).click();
  await surface.clickMap(20, 10);
  await expect(page.getByTestId('cells-picked')).toContainText('46.55°N 12.1°W');
  await page.getByTestId('keep-cells').click();
  const row = stack.locator('[data-row]');
  await expect(row).toContainText('In the area 46.55°N 12.1°W');
  const inside = trees.filter(({ geometry }) => {
    const [lon, lat] = geometry?.coordinates ?? [0, 0];
    return lon >= -12.1 && lon <= -12.05 && lat >= 46.55 && lat <= 46.6;
  });
  await expect(surface.kept).toHaveText(shown(inside.length));
  await page.getByRole('button', { name: 'Grid: pick its cells' }).click();
  await page.getByTestId('grid-kind').click();
  await page.getByRole('option', { name: 'Squares', exact: true }).click();
  await page.getByTestId('grid-size').locator('input').fill('1');
  await expect(panel).toContainText('Too many cells');
  await page.getByTestId('grid-size').locator('input').fill('10000');
  await page.getByTestId('all-cells').click();
  await expect(page.getByTestId('cells-picked')).toContainText(/\d+ cells/);
  await page.getByTestId('grid-size').locator('input').fill('2000');
  await surface.clickMap(-40, 30);
  await expect(page.getByTestId('cells-picked')).toContainText(/^\d+ \d+ · none/);
  await surface.clickMap(60, 30);
  await expect(page.getByTestId('cells-picked')).toContainText('2 cells');
  await page.getByTestId('cells-area').click();
  await expect(page.getByTestId('areas')).toContainText('2 squares');
  await expect(page.getByTestId('areas')).toContainText(/(799|80\d)\.\d ha|80\d ha/);
});

test('a typed length sets a corner; a hole is cut; the lasso draws by hand', async ({ surface }) => {
  const { page, stack } = surface;
  const row = stack.locator('[data-row]');
  await surface.newSieve();
  await page.getByRole('button', { name: 'Draw a polygon', exact: true }).click();
  await surface.clickMap(-120, -80);
  const [x, y] = await surface.onMap(100, -80);
  await page.mouse.move(x, y);
  await page.keyboard.type('6000');
  await expect(page.getByTestId('typed')).toContainText('6000 m');
  await page.keyboard.press('Enter');
  await surface.clickMap(90, 90);
  await surface.clickMap(-120, 90);
  await page.keyboard.press('Enter');
  await expect(row).toContainText('In the drawn area');
  const solid = await surface.keptCount();
  const [, lon, lat, toLon, toLat] = /POLYGON\(\((-?[\d.]+) (-?[\d.]+), (-?[\d.]+) (-?[\d.]+)/.exec(await surface.text())!.map(Number);
  const metres = Math.hypot((toLon - lon) * 111_320 * Math.cos((lat * Math.PI) / 180), (toLat - lat) * 111_150);
  expect(Math.abs(metres - 6000)).toBeLessThan(20);

  await page.getByTestId('cut-hole').click();
  for (const [dx, dy] of [
    [-60, -40],
    [20, -40],
    [20, 40],
  ])
    await surface.clickMap(dx, dy);
  await page.keyboard.press('Enter');
  await expect.poll(() => surface.keptCount()).toBeLessThan(solid);
  await page.getByTestId('cut-hole').click();
  for (const [dx, dy] of [
    [-300, -40],
    [-250, -40],
    [-250, 40],
  ])
    await surface.clickMap(dx, dy);
  await page.keyboard.press('Enter');
  await expect(page.getByText('A hole lies wholly within the area')).toBeVisible();

  await page.getByRole('button', { name: 'Draw round it instead' }).click();
  const corners = await Promise.all(
    [
      [-90, -60],
      [60, -60],
      [60, 60],
      [-90, 60],
      [-88, -50],
    ].map(([dx, dy]) => surface.onMap(dx, dy)),
  );
  await page.mouse.move(...corners[0]);
  await page.mouse.down();
  for (const corner of corners) await page.mouse.move(...corner, { steps: 8 });
  await page.mouse.up();
  await expect.poll(async () => (await surface.text()).length).toBeGreaterThan(200);
});

test('an area from a feature, from a file, and for several sources; what is kept is cut to it', async ({ surface }) => {
  const { page, stack } = surface;
  const areas = page.getByTestId('areas');
  await surface.open('Wards');
  const card = page.getByTestId('card');
  /** The card of the ward at a place, whatever else lies there. */
  const wardAt = async (dx: number, dy: number): Promise<string> => {
    await surface.clickMap(dx, dy);
    await expect(card).toBeVisible();
    const one = card.getByTestId('lying').filter({ hasText: 'Wards' });
    if ((await one.count()) > 0) await one.click();
    await expect(card.getByTestId('card-pick')).toBeVisible();
    return card.locator('header b').innerText();
  };
  const ward = await wardAt(0, 0);
  await page.getByTestId('card-area').click();
  await page.getByText('Make an area of it').click();
  await expect(areas.getByRole('button', { name: ward, exact: true })).toBeVisible();

  const size = areas.getByRole('button', { name: ward, exact: true }).locator('.size');
  const before = await size.innerText();
  await page.getByRole('button', { name: 'Close the card' }).click();
  expect(await wardAt(150, 40)).not.toBe(ward);
  await page.getByTestId('card-area').click();
  await page.getByText(`Add it to ${ward}`).click();
  await expect(size).not.toHaveText(before);
  await page.getByRole('button', { name: 'Close the card' }).click();

  await page.getByTestId('new-area').click();
  const bow = {
    type: 'Polygon',
    coordinates: [
      [
        [-12.14, 46.56],
        [-12.06, 46.62],
        [-12.06, 46.56],
        [-12.14, 46.62],
        [-12.14, 46.56],
      ],
    ],
  };
  await page.getByTestId('area-file').setInputFiles({ name: 'bow.geojson', mimeType: '', buffer: Buffer.from(JSON.stringify(bow)) });
  await expect(page.getByTestId('area-name').locator('input')).toHaveValue('bow');
  await page.getByTestId('area-add').click();
  await expect(page.getByText(/The shape of bow was not valid \(Self-intersection\)/)).toBeVisible();

  await areas.getByRole('button', { name: 'bow', exact: true }).hover();
  await areas.getByRole('button', { name: 'More for bow' }).click();
  await page.getByText('Keep what meets it in several sources').click();
  await expect(page.getByTestId('many-layers')).toBeVisible();
  const many = page.getByTestId('use-on-many');
  const sieves = Number(/\d+/.exec(await many.innerText())![0]);
  await many.click();
  await expect(surface.list.locator('.open', { hasText: '· bow' })).toHaveCount(sieves);
  for (const source of ['Trees', 'Paths', 'Wards', 'Surge zones'])
    await expect(surface.list.getByRole('button', { name: `${source} · bow`, exact: true })).toBeVisible();
  await expect(stack.getByRole('heading', { level: 1 })).toHaveText('Trees · bow');

  await surface.open('Wards · bow');
  await expect(stack.locator('[data-row]')).toContainText('Reaching into the area bow');
  await page.getByTestId('hand-over').click();
  const dialog = page.getByTestId('hand-over-dialog');
  await dialog.getByTestId('cut').locator('input').check();
  await dialog.getByRole('radio', { name: /New source/ }).check();
  await dialog.getByTestId('extract-name').locator('input').fill('Wards in the bow');
  await dialog.getByTestId('run').click();
  await expect(page.getByText(/Wards in the bow: a new source of \d+ features?\. \d+ cut, \d+ wholly within/)).toBeVisible();
  await expect(surface.table.getByRole('columnheader', { name: /Area after m²/ })).toBeVisible();
});

test('a period of two columns; dates that could fit', async ({ surface }) => {
  const { page, stack } = surface;
  const row = stack.locator('[data-row]');
  await surface.open('Surge zones');
  await page.getByTestId('add-condition').click();
  await page.getByTestId('add-span').click();
  await expect(row).toContainText('Valid from – valid to overlaps 25 Nov 2025 to 24 Nov 2026');
  await expect(surface.kept).toHaveText('3');
  await page.getByTestId('span-from').locator('input').fill('2028-01-01');
  await page.getByTestId('span-to').locator('input').fill('2028-12-31');
  await expect(surface.kept).toHaveText('1');
  await page.getByTestId('span-open').locator('input').uncheck();
  await expect(surface.kept).toHaveText('0');

  await surface.newSieve();
  await surface.write("planted < DATE('1960-06-01')");
  const known = (value: unknown) => (typeof value === 'string' ? value : null);
  const surely = countOf(({ planted }) => {
    const text = known(planted);
    return text !== null && (text.length === 4 ? Number(text) < 1960 : text < '1960-06-01');
  });
  await expect(surface.kept).toHaveText(surely);
  await row.locator('.sentence').click();
  await page.getByTestId('could').locator('input').check();
  const could = countOf(({ planted }) => {
    const text = known(planted);
    return text !== null && (text.length === 4 ? Number(text) <= 1960 : text < '1960-06-01');
  });
  await expect(surface.kept).toHaveText(could);
  await expect(row).toContainText('Planted could be before 1 Jun 1960');
});

test('all cells of a grid become a source, which others can be near to or in', async ({ surface }) => {
  const { page } = surface;
  await surface.open('Trees');
  await page.getByRole('button', { name: 'Grid: pick its cells' }).click();
  await page.getByTestId('grid-kind').click();
  await page.getByRole('option', { name: 'Hexagons' }).click();
  await page.getByTestId('grid-size').locator('input').fill('5000');
  await page.getByTestId('cells-source').click();
  await expect(page.getByTestId('notice')).toContainText('Hexagons of 5 km over Trees: a new source of');
  await surface.open('Hexagons of 5 km over Trees');
  const cells = Number((await page.getByTestId('kept').innerText()).replaceAll(/\D/g, ''));
  expect(cells).toBeGreaterThan(10);
  await surface.newSieve();
  await surface.write("S_INTERSECTS(geometry, SOURCE('Hexagons of 5 km over Trees'))");
  const placed = trees.filter(({ geometry }) => geometry !== null);
  await expect(surface.kept).toHaveText(shown(placed.length));
});
