// Runs one TypeScript file: bundles it next to its source (packages external), imports the result, removes it. What the
// sources find beside themselves they find from the bundle too.
import { build } from 'esbuild';
import { readFile, rm } from 'node:fs/promises';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';

const ownAddress = async ({ path }) => ({
  contents: (await readFile(path, 'utf8')).replaceAll('import.meta.url', JSON.stringify(pathToFileURL(path).href)),
  loader: 'ts',
});

const entry = resolve(process.argv[2]);
const outfile = entry.replace(/\.ts$/, `.${process.pid}.run.mjs`);
const core = new URL('../packages/core/src/index.ts', import.meta.url).pathname;
process.argv.splice(1, 2, entry);
await build({
  entryPoints: [entry],
  outfile,
  bundle: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  packages: 'external',
  logLevel: 'warning',
  plugins: [
    {
      name: 'sources',
      setup(b) {
        b.onResolve({ filter: /^@clean-sieve\/core$/ }, () => ({ path: core }));
        b.onLoad({ filter: /\.ts$/ }, ownAddress);
      },
    },
  ],
});
try {
  await import(pathToFileURL(outfile).href);
} finally {
  await rm(outfile, { force: true });
}
