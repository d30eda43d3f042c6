/** The value below which a share of the values lies, between two of them in proportion (Hyndman and Fan 1996, type 7). */
export function quantile(ascending: Float64Array, share: number): number {
  const at = (ascending.length - 1) * share;
  const [below, above] = [ascending[Math.floor(at)], ascending[Math.ceil(at)]];
  const part = at - Math.floor(at);
  if (part === 0) return below;
  const span = above - below;
  // Values can be so far apart that a double does not hold the difference.
  return Number.isFinite(span) ? below + span * part : below * (1 - part) + above * part;
}
