// Writes the pictures in docs/screenshots from a fresh demo workspace. Run after ./check has built everything.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { chromium } from 'playwright-core';

const top = resolve(import.meta.dirname, '..');
const data = mkdtempSync(join(tmpdir(), 'clean-sieve-pictures-'));
const server = spawn(process.execPath, [
  '--no-warnings',
  join(top, 'packages/server/dist/main.mjs'),
  '--port',
  '0',
  '--data',
  data,
]);
const url = await new Promise((done) =>
  server.stdout.on('data', (chunk) => {
    const found = /http:\/\/127\.0\.0\.1:\d+\//.exec(String(chunk))?.[0];
    if (found) done(found);
  }),
);
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const settle = (millis = 900) => page.waitForTimeout(millis);
const shoot = async (name) => {
  await page.mouse.move(900, 790);
  await settle();
  await page.screenshot({ path: join(top, 'docs/screenshots', `${name}.png`) });
  console.log(name);
};
const byTest = (id) => page.locator(`[data-test="${id}"]`);

await page.goto(url);
await settle(2500);
await shoot('surface');
await page.getByText('Girth 250 cm or more').first().click();
await shoot('condition');
await page.getByRole('button', { name: 'Done' }).click();
await page.getByRole('gridcell').first().click();
await shoot('why');
await page.getByRole('button', { name: 'Close the card' }).click();
await byTest('text-tab').click();
await shoot('text');
await page.getByRole('tab', { name: 'Table' }).click();
await byTest('hand-over').click();
await shoot('hand-over');
await page.keyboard.press('Escape');
await page.getByRole('button', { name: 'Dark colours' }).click();
await shoot('dark');
await browser.close();
server.kill();
rmSync(data, { recursive: true, force: true });
