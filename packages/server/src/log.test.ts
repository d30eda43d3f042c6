import { existsSync, mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { logTo } from './log.ts';

const folder = mkdtempSync(join(tmpdir(), 'log-'));
afterAll(() => rmSync(folder, { recursive: true }));

test('errors stand there with time, place and stack; nothing is there before the first', () => {
  const path = join(folder, 'errors.log');
  const log = logTo(path);
  expect(existsSync(path)).toBe(false);
  log.error('POST /api/sieves', new Error('not as it should be'));
  log.error('A job', 'in words');
  const text = readFileSync(path, 'utf8');
  expect(text).toMatch(/^\d{4}-\d\d-\d\dT.*Z POST \/api\/sieves\nError: not as it should be\n {4}at /);
  expect(text).toMatch(/Z A job\nin words\n$/);
});

test('a log that has grown becomes the older one, so that it never fills a disk', () => {
  const path = join(folder, 'large.log');
  const log = logTo(path);
  for (let n = 0; n < 400; n++) log.error('long', 'x'.repeat(5000));
  expect(statSync(path).size).toBeLessThan(1.3e6);
  expect(statSync(`${path}.older`).size).toBeGreaterThan(1e6);
});

test('of an error that carries all that was to be written, the beginning and the end stand there', () => {
  const path = join(folder, 'cut.log');
  logTo(path).error('A job', `insert into a ${'00ff'.repeat(100_000)} - disk is full`);
  const text = readFileSync(path, 'utf8');
  expect(text.length).toBeLessThan(6200);
  expect(text).toMatch(/A job\ninsert into a 00ff.* characters more .* - disk is full\n$/);
});

test('where it cannot be written, nothing fails', () => {
  const told: string[] = [];
  const write = process.stderr.write.bind(process.stderr);
  process.stderr.write = (text: string | Uint8Array) => told.push(String(text)) > 0;
  try {
    logTo(join(folder, 'no such folder', 'errors.log')).error('somewhere', 'in words');
  } finally {
    process.stderr.write = write;
  }
  expect(told.join()).toMatch(/somewhere\nin words\n\(.*could not be written: ENOENT/);
});
