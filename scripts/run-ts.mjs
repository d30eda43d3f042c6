// Runs one TypeScript file: bundles it next to its source (packages external), imports the result, removes it.
import { build } from 'esbuild';
import { rm } from 'node:fs/promises';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';

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
  plugins: [{ name: 'core', setup: (b) => b.onResolve({ filter: /^@clean-sieve\/core$/ }, () => ({ path: core })) }],
});
try {
  await import(pathToFileURL(outfile).href);
} finally {
  await rm(outfile, { force: true });
}
