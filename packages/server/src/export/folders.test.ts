import { existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deleteFolder, makingFolder, settleFolders } from './folders.ts';

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'folders-'))));
afterEach(() => rmSync(folder, { recursive: true }));
const made = (name: string) => {
  mkdirSync(join(folder, name));
  writeFileSync(join(folder, name, 'trees.gpkg'), 'x');
};

test('what was under way ends by whether it is known; what bears its name stays, known or not', async () => {
  for (const name of ['.making-noted', '.making-half', '.going-kept', '.going-forgotten', 'known', 'of another copy']) made(name);
  await settleFolders(folder, (id) => ['noted', 'kept', 'known'].includes(id));
  expect(readdirSync(folder).sort()).toEqual(['kept', 'known', 'noted', 'of another copy']);
  expect(readdirSync(join(folder, 'noted'))).toEqual(['trees.gpkg']);
});

test('where there are no extracts yet, nothing is to be ended', async () => {
  await settleFolders(join(folder, 'none'), () => true);
  expect(makingFolder('/data/extracts/a')).toBe('/data/extracts/.making-a');
});

test('a folder goes with what is known of it, and stays where that cannot be forgotten', async () => {
  made('a');
  const a = join(folder, 'a');
  await expect(deleteFolder(a, () => Promise.reject(new Error('locked')))).rejects.toThrow('locked');
  expect(readdirSync(a)).toEqual(['trees.gpkg']);
  await deleteFolder(a, () => {
    expect(existsSync(a)).toBe(false);
    return Promise.resolve();
  });
  expect(readdirSync(folder)).toEqual([]);
  await deleteFolder(a, () => Promise.resolve());
});
