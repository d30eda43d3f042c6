import type { Feature, Position } from 'geojson';
import { type Coast, lonLat, round } from './island.ts';
import type { Random } from './random.ts';

export interface PathLine {
  /** Corners in metres from the island's middle. */
  places: [number, number][];
  lit: boolean;
}

/** 1,800 paths: long ones across the island, and short ones that wander off from them. */
export function paths(random: Random, coast: Coast): { features: Feature[]; lines: PathLine[] } {
  const lines: PathLine[] = [];
  for (let i = 0; i < 60; i++) lines.push({ places: walk(random, coast, startOn(random, coast), 40, 160), lit: random.chance(0.75) });
  while (lines.length < 1800) {
    const from = random.pick(lines).places;
    lines.push({
      places: walk(random, coast, random.pick(from), random.whole(3, 14), random.between(25, 70)),
      lit: random.chance(0.3),
    });
  }
  const features = lines.map(({ places, lit }, i): Feature => {
    const year = random.whole(1952, 2025);
    const opened = random.chance(0.12)
      ? null
      : random.chance(0.25)
        ? String(year)
        : `${year}-${pad(random.whole(1, 12))}-${pad(random.whole(1, 28))}`;
    return {
      type: 'Feature',
      geometry: { type: 'LineString', coordinates: places.map(([x, y]): Position => lonLat(x, y)) },
      properties: {
        path_id: `P-${String(i + 1).padStart(4, '0')}`,
        surface: random.weighted([
          ['asphalt', 40],
          ['gravel', 30],
          ['earth', 18],
          ['setts', 8],
          ['boardwalk', 4],
        ]),
        lit: random.chance(0.02) ? null : lit,
        width_m: random.chance(0.04) ? null : round(random.between(0.8, lit ? 4.5 : 2.6), 1),
        opened,
      },
    };
  });
  return { features, lines };
}

const pad = (value: number) => String(value).padStart(2, '0');

function startOn(random: Random, coast: Coast): [number, number] {
  for (;;) {
    const [x, y] = [random.between(-8000, 8000), random.between(-4800, 4800)];
    if (coast.isLand(x, y, 500)) return [x, y];
  }
}

function walk(random: Random, coast: Coast, from: [number, number], steps: number, stride: number): [number, number][] {
  const places: [number, number][] = [from];
  let heading = random.between(0, 2 * Math.PI);
  for (let i = 0; i < steps; i++) {
    heading += random.normal() * 0.28;
    const [x, y] = places[places.length - 1];
    let next: [number, number] = [x + stride * Math.cos(heading), y + stride * Math.sin(heading)];
    for (let turn = 0; turn < 8 && !coast.isLand(next[0], next[1], 60); turn++) {
      heading += Math.PI / 4;
      next = [x + stride * Math.cos(heading), y + stride * Math.sin(heading)];
    }
    if (!coast.isLand(next[0], next[1], 60)) break;
    places.push(next);
  }
  if (places.length === 1) places.push([from[0] - 20, from[1] + 10]);
  return places;
}
