import { expect, test } from '../support/surface.ts';
import { shown, trees } from '../support/demo_data.ts';

test('an area is typed once, used by its name, and every condition follows when it changes', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  await page.getByTestId('new-area').click();
  // The sheet is typed into once it stands still and has taken the focus.
  await expect(page.getByTestId('area-shape').locator('textarea').first()).toBeFocused();
  await page.getByTestId('area-name').locator('input').fill('Old town');
  const shape = page.getByTestId('area-shape').locator('textarea').first();
  await expect(page.getByTestId('area-name').locator('input')).toHaveValue('Old town');
  await shape.fill('POLYGON((-12.2 46.55, -12.1 46.55, -12.1 46.65))');
  await expect(page.getByTestId('area-problem')).toContainText('at least four positions');
  await shape.fill('POLYGON((-12.2 46.55, -12.1 46.55, -12.1 46.65, -12.2 46.65, -12.2 46.55))');
  await expect(page.getByTestId('area-size')).toContainText('km²');
  await page.getByTestId('area-add').click();
  await page.getByTestId('add-condition').click();
  await page.getByText('In the area Old town').click();
  const inside = trees.filter(
    ({
      geometry: {
        coordinates: [x, y],
      },
    }) => x >= -12.2 && x <= -12.1 && y >= 46.55 && y <= 46.65,
  );
  await expect(surface.kept).toHaveText(shown(inside.length));
  await expect(page.getByTestId('sentence')).toContainText('Trees in the area Old town');
  await surface.done();

  // Renamed: the condition goes on being about it.
  const areas = page.getByTestId('areas');
  await areas.getByRole('button', { name: 'Old town', exact: true }).hover();
  await areas.getByRole('button', { name: 'More for Old town' }).click();
  await page.getByText('Rename …').click();
  await areas.getByRole('textbox', { name: 'Name of the area' }).fill('Town');
  await page.keyboard.press('Enter');
  await expect(stack.locator('[data-row]')).toContainText('In the area Town');
  expect(await surface.text()).toBe("S_INTERSECTS(geometry, AREA('Town'))");
  await expect(surface.kept).toHaveText(shown(inside.length));

  // In use, it stays; nothing is lost.
  await areas.getByRole('button', { name: 'More for Town' }).click();
  await page.getByRole('listbox').getByText('Remove').or(page.locator('.v-overlay--active').getByText('Remove')).first().click();
  await expect(page.getByTestId('notice').last()).toContainText('take it out of the conditions first');
});

test('a drawn circle becomes an area with its exact radius', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  await surface.write("S_DWITHIN(geometry, POINT(-12.0882 46.5946), 700, 'm')");
  await expect(surface.kept).not.toHaveText('24,000');
  const kept = await surface.keptCount();
  await stack.locator('[data-row] .sentence').first().click();
  await page.getByTestId('name-area').click();
  await page.getByTestId('keep-name').locator('input').fill('Round the school');
  await page.getByTestId('keep-area').click();
  await expect(page.getByTestId('areas')).toContainText('radius 700 m');
  await expect(page.locator('.cm-content')).toHaveText("S_INTERSECTS(geometry, AREA('Round the school'))");
  expect(await surface.keptCount()).toBe(kept);
  // The text knows the areas too.
  await surface.write("S_INTERSECTS(geometry, AREA('Round the schol'))");
  await page.getByTestId('text-problem').getByRole('button', { name: "write 'Round the school'" }).click();
  await expect(page.getByTestId('text-problem')).toHaveCount(0);
});

test('a drawn line keeps what comes within a distance of it; as an area it is a strip of that width', async ({ surface }) => {
  const { page, stack } = surface;
  await surface.newSieve();
  await page.getByRole('button', { name: 'Draw a line with a width' }).click();
  for (const [dx, dy] of [
    [-120, -40],
    [20, 30],
    [140, -20],
  ] as const)
    await surface.clickMap(dx, dy);
  await page.keyboard.press('Enter');
  await expect(stack.locator('[data-row]')).toContainText('Within 20 m of the drawn line');
  await page.getByTestId('distance').locator('input').fill('250');
  await expect(stack.locator('[data-row]')).toContainText('Within 250 m of the drawn line');
  const text = await surface.text();
  // Metres on a plane that fits the island: good to a few parts in ten thousand, so only clear cases are compared.
  const [lon0, lat0] = [-12.1, 46.6];
  const plane = ([lon, lat]: number[]) => [(lon - lon0) * 76_590, (lat - lat0) * 111_160];
  const line = /LINESTRING\(([^)]*)\)/
    .exec(text)![1]
    .split(',')
    .map((p) => plane(p.trim().split(' ').map(Number)));
  const distance = (p: number[]) =>
    Math.min(
      ...line.slice(1).map(([bx, by], i) => {
        const [ax, ay] = line[i];
        const t = Math.max(0, Math.min(1, ((p[0] - ax) * (bx - ax) + (p[1] - ay) * (by - ay)) / ((bx - ax) ** 2 + (by - ay) ** 2)));
        return Math.hypot(p[0] - ax - t * (bx - ax), p[1] - ay - t * (by - ay));
      }),
    );
  const within = (metres: number) => trees.filter(({ geometry }) => distance(plane(geometry.coordinates)) <= metres).length;
  await expect.poll(() => surface.keptCount()).toBeGreaterThanOrEqual(within(248));
  const kept = await surface.keptCount();
  expect(kept).toBeLessThanOrEqual(within(252));
});
