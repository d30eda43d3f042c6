import type { Feature } from 'geojson';
import { type Coast, lonLat, round } from './island.ts';
import type { PathLine } from './paths.ts';
import type { Random } from './random.ts';

/** Species code (a text with leading zeros), how common, and a grown tree's height in metres and girth in centimetres. */
const SPECIES = [
  ['0101', 22, 21, 240],
  ['0142', 18, 20, 200],
  ['0077', 9, 18, 230],
  ['0118', 16, 19, 180],
  ['0205', 12, 22, 190],
  ['0033', 10, 14, 110],
  ['0260', 8, 24, 170],
  ['0009', 5, 11, 90],
] as const;
/** Owner classes; blank means private. */
const OWNERS = [
  ['M1', 46],
  ['M2', 12],
  ['H4', 9],
  ['C7', 5],
  [null, 28],
] as const;
const NOTES = [
  'cavity at 2 m, “owl” seen',
  'Façade side pruned',
  'fork cracked; see O’Brien’s sketch',
  'ivy to the crown',
  'über-mature, keep deadwood',
  'bench fixed to stem, "temporary"',
  'roots under kerb, café terrace',
];

/** 24,000 trees: in woods, along paths and scattered. */
export function trees(random: Random, coast: Coast, paths: PathLine[]): Feature[] {
  const woods = Array.from({ length: 42 }, () => ({ at: onLand(random, coast), size: random.between(180, 620) }));
  const features: Feature[] = [];
  while (features.length < 24_000) {
    const [x, y] = placeOf(random, coast, woods, paths);
    if (coast.isLand(x, y, 25)) features.push(tree(random, features.length + 1, x, y));
  }
  return features;
}

function onLand(random: Random, coast: Coast): [number, number] {
  for (;;) {
    const [x, y] = [random.between(-8600, 8600), random.between(-5200, 5200)];
    if (coast.isLand(x, y, 200)) return [x, y];
  }
}

function placeOf(random: Random, coast: Coast, woods: { at: [number, number]; size: number }[], paths: PathLine[]): [number, number] {
  const where = random.next();
  if (where < 0.45) {
    const { at, size } = random.pick(woods);
    return [at[0] + random.normal() * size, at[1] + random.normal() * size * 0.7];
  }
  if (where < 0.8) {
    const { places } = random.pick(paths);
    const i = random.whole(1, places.length - 1);
    const t = random.next();
    const [[x1, y1], [x2, y2]] = [places[i - 1], places[i]];
    return [x1 + t * (x2 - x1) + random.normal() * 7, y1 + t * (y2 - y1) + random.normal() * 7];
  }
  return onLand(random, coast);
}

function tree(random: Random, number: number, x: number, y: number): Feature {
  const [code, , height, girth] = random.weighted(SPECIES.map((species) => [species, species[1]] as const));
  const age = Math.min(1.9, Math.max(0.08, 0.75 + 0.38 * random.normal()));
  const decay = Math.max(0, Math.min(1, 0.32 * age + 0.16 * random.normal()));
  const grade = decay > 0.52 ? 'very poor' : decay > 0.38 ? 'poor' : decay > 0.2 ? 'fair' : 'good';
  const planted = 2025 - Math.round(age * 95);
  return {
    type: 'Feature',
    geometry: { type: 'Point', coordinates: lonLat(x, y) },
    properties: {
      tree_id: `T-${String(number).padStart(6, '0')}`,
      species: code,
      owner: random.weighted(OWNERS),
      girth_cm: random.chance(0.05) ? null : Math.round(girth * age * random.between(0.8, 1.2)),
      height_m: random.chance(0.08) ? null : round(height * Math.sqrt(age) * random.between(0.75, 1.15), 1),
      planted: random.chance(0.2) ? null : random.chance(0.6) ? String(planted) : date(random, planted, planted),
      last_inspected: random.chance(0.14) ? null : date(random, 2014, 2026),
      condition: random.chance(0.03) ? '' : grade,
      storm_risk: random.chance(0.02)
        ? null
        : Math.round(100 * Math.min(1, Math.max(0, 0.55 * decay + 0.22 * age + 0.09 * random.normal()))),
      protected: random.chance(0.09),
      notes: random.chance(0.06) ? random.pick(NOTES) : null,
    },
  };
}

/** A day in these years, none after 20 November 2026. */
function date(random: Random, from: number, to: number): string {
  const year = random.whole(from, to);
  const month = random.whole(1, year === 2026 ? 11 : 12);
  const day = random.whole(1, year === 2026 && month === 11 ? 20 : 28);
  return `${year}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
}
