import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { polygonContains } from 'd3-polygon';
import type { FeatureCollection, Point } from 'geojson';
import { expect, test } from '../support/surface.ts';
import { trees, treesFile } from '../support/demo_data.ts';
import { TOP } from '../support/own_server.ts';

const kept = (file: string) =>
  (JSON.parse(file) as FeatureCollection<Point, Record<string, unknown>>).features.map((f) => f.properties.tree_id);

test('narrow by an attribute, a date and a drawn area, and hand the result over', async ({ surface }, info) => {
  const { page } = surface;
  await surface.newSieve();

  await surface.addColumn('girth');
  await surface.chooseTest('or more');
  await page.getByTestId('value').locator('input').fill('180');
  await surface.done();
  const girthy = trees.filter((t) => Number(t.properties.girth_cm ?? NaN) >= 180);
  await expect(surface.kept).toHaveText(girthy.length.toLocaleString('en-GB'));

  await surface.addColumn('last inspected');
  await surface.chooseTest('before');
  await page.getByRole('radio', { name: 'a fixed day' }).check();
  await page.getByTestId('day').locator('input').fill('2022-06-01');
  await surface.done();
  const dated = girthy.filter((t) => typeof t.properties.last_inspected === 'string' && t.properties.last_inspected < '2022-06-01');
  await expect(surface.kept).toHaveText(dated.length.toLocaleString('en-GB'));

  await page.getByRole('button', { name: 'Draw a polygon', exact: true }).click();
  for (const [dx, dy] of [
    [-140, -60],
    [120, -90],
    [150, 70],
    [-40, 100],
  ] as const)
    await surface.clickMap(dx, dy);
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('sentence')).toContainText('in the drawn area');
  const text = await surface.text();
  const ring = /POLYGON\(\(([^)]*)\)\)/
    .exec(text)![1]
    .split(',')
    .map((p) => p.trim().split(' ').map(Number));
  // Even-odd test of a library of its own; no demo tree lies on the drawn edge.
  const expected = dated.filter((t) => polygonContains(ring as [number, number][], t.geometry.coordinates as [number, number]));
  expect(expected.length).toBeGreaterThan(10);
  await expect(surface.kept).toHaveText(expected.length.toLocaleString('en-GB'));

  const { text: file, fileName } = await surface.handOver(/^GeoJSON \.geojson/, 'crews north');
  expect(fileName).toBe('crews north.geojson');
  expect(kept(file)).toEqual(expected.map((t) => t.properties.tree_id));

  // The command line keeps the same features with the text that the interface shows.
  const [source, out] = [info.outputPath('trees.geojson'), info.outputPath('kept.geojson')];
  writeFileSync(source, treesFile);
  const args = ['sift', source, '--where', text, '--as-of', '2026-11-24', '--out', out];
  const said = JSON.parse(execFileSync(join(TOP, 'clean-sieve'), args, { encoding: 'utf8' })) as Record<string, number>;
  expect(said).toMatchObject({ read: 24_000, kept: expected.length });
  expect(kept(readFileSync(out, 'utf8'))).toEqual(expected.map((t) => t.properties.tree_id));

  // Three steps back and forth again.
  const counts = [expected.length, dated.length, girthy.length].map((n) => n.toLocaleString('en-GB'));
  await page.keyboard.press('Control+z');
  await expect(surface.kept).toHaveText(counts[1]);
  await page.getByRole('button', { name: 'Redo' }).click();
  await expect(surface.kept).toHaveText(counts[0]);
});

test('a circle is a radius on the ellipsoid, and can be typed', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await page.getByRole('button', { name: 'Draw a circle', exact: true }).click();
  await surface.clickMap(0, 0);
  await surface.clickMap(80, 0);
  await expect(page.getByTestId('sentence')).toContainText(/within .* m of/);
  await expect.poll(() => surface.keptCount()).toBeGreaterThan(0);
  const drawn = await surface.keptCount();
  // The new condition is open for its numbers to be typed.
  await page.getByTestId('distance').locator('input').fill('500');
  await expect(page.getByTestId('sentence')).toContainText('within 500 m of');
  await expect.poll(() => surface.keptCount()).toBeLessThan(drawn);
  expect(await surface.text()).toMatch(/^S_DWITHIN\(geometry, POINT\(-12\.\d+ 46\.\d+\), 500, 'm'\)$/);
});

test('a rectangle is dragged or clicked, and the last click asks nothing of what lies there', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  const box = (await page.locator('.canvas').boundingBox())!;
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  const scale = await page.locator('.ol-scale-line-inner').innerText();
  const rectangle = page.getByRole('button', { name: 'Draw a rectangle', exact: true });
  await rectangle.click();
  await page.mouse.move(x - 60, y - 50);
  await page.mouse.down();
  await page.mouse.move(x + 60, y + 50, { steps: 6 });
  await expect(page.locator('.drawn-box')).toBeVisible();
  await page.mouse.up();
  await expect(stack.locator('[data-row]')).toHaveCount(1);
  await expect(surface.kept).not.toHaveText('24,000');
  const dragged = await surface.keptCount();
  expect(dragged).toBeGreaterThan(0);
  expect(await page.locator('.ol-scale-line-inner').innerText()).toBe(scale);
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect(surface.kept).toHaveText('24,000');

  let asked = 0;
  page.on('request', (request) => (asked += request.url().endsWith('/there') ? 1 : 0));
  // About the same by two clicks, which snap to what is near: the map has not moved meanwhile.
  await rectangle.click();
  await page.mouse.click(x - 60, y - 50);
  await page.mouse.move(x, y, { steps: 3 });
  await page.mouse.click(x + 60, y + 50);
  await expect(surface.kept).not.toHaveText('24,000');
  expect(Math.abs((await surface.keptCount()) - dragged) / dragged).toBeLessThan(0.1);
  expect(asked).toBe(0);
  // The map can be dragged again, and asked; the clicks that drew have not asked it.
  await page.mouse.click(x, y);
  await expect(page.getByTestId('card')).toBeVisible();
  expect(asked).toBeGreaterThan(0);
});

test('a handle of the histogram filters as it is dragged, and one undo takes the drag back', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.addColumn('storm risk');
  // A new range keeps all that has a value; its blanks are left out.
  const everything = trees.filter((t) => typeof t.properties.storm_risk === 'number').length;
  await expect(surface.kept).toHaveText(everything.toLocaleString('en-GB'));
  const handle = (await page.getByTestId('handle-low').boundingBox())!;
  await page.mouse.move(handle.x + 8, handle.y + 20);
  await page.mouse.down();
  const counts: number[] = [];
  for (let step = 1; step <= 6; step++) {
    await page.mouse.move(handle.x + 8 + step * 22, handle.y + 20);
    // The count falls while the handle is held, not only once it is let go.
    await expect.poll(() => surface.keptCount()).toBeLessThan(counts.at(-1) ?? everything);
    counts.push(await surface.keptCount());
  }
  await page.mouse.up();
  await surface.done();
  await page.keyboard.press('Control+z');
  await expect(surface.kept).toHaveText(everything.toLocaleString('en-GB'));
});

test('conditions are switched off, moved, removed; blanks are counted and kept on request', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await surface.addColumn('owner');
  await surface.chooseTest('is none of');
  await page.getByRole('searchbox', { name: /^Find a value/ }).fill('M1');
  await page.getByRole('checkbox', { name: /^M1/ }).check();
  // "None of" keeps the blank ones unless told otherwise (common practice: blank is private here, not unknown).
  await page.getByRole('checkbox', { name: /^Keep blanks/ }).uncheck();
  await surface.done();
  const blank = trees.filter((t) => t.properties.owner === null || t.properties.owner === undefined).length;
  const other = trees.filter((t) => typeof t.properties.owner === 'string' && t.properties.owner !== 'M1').length;
  await expect(surface.kept).toHaveText(other.toLocaleString('en-GB'));
  await expect(surface.stack).toContainText(`${blank.toLocaleString('en-GB')} blank, left out`);
  await surface.stack.getByRole('button', { name: 'keep blanks' }).click();
  await expect(surface.kept).toHaveText((other + blank).toLocaleString('en-GB'));

  await surface.addColumn('protected');
  await surface.done();
  const row = surface.stack.locator('[data-row]');
  await expect(row).toHaveCount(2);
  const both = trees.filter((t) => t.properties.owner !== 'M1' && t.properties.protected === true).length;
  await expect(surface.kept).toHaveText(both.toLocaleString('en-GB'));
  await row.nth(1).focus();
  await page.keyboard.press('Alt+ArrowUp');
  await expect(row.nth(0)).toContainText('Protected is yes');
  await page.keyboard.press('Space');
  await expect(surface.kept).toHaveText((other + blank).toLocaleString('en-GB'));
  await page.keyboard.press('Space');
  await expect(surface.kept).toHaveText(both.toLocaleString('en-GB'));
  await page.keyboard.press('Delete');
  await expect(row).toHaveCount(1);
  await expect(surface.kept).toHaveText((other + blank).toLocaleString('en-GB'));
});

test('stack and text are one: the text can be written, and its errors say where and what', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await page.getByTestId('text-tab').click();
  const editor = page.locator('.cm-content');
  await editor.fill("species IN ('0101', '0142') AND storm_risk > 80");
  const expected = trees.filter(
    (t) => ['0101', '0142'].includes(String(t.properties.species)) && Number(t.properties.storm_risk ?? NaN) > 80,
  );
  await expect(surface.kept).toHaveText(expected.length.toLocaleString('en-GB'));
  await expect(surface.stack).toContainText('Species is one of 0101 Pedunculate oak or 0142 Sycamore');
  await editor.fill("speces = '0101'");
  await expect(page.getByTestId('text-problem')).toContainText('There is no column speces (at character 1). Did you mean species?');
  await editor.fill("species = '0101' AND");
  await expect(page.getByTestId('text-problem')).toContainText('Expected a column or a value, but the text ends');
  // What was kept before stays in force until the text can be read again.
  await expect(surface.kept).toHaveText(expected.length.toLocaleString('en-GB'));
});

test('what is probably not meant is pointed out, and one click mends it', async ({ surface }) => {
  const { page } = surface;
  await surface.newSieve();
  await page.getByTestId('text-tab').click();
  await page.locator('.cm-content').fill("species = '0101' AND species = '0142' AND condition = 'very por'");
  await expect(surface.kept).toHaveText('0');
  await expect(page.getByTestId('finding').first()).toContainText('Species cannot be 0101 and 0142 at once.');
  await surface.stack.getByRole('button', { name: 'keep either' }).click();
  await surface.stack.getByRole('button', { name: 'take “very poor”' }).click();
  const expected = trees.filter((t) => ['0101', '0142'].includes(String(t.properties.species)) && t.properties.condition === 'very poor');
  await expect(surface.kept).toHaveText(expected.length.toLocaleString('en-GB'));
  await expect(page.getByTestId('finding')).toHaveCount(0);
  await page.keyboard.press('Escape');
  await surface.stack.click({ position: { x: 20, y: 20 } });
  await page.keyboard.press('Control+z');
  await expect(surface.kept).toHaveText('0');
});

test('one column against another, times and plus a number; texts by a pattern, without regard to accents', async ({ surface }) => {
  const { page } = surface;
  const rows = ['name,high,wide,lon,lat', 'Chêne vert,10,4,8,47', 'chene rouge,10,6,8.1,47', 'Hêtre,3,2,8.2,47', 'Sapin,,2,8.3,47'];
  await surface.bringIn('posts.csv', `${rows.join('\n')}\n`);
  await expect(page.getByTestId('notice')).toContainText('4 features');
  await surface.addColumn('high');
  await surface.chooseTest('against another column');
  await expect(page.getByTestId('versus-editor')).toBeVisible();
  await expect(surface.kept).toHaveText('3');
  await page.getByTestId('times').locator('input').fill('2');
  await expect(surface.kept).toHaveText('1');
  await expect(page.getByTestId('sentence')).toContainText('high above wide × 2');
  await page.getByTestId('plus').locator('input').fill('-3');
  await expect(surface.kept).toHaveText('3');
  await page.getByTestId('versus-op').click();
  await page.getByRole('option', { name: 'the same as', exact: true }).click();
  await expect(surface.kept).toHaveText('0');
  await page.getByTestId('times').locator('input').fill('1.5');
  await page.getByTestId('plus').locator('input').fill('1');
  await expect(surface.kept).toHaveText('1');
  await surface.done();
  expect(await surface.text()).toBe('high = wide * 1.5 + 1');
  await surface.stack.locator('[data-row]').focus();
  await page.keyboard.press('Delete');
  await expect(surface.kept).toHaveText('4');
  await surface.addColumn('name');
  await surface.chooseTest('fits the pattern');
  await page.getByTestId('pattern').locator('input').fill('chene%');
  await page.keyboard.press('Enter');
  await expect(surface.kept).toHaveText('1');
  await page.getByLabel('Accents matter').click();
  await expect(surface.kept).toHaveText('2');
  await surface.chooseTest('does not fit the pattern');
  await page.getByTestId('pattern').locator('input').fill('_hene%');
  await page.keyboard.press('Tab');
  await expect(surface.kept).toHaveText('2');
  await surface.done();
  expect(await surface.text()).toBe("CASEI(ACCENTI(name)) NOT LIKE CASEI(ACCENTI('_hene%'))");
});
