import { gzipSync } from 'node:zlib';
import { expect, test } from '../support/surface.ts';

/** Bytes of JavaScript, packed, that the interface asks for before anything is opened. */
const MOST = 250_000;

test('the first page asks for no more than 250 kB of JavaScript', async ({ server }) => {
  const page = await (await fetch(server.url)).text();
  const files = [...page.matchAll(/(?:src|href)="([^"]+\.js)"/g)].map(([, path]) => path);
  const sizes = await Promise.all(
    files.map(async (path) => gzipSync(Buffer.from(await (await fetch(new URL(path, server.url))).arrayBuffer())).length),
  );
  expect(files.length).toBeGreaterThan(3);
  expect(sizes.reduce((sum, size) => sum + size, 0)).toBeLessThanOrEqual(MOST);
});
