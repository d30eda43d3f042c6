import { DAY_MILLIS, lastDayOf, type TimeCounts } from '@clean-sieve/core';
import { max as largest, scaleSqrt, scaleUtc, type ScaleTime } from 'd3';
import type { BinBar } from './bin_bar.ts';

/** Bins of a calendar along an axis in pixels: a day, week, month or year each. */
export interface TimeAxis {
  x: ScaleTime<number, number>;
  bars: BinBar[];
  /** The bin at a place. */
  binAt: (px: number) => number;
  /** The first and the last bin that a period of days reaches into, an open end reaching to the edge; null where it meets none. */
  windowOf: (from: string | null, to: string | null) => BinWindow | null;
  /** Where a window lies on the axis. */
  spanOf: (window: BinWindow) => [number, number];
  /** First and last day of a window. */
  periodOf: (first: number, last: number) => [from: string, to: string];
  /** The window of what is drawn from one place to another. @param grown a window that it extends; null for none */
  windowDrawn: (drawn: readonly [number, number], grown: BinWindow | null) => BinWindow;
  /** A window with one end moved by a bin; null where that cannot be. */
  nudged: (window: BinWindow, end: 0 | 1, by: 1 | -1) => BinWindow | null;
}
/** The first and the last bin of a window. */
export type BinWindow = readonly [first: number, last: number];

/**
 * @param times null where they are not known yet
 * @param picked counted in the same bins; null for none
 * @param foot,top where bars stand, and where the longest ends
 */
export function timeAxis(
  times: TimeCounts | null,
  picked: TimeCounts | null,
  [left, right]: readonly [number, number],
  [foot, top]: readonly [number, number],
): TimeAxis {
  const { bins, unit } = times ?? { bins: [], unit: 'day' as const };
  const starts = bins.map(({ from }) => Date.parse(from));
  const last = bins.at(-1);
  const end = last ? Date.parse(lastDayOf(unit, last.from)) + DAY_MILLIS : 1;
  const x = scaleUtc([starts[0] ?? 0, end], [left, right]);
  // By square root, as in the stack: small counts stay visible beside large ones.
  const y = scaleSqrt([0, largest(bins, ({ all }) => all) ?? 1], [foot, top]);
  const edge = (i: number) => (i < bins.length ? x(starts[i]) : right);
  const binAt = (px: number): number => {
    const at = x.invert(px).getTime();
    const after = starts.findIndex((start) => start > at);
    return after < 0 ? bins.length - 1 : Math.max(0, after - 1);
  };
  return {
    x,
    bars: bins.map(({ all, kept }, i) => {
      const [from, to] = [edge(i), edge(i + 1)];
      return {
        x: from,
        width: Math.max(0.6, to - from - (to - from > 3 ? 1 : 0)),
        all: y(all),
        kept: y(kept),
        picked: picked ? y(picked.bins[i]?.kept ?? 0) : null,
      };
    }),
    binAt,
    windowOf: (from, to) => {
      const first = bins.findIndex((bin) => from === null || lastDayOf(unit, bin.from) >= from);
      const final = bins.findLastIndex((bin) => to === null || bin.from <= to);
      return first < 0 || final < first ? null : [first, final];
    },
    spanOf: ([first, final]) => [edge(first), edge(final + 1)],
    windowDrawn: ([from, to], grown) => {
      // What only touches a bin does not reach into it.
      const first = binAt(from + 0.5);
      const final = Math.max(first, binAt(to - 0.5));
      return grown ? [Math.min(first, grown[0]), Math.max(final, grown[1])] : [first, final];
    },
    nudged: ([first, final], end, by) => {
      const next: BinWindow = end === 0 ? [first + by, final] : [first, final + by];
      return next[0] >= 0 && next[1] < bins.length && next[0] <= next[1] ? next : null;
    },
    periodOf: (first, final) => [bins[first].from, lastDayOf(unit, bins[final].from)],
  };
}
