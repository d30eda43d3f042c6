import { execFile } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { extname, join } from 'node:path';
import { promisify } from 'node:util';
import { TOP } from '../../e2e/support/own_server.ts';
import type { Random } from '../oracle/random_lists.ts';

const CLI = join(TOP, 'packages/server/dist/cli.mjs');
const run = promisify(execFile);
/** No file may keep the reader longer, in milliseconds, or take more of memory, in megabytes. */
const [LONGEST, MOST_MEMORY] = [20_000, 1024];

/** Layers with all kinds of values and shapes, a file a format. */
export async function soundFiles(): Promise<string> {
  const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-corpus-'));
  const features = Array.from({ length: 37 }, (_, n) => {
    const square = [
      [
        [n, 0],
        [n + 0.5, 0],
        [n + 0.5, 0.5],
        [n, 0.5],
        [n, 0],
      ],
    ];
    const properties = {
      n,
      text: n % 5 === 0 ? null : `tree “${n}”, oak`,
      day: `2024-02-${String(1 + (n % 28)).padStart(2, '0')}`,
      yes: n % 2 === 0,
      share: n / 7,
      at: `2024-02-01T10:00:${String(n).padStart(2, '0')}Z`,
    };
    return { type: 'Feature', id: n, geometry: { type: 'Polygon', coordinates: square }, properties };
  });
  const base = join(folder, 'base.geojson');
  writeFileSync(base, JSON.stringify({ type: 'FeatureCollection', features }, null, 1));
  for (const ending of ['gpkg', 'geojsonl', 'fgb', 'parquet', 'kml', 'kmz', 'topojson', 'xlsx', 'zip'])
    await run(process.execPath, [CLI, 'sift', base, '--out', join(folder, `base.${ending}`)]);
  await run(process.execPath, [CLI, 'sift', base, '--geometry', 'wkt', '--out', join(folder, 'base.csv')]);
  const points = features.map(
    ({ properties: { n } }) => `<wpt lat="${n}" lon="${-n}"><ele>${n}</ele><time>2024-02-01T00:00:00Z</time><name>p${n}</name></wpt>`,
  );
  writeFileSync(
    join(folder, 'base.gpx'),
    `<?xml version="1.0"?><gpx version="1.1" xmlns="http://www.topografix.com/GPX/1/1">${points.join('\n')}</gpx>`,
  );
  return folder;
}

type Damage = (bytes: Buffer, random: Random) => Buffer;
const some = (bytes: Buffer, random: Random) => random.whole(0, Math.max(0, bytes.length - 1));
const inserted = (bytes: Buffer, at: number, more: Buffer) => Buffer.concat([bytes.subarray(0, at), more, bytes.subarray(at)]);
const overwritten = (bytes: Buffer, random: Random, value: Buffer) => {
  const copy = Buffer.from(bytes);
  value.copy(copy, some(bytes, random));
  return copy;
};

/** What befalls any file. */
const ANY: Record<string, Damage> = {
  'cut short': (bytes, random) => bytes.subarray(0, some(bytes, random)),
  'a few bytes changed': (bytes, random) => {
    const copy = Buffer.from(bytes);
    for (let n = random.whole(1, 8); n > 0; n--) copy[some(bytes, random)] = random.whole(0, 255);
    return copy;
  },
  'a block of zeros': (bytes, random) => overwritten(bytes, random, Buffer.alloc(random.whole(4, 600))),
  'a block of ones': (bytes, random) => overwritten(bytes, random, Buffer.alloc(random.whole(4, 64), 0xff)),
  'a huge count': (bytes, random) =>
    overwritten(
      bytes,
      random,
      random.pick([Buffer.from([0xff, 0xff, 0xff, 0x7f]), Buffer.from([0, 0, 0, 0x80]), Buffer.from([0x7f, 0xff, 0xff, 0xff])]),
    ),
  'a piece missing': (bytes, random) => {
    const from = some(bytes, random);
    return Buffer.concat([bytes.subarray(0, from), bytes.subarray(from + random.whole(1, 400))]);
  },
  'a piece twice': (bytes, random) => {
    const from = some(bytes, random);
    return inserted(bytes, from, bytes.subarray(from, from + random.whole(1, 400)));
  },
  'nothing in it': () => Buffer.alloc(0),
};

/** What befalls texts. */
const TEXTS: Record<string, Damage> = {
  'a number that is none': (bytes, random) => {
    const text = bytes.toString();
    const numbers = [...text.matchAll(/\d+(\.\d+)?/g)];
    const { index, 0: found } = random.pick(numbers);
    const other = random.pick(['1e999', 'NaN', '-', '1'.repeat(400), '0x1F', '', '1e-400', '--5', 'null', '1.2.3']);
    return Buffer.from(text.slice(0, index) + other + text.slice(index + found.length));
  },
  'a NUL': (bytes, random) => inserted(bytes, some(bytes, random), Buffer.from([0])),
  'no UTF-8': (bytes, random) => inserted(bytes, some(bytes, random), Buffer.from([0xc3, 0x28, 0xff])),
  'brackets thousands deep': (bytes, random) =>
    inserted(bytes, some(bytes, random), Buffer.from(random.pick(['[', '{"a":', '(', '<a>']).repeat(20_000))),
  'a token without an end': (bytes, random) =>
    inserted(bytes, some(bytes, random), Buffer.from(random.pick(['"', "'", '<!--', '<![CDATA[', '&']) + 'x'.repeat(300_000))),
  'names that objects have anyway': (bytes) =>
    Buffer.from(
      bytes
        .toString()
        .replaceAll(/\btext\b/g, '__proto__')
        .replaceAll(/\bday\b/g, 'constructor'),
    ),
  'entities within entities': (bytes) =>
    Buffer.from(
      bytes
        .toString()
        .replace(
          /<(gpx|kml)/,
          '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;">]><$1',
        )
        .replaceAll('oak', '&c;'),
    ),
};
const TEXT_ENDINGS = ['.geojson', '.geojsonl', '.csv', '.kml', '.topojson', '.gpx'];

/** One damaged file: which format, what befell it. */
export interface Damaged {
  name: string;
  path: string;
}

export function damagedFile(folder: string, random: Random, number: number): Damaged {
  const file = random.pick(readdirSync(folder).filter((name) => name.startsWith('base.')));
  const ending = extname(file);
  const kinds = TEXT_ENDINGS.includes(ending) ? { ...ANY, ...TEXTS } : ANY;
  const what = random.pick(Object.keys(kinds));
  const path = join(folder, `damaged_${number}${ending}`);
  writeFileSync(path, kinds[what](readFileSync(join(folder, file)), random));
  return { name: `${ending}, ${what}`, path };
}

/** Reads a file by the command line. @returns what is wrong with how it ended; null where it ended as it should */
export async function howItEnds(path: string): Promise<string | null> {
  const started = Date.now();
  const ended = await run(process.execPath, [`--max-old-space-size=${MOST_MEMORY}`, CLI, 'sift', path], {
    timeout: LONGEST,
    maxBuffer: 1 << 26,
  }).then(
    ({ stdout, stderr }) => ({ code: 0, stdout, stderr }),
    (error: { code: number | null; stdout: string; stderr: string }) => error,
  );
  const lines = (text: string) => text.split('\n').filter((line) => line !== '');
  if (Date.now() - started >= LONGEST) return `it takes longer than ${LONGEST / 1000} seconds`;
  const [out, err] = [lines(ended.stdout), lines(ended.stderr)];
  if (ended.code === 0) {
    if (out.length !== 1) return `it succeeds and prints ${out.length} lines`;
    const { read, kept } = JSON.parse(out[0]) as { read?: unknown; kept?: unknown };
    return typeof read === 'number' && read === kept ? null : `it succeeds and prints ${out[0]}`;
  }
  if (ended.code !== 2) return `it ends with ${ended.code}: ${err.slice(0, 3).join(' ⏎ ').slice(0, 400)}`;
  if (err.length !== 1 || !err[0].startsWith('clean-sieve: '))
    return `it says ${err.length} lines: ${err.slice(0, 3).join(' ⏎ ').slice(0, 400)}`;
  return err[0].length > 700 ? `it says too much: ${err[0].slice(0, 200)} …` : null;
}
