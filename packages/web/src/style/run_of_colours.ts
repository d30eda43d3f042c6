import { RUN_CLASSES, type Classing } from '@clean-sieve/core';

/** Whether classes are so many that they are read as one run of colours. */
export const isRun = (classing: Classing | null | undefined): boolean => classing?.kind === 'steps' && classing.method === 'continuous';

/**
 * Bounds of a run of colours: equal steps from the smallest value to the largest. Where values lie on both sides of 0, that is a
 * bound, from which colours can part.
 */
export function runBounds(low: number, high: number): number[] {
  if (!(high > low)) return [];
  const twoSided = low < 0 && high > 0;
  // So many less that multiples of a step which fall just within the ends have room as well.
  const step = (high - low) / (twoSided ? RUN_CLASSES - 2 : RUN_CLASSES);
  const first = twoSided ? Math.floor(low / step) : 0;
  const bounds = Array.from({ length: RUN_CLASSES + 1 }, (_, i) => (twoSided ? (first + i) * step : low + i * step));
  // Of steps below the precision of the values some fall together.
  return [...new Set(bounds)].filter((bound) => bound > low && bound < high).slice(0, RUN_CLASSES - 1);
}
