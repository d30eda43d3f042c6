// Bundles the server, its workers and the command line; the core is taken from source.
import { build } from 'esbuild';
import { writeFileSync } from 'node:fs';

const core = {
  name: 'core',
  setup: (b) =>
    b.onResolve({ filter: /^@clean-sieve\/core$/ }, () => ({
      path: new URL('../core/src/index.ts', import.meta.url).pathname,
    })),
};

// Packages find their binaries and their threads beside themselves, or are loaded only for the formats that need them; one could be used
// by the driver of PostgreSQL, and is not.
const apart = [
  'sql.js',
  'pdfkit',
  'libsql',
  'piscina',
  'pg-native',
  'mysql',
  'mysql2',
  'mariadb',
  'tedious',
  'sqlite3',
  'better-sqlite3',
  'oracledb',
  'pg-query-stream',
];
const common = {
  outdir: 'dist',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  // What starts often starts fast only if it loads few files, so packages are bundled in.
  external: apart,
  banner: {
    js: "import { createRequire as __createRequire } from 'node:module'; const require = __createRequire(import.meta.url);",
  },
  plugins: [core],
};

await build({
  ...common,
  entryPoints: { main: 'src/main.ts', sift_worker: 'src/sifting/sift_worker.ts', job_worker: 'src/jobs/job_worker.ts' },
  splitting: true,
  sourcemap: true,
  // Errors are told apart by the names of their classes.
  keepNames: true,
});
await build({ ...common, entryPoints: { cli: 'src/cli/cli.ts' }, minify: true });
writeFileSync('dist/.built', '');
