import type { PlaneName } from '@clean-sieve/core';
import type { Box } from './on_map.ts';

const RAD = Math.PI / 180;

/** Degrees of longitude in view from which it is the world that is looked at, and below which it is not any more. */
const WORLD = { from: 180, until: 120 };
/** How often the scale at the edge nearer to the pole is that at the other, and the latitude that the view has to lie beyond. */
const POLE = { from: { ratio: 3, beyond: 40 }, until: { ratio: 1.7, beyond: 0 } };

/**
 * The plane on which a view misleads least: web Mercator, on which directions are right and what is drawn can be measured by eye, as
 * long as scales in it are about the same; the world and the poles at equal areas. A plane that is on show stays for somewhat longer,
 * so that it does not go back and forth.
 * @param view west, south, east, north of what is in view; to 90° where the pole is
 */
export function choosePlane([west, south, east, north]: Box, current: PlaneName): PlaneName {
  for (const [pole, near, far] of [
    ['north', south, north],
    ['south', -north, -south],
  ] as const) {
    const stays = current.startsWith(pole);
    const { ratio, beyond } = stays ? POLE.until : POLE.from;
    if (near <= beyond || (far < 89.9 && Math.cos(near * RAD) / Math.cos(far * RAD) <= ratio)) continue;
    return stays ? current : `${pole} ${meridianOf((west + east) / 2)}`;
  }
  return east - west >= (current === 'world' ? WORLD.until : WORLD.from) ? 'world' : 'mercator';
}

/** The ten degrees next to a longitude, from −170 to 180. */
function meridianOf(lon: number): number {
  const tens = 10 * Math.round((((((lon + 180) % 360) + 360) % 360) - 180) / 10);
  return tens === -180 ? 180 : tens === 0 ? 0 : tens;
}
