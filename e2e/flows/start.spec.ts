import { expect, test as base } from '@playwright/test';
import { startServer, type Running } from '../support/own_server.ts';
import { violations } from '../support/reach.ts';

const test = base.extend<{ server: Running }>({
  server: [
    async ({}, use) => {
      const server = await startServer({ demo: false });
      await use(server);
      await server.stop();
    },
    { scope: 'test', timeout: 90_000 },
  ],
});

test('an empty workspace says what can be done: world data that ships with it is brought in like any file', async ({ page, server }) => {
  await page.goto(server.url);
  await expect(page.getByTestId('start-here')).toContainText('Begin with data of your own');
  expect(await violations(page)).toEqual([]);
  await page.getByTestId('example').filter({ hasText: 'Countries' }).click();
  await expect(page.getByTestId('bring-in-dialog')).toContainText('Countries');
  await page.getByTestId('take').click();
  await expect(page.getByTestId('kept')).toHaveText('241');
  await expect(page.getByTestId('table').locator('.row').first()).toBeVisible();
});

test('the demo is made in the empty workspace; once there is something it is refused', async ({ page, server }) => {
  await page.goto(server.url);
  await page.getByTestId('make-demo').click();
  await expect(page.getByTestId('kept')).not.toHaveText('…');
  await expect(page.getByRole('banner')).toContainText('Storm season 2026');
  await expect(page.getByRole('navigation', { name: 'Sources and their sieves' })).toContainText('Veterans overdue');
  const again = await page.request.post(`${server.url}api/demo`, { data: {}, headers: { origin: new URL(server.url).origin } });
  expect(again.status()).toBe(409);
});
