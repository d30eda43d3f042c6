import { existsSync, mkdtempSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Uploads } from './uploads.ts';

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'uploads-'))));
afterEach(() => rmSync(folder, { recursive: true }));

/** As if nothing had been added for two hours. */
const age = (upload: string) => utimesSync(join(folder, upload), Date.now() / 1000 - 7200, Date.now() / 1000 - 7200);

test('forgotten uploads go when another comes; new ones and those that are read stay', async () => {
  const uploads = new Uploads(folder);
  for (const name of ['old', 'read', 'new']) {
    await uploads.begin(name);
    writeFileSync(join(uploads.folderOf(name), 'file.csv'), 'a,b\n');
  }
  const end = uploads.use('read');
  for (const name of ['old', 'read']) age(name);
  await uploads.begin('another');
  expect(readdirSync(folder).sort()).toEqual(['another', 'new', 'read']);
  await end(false);
  age('read');
  await uploads.begin('yet another');
  expect(existsSync(uploads.folderOf('read'))).toBe(false);
});

test('what was brought in is taken away, when the last that reads it has ended', async () => {
  const uploads = new Uploads(folder);
  await uploads.begin('one');
  const [first, second] = [uploads.use('one'), uploads.use('one')];
  await first(false);
  age('one');
  await uploads.begin('other');
  expect(existsSync(uploads.folderOf('one'))).toBe(true);
  await second(true);
  expect(readdirSync(folder)).toEqual(['other']);
});
