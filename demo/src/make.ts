import { mkdirSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { gzipSync } from 'node:zlib';
import type { Feature } from 'geojson';
import { inspections } from './inspections.ts';
import { Coast, lonLat } from './island.ts';
import { paths } from './paths.ts';
import { Random } from './random.ts';
import { stormReports } from './storm_reports.ts';
import { surgeZones } from './surge_zones.ts';
import { trees } from './trees.ts';
import { wards } from './wards.ts';

/** Writes the demo data: Vell Island, all made up, the same bytes at every run. */

const folder = resolve(process.argv[2] ?? 'files');
const coast = new Coast(new Random(26));
const network = paths(new Random(3), coast);
const woods = trees(new Random(4), coast, network.lines);
const layers: { file: string; name: string; role: 'layer' | 'ground'; features: Feature[] }[] = [
  { file: 'trees', name: 'Trees', role: 'layer', features: woods },
  { file: 'paths', name: 'Paths', role: 'layer', features: network.features },
  { file: 'wards', name: 'Wards', role: 'layer', features: wards(new Random(5), coast) },
  { file: 'surge_zones', name: 'Surge zones', role: 'layer', features: surgeZones(new Random(6), coast) },
  {
    file: 'land',
    name: 'Vell Island',
    role: 'ground',
    features: [
      {
        type: 'Feature',
        geometry: { type: 'Polygon', coordinates: [coast.ring(2880)] },
        properties: { name: 'Vell Island' },
      },
    ],
  },
];

const school = lonLat(900, -600);
const point = (lon: number, lat: number) => `POINT(${lon} ${lat})`;
const place = (x: number, y: number) => lonLat(x, y).join(' ');
const harbour = `POLYGON((${[
  [-6800, -1200],
  [-4300, 1900],
  [-2400, 900],
  [-3000, -2600],
  [-6800, -1200],
]
  .map(([x, y]) => place(x, y))
  .join(', ')}))`;

const sieves = [
  {
    source: 'Trees',
    name: 'Veterans overdue',
    colour: 0,
    where: `girth_cm >= 250 AND (last_inspected < AS_OF(-5, 'years') OR last_inspected IS NULL) AND (condition IN ('poor', 'very poor') OR storm_risk >= 70) AND S_DWITHIN(geometry, ${point(school[0], school[1])}, 1500, 'm')`,
    off: [3],
  },
  {
    source: 'Trees',
    name: 'Risky at the harbour front',
    colour: 1,
    visible: false,
    where: `storm_risk BETWEEN 60 AND 100 AND S_INTERSECTS(geometry, ${harbour})`,
  },
  {
    source: 'Trees',
    name: null,
    colour: 2,
    visible: false,
    where: `species IN ('0142', '0077') AND height_m >= 22 AND S_DWITHIN(geometry, ${point(school[0], school[1])}, 1500, 'm')`,
  },
  // The deliberate mistake: the trees of private owners have a blank owner, and "is not" leaves them out.
  {
    source: 'Trees',
    name: 'Not the town’s trees',
    colour: 3,
    visible: false,
    where: "owner <> 'M1' AND storm_risk >= 75",
  },
  { source: 'Paths', name: 'Dark and narrow', colour: 4, visible: false, where: 'lit = FALSE AND width_m < 1.5' },
  { source: 'Surge zones', name: null, colour: 5, visible: false, where: 'class = 3' },
  { source: 'Storm reports', name: 'Bad and still open', colour: 6, visible: false, where: 'severity >= 4 AND open = TRUE' },
];

const codeLists = [
  {
    name: 'Species',
    of: [{ source: 'Trees', column: 'species' }],
    entries: [
      ['0009', 'Hawthorn'],
      ['0033', 'Rowan'],
      ['0077', 'Horse chestnut'],
      ['0101', 'Pedunculate oak'],
      ['0118', 'Common lime'],
      ['0142', 'Sycamore'],
      ['0205', 'Ash'],
      ['0260', 'Maritime pine'],
    ],
  },
  {
    name: 'Owner classes',
    of: [{ source: 'Trees', column: 'owner' }],
    entries: [
      ['M1', 'Town'],
      ['M2', 'Schools'],
      ['H4', 'Harbour office'],
      ['C7', 'Churches'],
    ],
  },
];

mkdirSync(folder, { recursive: true });
// The reports are not brought in: the simulated service has them, and is asked for them live.
for (const { file, features } of [...layers, { file: 'storm_reports', features: stormReports(new Random(9), coast) }]) {
  const text = `{"type":"FeatureCollection","name":"${file}","features":[\n${features.map((f) => JSON.stringify(f)).join(',\n')}\n]}\n`;
  writeFileSync(resolve(folder, `${file}.geojson.gz`), gzipSync(text, { level: 9 }));
}
writeFileSync(resolve(folder, 'inspections.csv.gz'), gzipSync(inspections(new Random(8), woods), { level: 9 }));
const demo = {
  name: 'Storm season 2026',
  asOf: '2026-11-24',
  sources: [
    ...layers.map(({ file, name, role }) => ({ file: `${file}.geojson.gz`, name, role })),
    { file: 'inspections.csv.gz', name: 'Inspections', role: 'layer' },
  ],
  live: { name: 'Storm reports', collection: 'storm_reports' },
  codeLists,
  sieves,
};
writeFileSync(resolve(folder, 'demo.json'), `${JSON.stringify(demo, null, 2)}\n`);
