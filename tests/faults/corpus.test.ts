import { execFileSync } from 'node:child_process';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { TOP } from '../../e2e/support/own_server.ts';
import { Random } from '../oracle/random_lists.ts';
import { damagedFile, howItEnds, soundFiles } from './corpus.ts';

let folder: string;
beforeAll(async () => {
  execFileSync('bash', ['-c', '. scripts/setup.sh && need_server'], { cwd: TOP });
  folder = await soundFiles();
}, 120_000);
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Other files every day. */
const seed = Math.floor(Date.now() / 86_400_000) * 1000;

test(`24 damaged files of all formats end with success or one line of reason, seeds from ${seed}`, async () => {
  for (let n = 0; n < 24; n++) {
    const { name, path } = damagedFile(folder, new Random(seed + n), n);
    expect([seed + n, name, await howItEnds(path)]).toEqual([seed + n, name, null]);
  }
}, 300_000);

test('sound files are read, and an end that is none is found', async () => {
  for (const ending of ['gpkg', 'csv', 'zip', 'gpx']) expect(await howItEnds(join(folder, `base.${ending}`))).toBeNull();
  expect(await howItEnds('--help')).toMatch(/it succeeds and prints \d\d lines/);
});

const hostile: [string, string, string, RegExp][] = [
  ['too many columns', 'csv', Array.from({ length: 100_000 }, (_, i) => `c${i}`).join() + '\n', /more than 4,096 columns/],
  ['a record without an end', 'csv', `lon,lat,text\n1,2,"${'x'.repeat(80 << 20)}`, /Row 2: a quoted cell is not closed properly/],
  [
    'a feature without an end',
    'geojson',
    `{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"a":"${'x'.repeat(300 << 20)}`,
    /Feature 1, which begins on line 1, is larger than 256 MB/,
  ],
  [
    'a new column in each feature',
    'geojson',
    JSON.stringify({
      type: 'FeatureCollection',
      features: Array.from({ length: 19_000 }, (_, i) => ({ type: 'Feature', geometry: null, properties: { [`c${i}`]: 1 } })),
    }),
    /more than 4,096 columns/,
  ],
];
test.each(hostile)(
  '%s is refused in words',
  async (_, ending, content, told) => {
    const path = join(folder, `hostile.${ending}`);
    writeFileSync(path, content);
    expect(await howItEnds(path)).toBeNull();
    const refused = () => execFileSync(process.execPath, [join(TOP, 'packages/server/dist/cli.mjs'), 'sift', path], { stdio: 'pipe' });
    expect(refused).toThrow(told);
  },
  60_000,
);
