import type { Feature } from 'geojson';
import { lonLat, type Coast } from './island.ts';
import type { Random } from './random.ts';

/** Reports in all; the first 5,200 came in before the day that the demo counts from, the others come by the service's own clock. */
const REPORTS = 7000;
const BEFORE = 5200;
const AS_OF = Date.parse('2026-11-24T00:00:00Z');
const SEASON = Date.parse('2026-09-01T00:00:00Z');

const KINDS = [
  ['tree down', 24],
  ['branch down', 38],
  ['roof damage', 12],
  ['flooded road', 14],
  ['power line', 5],
  ['sea wall', 3],
  ['other', 4],
] as const;
const NOTES = [
  'blocks the lane',
  'hanging over the footpath',
  'caller: Zoë Ó Briain',
  '“urgent”, says the school',
  'déjà signalé',
  'seen from the ferry',
];

/** What people call in after storms, in the order in which it came in. Gales bring many at once. */
export function stormReports(random: Random, coast: Coast): Feature[] {
  const gales = Array.from({ length: 14 }, () => ({
    at: random.between(SEASON, AS_OF),
    x: random.normal() * 3500,
    y: random.normal() * 2000,
  }));
  const times = Array.from({ length: BEFORE }, () => {
    const gale = random.chance(0.7) ? random.pick(gales) : null;
    const at = gale ? gale.at + Math.abs(random.normal()) * 9 * 3_600_000 : random.between(SEASON, AS_OF);
    return { at: Math.min(at, AS_OF - 1000), gale };
  });
  const later = Array.from({ length: REPORTS - BEFORE }, () => ({ at: random.between(AS_OF, AS_OF + 20 * 86_400_000), gale: null }));
  return [...times, ...later]
    .sort((a, b) => a.at - b.at)
    .map(({ at, gale }, i) => {
      let place: [number, number];
      do {
        place =
          gale && random.chance(0.8)
            ? [gale.x + random.normal() * 900, gale.y + random.normal() * 700]
            : [random.between(-9000, 9000), random.between(-5500, 5500)];
      } while (!coast.isLand(...place, 40));
      const seconds = Math.floor(at / 1000);
      const isOpen = at > AS_OF - 6 * 86_400_000 ? random.chance(0.8) : random.chance(0.12);
      const severity = random.chance(0.05)
        ? null
        : random.weighted([
            [1, 30],
            [2, 34],
            [3, 22],
            [4, 10],
            [5, 4],
          ]);
      const closed = isOpen ? null : stamp(seconds + random.whole(3600, 5 * 86_400));
      return {
        type: 'Feature',
        id: `SR-${String(i + 1).padStart(5, '0')}`,
        geometry: { type: 'Point', coordinates: lonLat(...place) },
        properties: {
          reported_at: stamp(seconds),
          kind: random.weighted(KINDS),
          severity,
          open: isOpen,
          closed_at: closed,
          note: random.chance(0.6) ? null : random.pick(NOTES),
        },
      };
    });
}

const stamp = (seconds: number) => new Date(seconds * 1000).toISOString().replace('.000Z', 'Z');
