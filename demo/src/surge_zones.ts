import type { Feature } from 'geojson';
import { type Coast, Wave } from './island.ts';
import type { Random } from './random.ts';

/** Three bands along the coast, the most exposed (class 3) outermost; very detailed rings with the inland as a hole. */
export function surgeZones(random: Random, coast: Coast): Feature[] {
  const width = new Wave(random, 90, 0.5);
  // How far inland a class reaches, as a share of the way to the middle.
  const inner = (reach: number) => (angle: number) => 1 - reach * Math.max(0.15, 1 + width.at(angle));
  const borders = [() => 1, inner(0.05), inner(0.1), inner(0.17)];
  const corners = 6000;
  return [3, 2, 1].map((level, i) => ({
    type: 'Feature',
    geometry: {
      type: 'Polygon',
      coordinates: [coast.ring(corners, borders[i]), coast.ring(corners, borders[i + 1]).reverse()],
    },
    properties: {
      class: level,
      valid_from: `${2019 + i}-01-01`,
      valid_to: level === 3 ? null : '2027-12-31',
      source: 'storm surge study, third run',
    },
  }));
}
