/** From and to, both kept. */
export type Range = readonly [number, number];

/** As many digits as a step of the axis tells apart; whole numbers where all are. */
export function roundedTo(value: number, step: number, whole: boolean): number {
  if (whole) return Math.round(value);
  return Number(value.toFixed(Math.max(0, Math.min(12, Math.ceil(-Math.log10(step || 1))))));
}

/**
 * The values that a stretch of an axis covers. A whole number takes up the stretch from itself to the next one.
 * @param step how far a pixel reaches
 */
export function rangeOfStretch(from: number, to: number, step: number, whole: boolean): Range {
  const [low, high] = [roundedTo(from, step, whole), roundedTo(to, step, whole)];
  return [low, whole ? Math.max(low, high - 1) : high];
}
