import type { Box } from '@clean-sieve/core';

/** Digits of a degree to which the edges of a view are told: about a metre. */
const DIGITS = 1e5;

/**
 * What a source is asked for, and in view: the map's edges in degrees, a little outside of them. East of 180° it comes round again.
 * @param filter CQL2 text; null asks for everything
 */
export function filterInView(filter: string | null, [west, south, east, north]: Box): string {
  const [w, e] = east - west >= 360 ? [-180, 180] : [turned(Math.floor(west * DIGITS) / DIGITS), turned(Math.ceil(east * DIGITS) / DIGITS)];
  const [s, n] = [Math.max(-90, Math.floor(south * DIGITS) / DIGITS), Math.min(90, Math.ceil(north * DIGITS) / DIGITS)];
  const inView = `S_INTERSECTS(geometry, BBOX(${[w, s, e, n].join(', ')}))`;
  return filter === null ? inView : `(${filter}) AND ${inView}`;
}

/** A longitude from -180 to 180. */
function turned(lon: number): number {
  const turns = Math.round(lon / 360);
  return turns === 0 ? lon : Math.round((lon - 360 * turns) * DIGITS) / DIGITS;
}
