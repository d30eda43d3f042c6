import { randomBytes } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { writeDatabase, writeWhole } from './write_whole.ts';
import { zipped } from './zipped.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-files-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);
const failing = (code: string) =>
  (function* () {
    yield 'half of it';
    throw Object.assign(new Error(`${code}: told by the system`), { code });
  })();

test('pieces of text and bytes of any size come out end to end', async () => {
  const piece = fc.oneof(fc.string({ unit: 'grapheme', maxLength: 200 }), fc.uint8Array({ maxLength: 3000 }));
  await fc.assert(
    fc.asyncProperty(fc.array(piece, { maxLength: 40 }), async (pieces) => {
      const whole = Buffer.concat(pieces.map((one) => Buffer.from(one as string)));
      expect(await writeWhole(at('pieces'), pieces)).toBe(whole.length);
      expect(readFileSync(at('pieces')).equals(whole)).toBe(true);
    }),
    { numRuns: 40 },
  );
  const many = 2500;
  await writeWhole(
    at('pieces'),
    Array.from({ length: many }, (_, n) => `${n}\n`),
  );
  expect(readFileSync(at('pieces'), 'utf8').split('\n')).toHaveLength(many + 1);
  rmSync(at('pieces'));
});

test('a failure leaves what was there, and says what it means', async () => {
  writeFileSync(at('kept'), 'old');
  const fails = (code: string) => expect(writeWhole(at('kept'), failing(code))).rejects;
  await fails('ENOSPC').toThrow('The disk is full; nothing was written');
  await fails('EFBIG').toThrow('larger than this disk takes; nothing was written');
  await fails('EROFS').toThrow('Nothing may be written there');
  await fails('EOTHER').toThrow('EOTHER');
  const fill = function* () {
    yield 1;
    throw new Error('SQLITE_FULL: database or disk is full');
  };
  await expect(writeDatabase(at('kept'), fill)).rejects.toThrow('The disk is full; nothing was written');
  expect(readFileSync(at('kept'), 'utf8')).toBe('old');
  await expect(writeWhole(at('nowhere/x'), ['x'])).rejects.toThrow('ENOENT');
  expect(readdirSync(folder)).toEqual(['kept']);
});

test('an archive of any files is what another program takes apart, names and times with it', async () => {
  const name = fc.stringMatching(/^[a-zé木 _-]{1,12}$/).map((text) => `${text.trim() || 'x'}.txt`);
  const script = `
import sys, json, zipfile
z = zipfile.ZipFile(sys.argv[1])
print(json.dumps({'bad': z.testzip(), 'files': {i.filename: [z.read(i).decode(), list(i.date_time)] for i in z.infolist()}}))
`;
  await fc.assert(
    fc.asyncProperty(
      fc.uniqueArray(fc.tuple(name, fc.array(fc.string({ unit: 'grapheme', maxLength: 400 }), { maxLength: 5 })), {
        minLength: 1,
        maxLength: 5,
        selector: ([one]) => one,
      }),
      async (files) => {
        await writeWhole(
          at('some.zip'),
          zipped(
            files.map(([one, pieces]) => ({ name: one, pieces })),
            new Date(2024, 4, 31, 10, 30),
          ),
        );
        const { bad, files: found } = JSON.parse(
          execFileSync('/usr/bin/python3', ['-c', script, at('some.zip')], { encoding: 'utf8' }),
        ) as { bad: string | null; files: Record<string, [string, number[]]> };
        expect(bad).toBeNull();
        expect(found).toEqual(Object.fromEntries(files.map(([one, pieces]) => [one, [pieces.join(''), [2024, 5, 31, 10, 30, 0]]])));
      },
    ),
    { numRuns: 10 },
  );
  rmSync(at('some.zip'));
});

test('an archive that is given up closes what it was made of', async () => {
  let closed = false;
  const endless = (function* () {
    try {
      // What cannot be packed comes out at once.
      for (;;) yield randomBytes(1 << 16);
    } finally {
      closed = true;
    }
  })();
  const stop = () => {
    throw new Error('stop');
  };
  await expect(writeWhole(at('endless.zip'), zipped([{ name: 'endless', pieces: endless }], new Date()), stop)).rejects.toThrow('stop');
  await new Promise((done) => setTimeout(done, 50));
  expect(closed).toBe(true);
});

test('a piece that fails in an archive is the archive’s failure', async () => {
  const pieces = zipped(
    [
      { name: 'good', pieces: ['x'] },
      { name: 'bad', pieces: failing('ENOSPC') },
    ],
    new Date(),
  );
  await expect(writeWhole(at('bad.zip'), pieces)).rejects.toThrow('The disk is full');
  expect(readdirSync(folder)).toEqual(['kept']);
});
