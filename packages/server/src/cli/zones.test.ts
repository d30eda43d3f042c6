import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { zones, type ZonesOptions } from './zones.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-zones-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);

const layer = (features: object[]) => JSON.stringify({ type: 'FeatureCollection', features });
const square = (x: number, properties: object) => ({
  ...{ type: 'Feature', properties },
  geometry: {
    type: 'Polygon',
    coordinates: [
      [
        [x, 47],
        [x + 1, 47],
        [x + 1, 48],
        [x, 48],
        [x, 47],
      ],
    ],
  },
});
const VISITS = at('visits.csv');
writeFileSync(VISITS, 'lon,lat,hours,kind\n8.5,47.5,1,a\n9,47.5,2,b\n8.2,47.1,,a\n20,20,9,a\n,,4,b\n');
writeFileSync(
  at('wards.geojson'),
  layer([square(8, { name: 'A', people: 2000 }), square(9, { name: 'B', people: 0 }), square(12, { name: 'C' })]),
);

const run = (options: Partial<ZonesOptions>) => zones(VISITS, { by: at('wards.geojson'), ...options });
const told = { zones: 3, features: 5, inside: 3, outside: 1, several: 1, unplaced: 1, empty: 1 };

test('features are summed up by zones, and all of them are accounted for', async () => {
  const out = at('sums.csv');
  const counts = await run({ count: true, sum: ['hours'], mean: ['hours'], rate: ['people/1000'], out, geometry: 'none' });
  expect(counts).toMatchObject({ ...told, out });
  expect(counts.figures.map(({ name }) => name)).toEqual(['count', 'sum_hours', 'mean_hours', 'per_1000_people']);
  // A rate by nobody is blank.
  expect(readFileSync(out, 'utf8').trim().split(/\r?\n/)).toEqual([
    'name,people,count,sum_hours,mean_hours,per_1000_people',
    'A,2000,3,3,1.5,1.5',
    'B,0,1,2,2,',
    'C,,0,0,,',
  ]);
});

test('each figure once for every value, and for every year', async () => {
  const out = at('spread.csv');
  const counts = await run({ count: true, rate: ['people/1000'], spread: 'kind', where: 'lon < 15', out, geometry: 'none' });
  expect(counts.figures).toEqual([
    { name: 'count_a', is: 'number of features, whose kind is a' },
    { name: 'per_1000_people_a', is: 'features for each 1000 of people, whose kind is a' },
    { name: 'count_b', is: 'number of features, whose kind is b' },
    { name: 'per_1000_people_b', is: 'features for each 1000 of people, whose kind is b' },
  ]);
  expect(readFileSync(out, 'utf8').trim().split(/\r?\n/).slice(1)).toEqual(['A,2000,2,1,1,0.5', 'B,0,0,,1,', 'C,,0,,0,']);
  await expect(run({ count: true, spread: 'nothing' })).rejects.toThrow('--spread nothing: the features have no column nothing');
  await expect(run({ count: true, spread: 'year(kind)' })).rejects.toThrow('kind holds no times');
  const dated = at('dated.csv');
  writeFileSync(dated, 'lon,lat,day\n8.5,47.5,2019-05-01\n8.5,47.6,2019-12-31\n8.5,47.5,2021-01-01\n8.5,47.5,\n');
  const years = await zones(dated, { by: at('wards.geojson'), count: true, spread: 'year(day)' });
  expect(years.figures.map(({ name }) => name)).toEqual(['count_2019', 'count_2021', 'count_not known']);
});

test('only what the filter keeps counts; what lies on a common edge counts once where that is wanted', async () => {
  const out = at('kept.csv');
  expect(await run({ where: "kind = 'b'", count: true, several: 'first' })).toMatchObject({
    features: 2,
    inside: 1,
    unplaced: 1,
    empty: 1,
  });
  await run({ count: true, share: true, where: 'hours >= 1', several: 'first', out, geometry: 'none' });
  expect(readFileSync(out, 'utf8').trim().split(/\r?\n/).slice(1)).toEqual(['A,2000,2,0.6666666666666666', 'B,0,0,', 'C,,0,']);
});

test.each([
  [{}, 'Say what is wanted of each zone'],
  [{ sum: ['kind'] }, 'kind holds no numbers'],
  [{ sum: ['hour'] }, 'There is no column hour to sum up'],
  [{ count: true, rate: ['people'] }, 'write it as in --rate residents/1000'],
  [{ rate: ['folk/1000'] }, 'the zones have no column folk'],
  [{ count: true, several: 'all' }, '--in-several all is not known'],
  [{ count: true, weight: 'hours' }, '--weight is of --sum and --mean'],
  [{ count: true, by: VISITS }, 'The zones have no polygons'],
  [{ count: true, where: 'hous > 1' }, 'There is no column hous'],
  [{ area: 'km' }, 'km is no unit of area'],
])('%j is refused', async (options, message) => {
  await expect(run(options)).rejects.toThrow(message);
});
