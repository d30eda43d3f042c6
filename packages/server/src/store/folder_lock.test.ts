import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FolderInUseError, lockFolder } from './folder_lock.ts';

const folder = mkdtempSync(join(tmpdir(), 'lock-'));
afterAll(() => rmSync(folder, { recursive: true }));

test('a folder is locked until it is released, and says by whom', () => {
  const lock = lockFolder(folder);
  lock.isAt('http://127.0.0.1:4400/');
  expect(() => lockFolder(folder)).toThrow(FolderInUseError);
  expect(() => lockFolder(folder)).toThrow(`process ${process.pid}, at http://127.0.0.1:4400/, since 20`);
  // What stands beside the lock is only read to tell; without it the lock holds all the same.
  writeFileSync(join(folder, 'in-use.json'), 'no JSON');
  expect(() => lockFolder(folder)).toThrow(/in use by another Clean Sieve\. Stop/);
  lock.release();
  const again = lockFolder(folder);
  expect(JSON.parse(readFileSync(join(folder, 'in-use.json'), 'utf8'))).toMatchObject({ process: process.pid, address: '' });
  again.release();
});

test('where nothing can be written, that is said', () => {
  expect(() => lockFolder(join(folder, 'not there'))).toThrow(/cannot be used: .*choose another folder with --data/);
});
