import { call, cutRows, Geos, geometryAt, has, property, Sifter, TableBuilder, valueAt, type FeatureTable } from '@clean-sieve/core';
import { spawnSync } from 'node:child_process';
import type { Geometry } from 'geojson';
import { crsNamed } from '../../packages/server/src/crs/epsg.ts';
import { Random } from './random_lists.ts';
import { Shapes, type Place } from './shapes.ts';

// Shares and cuts in a plane, of valid and broken shapes, by another GEOS through another binding.

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

const tableOf = (shapes: readonly Geometry[]): FeatureTable => {
  const builder = new TableBuilder();
  shapes.forEach((shape, n) => builder.addFeature(shape, { n }));
  return { ...builder.finish(), crs: crsNamed('EPSG:25832') };
};
const PLACE: Place = { system: 'EPSG:25832', at: [400_000, 5_300_000], step: 1000, scale: 1, strip: false };
const { makes, broken } = new Shapes(PLACE);
const AREAS = [makes[3], makes[4], makes[5], makes[6], makes[7], ...broken.slice(0, 3)];

const first = Math.floor(Date.now() / 86_400_000) * 1000;
test.each([0, 1, 2].map((i) => [first + i]))('seed %i: 130 shapes and one to five places', (seed) => {
  const random = new Random(seed);
  const shapes = Array.from({ length: 130 }, () => random.pick([...makes, ...broken.slice(0, 3)])(random));
  const places = random.many(1, 5, () => random.pick(AREAS)(random));
  const [table, theirs] = [tableOf(shapes), tableOf(places)];
  const sifter = new Sifter(table, 0, table.crs, geos);
  sifter.operands = new Map([['SOURCE places', { key: 'places', table: theirs, rows: null }]]);

  const all = Uint32Array.from(shapes, (_, row) => row);
  const { table: cut } = cutRows(sifter, table, all, { op: 'SOURCE', args: ['places'] }, 0, geos);
  const cuts: (Geometry | null)[] = shapes.map(() => null);
  const numbers = cut.columns.find(({ name }) => name === 'n')!;
  for (let row = 0; row < cut.rows; row++) cuts[Number(valueAt(numbers, row))] = geometryAt(cut, row);

  const script = new URL('./overlay.py', import.meta.url).pathname;
  const run = spawnSync('/usr/bin/python3', [script], { input: `${JSON.stringify({ shapes, places, cuts })}\n`, maxBuffer: 2 ** 28 });
  if (run.status !== 0) throw new Error(run.stderr.toString());
  const { shares, wrong } = JSON.parse(run.stdout.toString()) as { shares: (number | null)[]; wrong: string[] };
  expect(wrong).toEqual([]);

  for (const percent of [0.01, 10, 25, 50, 75, 99.9, 100, ...random.many(6, 6, () => random.next() * 99 + 1)]) {
    const kept = sifter.verdict(call('S_SHARE_IN', property('geometry'), call('SOURCE', 'places'), percent)).yes;
    for (const [row, share] of shares.entries())
      if (share !== null && (Math.abs(share * 100 - percent) > 1e-6 || percent === 100))
        expect([row, percent, share, has(kept, row)]).toEqual([row, percent, share, share * 100 >= percent - 1e-6]);
  }
});
