import { expect, test } from '@playwright/test';
import { Surface } from '../support/surface.ts';
import { startServer } from '../support/own_server.ts';

test('what was done is there after a restart; an import killed half-way leaves nothing', async ({ page }) => {
  test.setTimeout(120_000);
  const first = await startServer({ demo: false, removeData: false });
  const surface = new Surface(page, first.url);
  await page.goto(first.url);
  await expect(page.getByText('No layer yet')).toBeVisible();
  const features = Array.from({ length: 3 }, (_, n) => ({
    type: 'Feature',
    geometry: { type: 'Point', coordinates: [n, n] },
    properties: { n },
  }));
  await surface.bringIn('small.geojson', JSON.stringify({ type: 'FeatureCollection', features }));
  await expect(surface.kept).toHaveText('3');
  await surface.addColumn('n');
  await surface.chooseTest('or more');
  const saved = page.waitForResponse(
    (response) => response.request().method() === 'PATCH' && /"n"},1\]/.test(response.request().postData() ?? ''),
  );
  await page.getByTestId('value').locator('input').fill('1');
  await expect(surface.kept).toHaveText('2');
  // Changes are saved a moment after they are made.
  expect((await saved).status()).toBe(200);

  const line = JSON.stringify(features[0]);
  const large = Buffer.from(`${line}\n`.repeat(600_000));
  const sent = await fetch(`${first.url}api/uploads?name=large.ndjson`, { method: 'POST', body: large });
  const { upload } = (await sent.json()) as { upload: string };
  const started = await fetch(`${first.url}api/uploads/${upload}/imports`, {
    method: 'POST',
    body: JSON.stringify({ layers: [{ file: 'large.ndjson', layer: 'large', name: 'large' }] }),
  });
  const { id } = (await started.json()) as { id: string };
  const progress = async () => ((await (await fetch(`${first.url}api/jobs/${id}`)).json()) as { progress: string }).progress;
  await expect.poll(progress).toContain('features read');
  await first.stop('SIGKILL');

  const second = await startServer({ demo: false, data: first.data });
  await page.goto(second.url);
  await expect(surface.list.locator('.source')).toHaveCount(1);
  await surface.list.locator('.sieve .open').click();
  await expect(surface.kept).toHaveText('2');
  await second.stop();
});

test('long work shows its progress and can be cancelled', async ({ page }) => {
  const server = await startServer({ demo: false });
  const surface = new Surface(page, server.url);
  await page.goto(server.url);
  const line = '{"type":"Feature","geometry":{"type":"Point","coordinates":[8,47]},"properties":{"a":1}}\n';
  await surface.bringIn('long.ndjson', Buffer.from(line.repeat(500_000)));
  const job = page.getByTestId('job');
  await expect(job).toContainText(/features read/);
  await job.getByRole('button', { name: 'Cancel' }).click();
  await expect(job).toHaveCount(0);
  await expect(page.getByText('No layer yet')).toBeVisible();
  await server.stop();
});
