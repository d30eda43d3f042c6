// Runs the unit tests and the end-to-end tests, and ends with one line that counts both.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const out = mkdtempSync(join(tmpdir(), 'clean-sieve-check-'));
/** No part may take longer, in milliseconds; what hangs is a failure. */
const LONGEST = 52 * 60_000;
const counted = { passed: 0, failed: 0 };
let broken = false;

function run(command, args, report, count, options = {}) {
  const { status, error } = spawnSync(command, args, { stdio: 'inherit', timeout: LONGEST, ...options });
  if (error) console.error(`${command} ${args[0]}: ${error.message}`);
  try {
    const [passed, failed] = count(JSON.parse(readFileSync(report, 'utf8')));
    counted.passed += passed;
    counted.failed += failed;
    if (passed + failed === 0) broken = true;
  } catch {
    broken = true;
  }
  if (status !== 0) broken = true;
}

const unit = join(out, 'unit.json');
run(
  process.execPath,
  ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js', '--silent', '--json', `--outputFile=${unit}`],
  unit,
  (r) => [r.numPassedTests, r.numFailedTests + r.numRuntimeErrorTestSuites],
  { stdio: ['ignore', 'ignore', 'inherit'], killSignal: 'SIGKILL' },
);
const e2e = join(out, 'e2e.json');
run('npx', ['playwright', 'test', '--reporter=line,json'], e2e, (r) => [r.stats.expected + r.stats.flaky, r.stats.unexpected], {
  cwd: 'e2e',
  env: { ...process.env, PLAYWRIGHT_JSON_OUTPUT_NAME: e2e },
});
rmSync(out, { recursive: true, force: true });
console.log(`\n${counted.passed} passed, ${counted.failed} failed`);
process.exit(broken || counted.failed > 0 ? 1 : 0);
