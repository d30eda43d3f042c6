// Bundles the server, its workers and the command line; packages stay in node_modules, the core is taken from source.
import { build } from 'esbuild';
import { writeFileSync } from 'node:fs';

const core = {
  name: 'core',
  setup: (b) =>
    b.onResolve({ filter: /^@clean-sieve\/core$/ }, () => ({
      path: new URL('../core/src/index.ts', import.meta.url).pathname,
    })),
};

await build({
  entryPoints: { main: 'src/main.ts', sift_worker: 'src/sifting/sift_worker.ts', job_worker: 'src/jobs/job_worker.ts' },
  outdir: 'dist',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  packages: 'external',
  sourcemap: true,
  plugins: [core],
});
// The command line starts fast only if it loads one file, so its packages are bundled in.
await build({
  entryPoints: { cli: 'src/cli/cli.ts' },
  outdir: 'dist',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  minify: true,
  // They find their binaries beside themselves, and are loaded only for the formats that need them.
  // A package that the driver of PostgreSQL could use, and does not.
  external: ['sql.js', 'libsql', 'pg-native'],
  banner: {
    js: "import { createRequire as __createRequire } from 'node:module'; const require = __createRequire(import.meta.url);",
  },
  plugins: [core],
});
writeFileSync('dist/.built', '');
