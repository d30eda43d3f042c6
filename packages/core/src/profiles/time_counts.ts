import { CHUNK_ROWS, type Column } from '../features/column.ts';
import { has, type Mask } from '../features/mask.ts';
import { dayAfter, dayNumber, DAY_MILLIS, formatDay, PRECISIONS, splitDay } from '../time/calendar.ts';
import { binCounts } from './bin_counts.ts';

export const TIME_UNITS = ['day', 'week', 'month', 'year'] as const;
export type TimeUnit = (typeof TIME_UNITS)[number];

/** Features of one day, week (from Monday, ISO 8601), month or year; `from` is its first day. */
export interface TimeBin {
  from: string;
  all: number;
  kept: number;
}

/** Counts along a time column. */
export interface TimeCounts {
  unit: TimeUnit;
  /** Every bin from the first to the last, empty ones too. */
  bins: TimeBin[];
  blank: number;
  /** Known less closely than the unit, as a date of which only the year is known among months. */
  unplaced: number;
}

/** Most bins for a unit to be chosen: what can still be told apart on a screen. */
const MOST_BINS = 260;
/** Days of the shortest bin of each unit. */
const SHORTEST: Record<TimeUnit, number> = { day: 1, week: 7, month: 28, year: 365 };

/**
 * Counts of a date or date-time column by day, week, month or year, the finest that gives no more than 260 bins. Days of
 * date-times are taken in UTC.
 * @param kept features counted as kept
 * @returns null for a column of another type, or without a value
 */
export function timeCounts(column: Column, rows: number, kept: Mask): TimeCounts | null {
  if (column.type !== 'date' && column.type !== 'datetime') return null;
  let placed = known.get(column);
  if (placed === undefined) known.set(column, (placed = placedBy(column, rows)));
  if (!placed) return null;
  const { unit, starts, all, binOf: bins, blank, unplaced } = placed;
  const counts = binCounts(bins, kept, starts.length);
  return { unit, bins: starts.map((day, i) => ({ from: formatDay(day), all: all[i], kept: counts[i] })), blank, unplaced };
}

/** The bins of a column, and in which each row lies; it does not change with what is kept. */
interface Placed {
  unit: TimeUnit;
  starts: number[];
  all: Uint32Array;
  /** One more than there are for a row that is in none. */
  binOf: Uint32Array;
  blank: number;
  unplaced: number;
}
const known = new WeakMap<Column, Placed | null>();

function placedBy(column: Column, rows: number): Placed | null {
  const days = new Int32Array(rows);
  const precision = new Uint8Array(rows);
  let [first, last, blank] = [Infinity, -Infinity, 0];
  const missing = 255;
  column.chunks.forEach((chunk, chunkNumber) => {
    for (let i = 0; i < chunk.rows; i++) {
      const row = chunkNumber * CHUNK_ROWS + i;
      if (chunk.validity && !has(chunk.validity, i)) {
        precision[row] = missing;
        blank++;
        continue;
      }
      const day = chunk.type === 'date' ? chunk.days[i] : chunk.type === 'datetime' ? Math.floor(chunk.millis[i] / DAY_MILLIS) : 0;
      days[row] = day;
      precision[row] = chunk.type === 'date' ? (chunk.precision?.[i] ?? 0) : 0;
      first = Math.min(first, day);
      last = Math.max(last, day);
    }
  });
  if (first > last) return null;
  const unit = TIME_UNITS.find((one) => (last - first) / SHORTEST[one] < MOST_BINS) ?? 'year';
  const starts: number[] = [];
  for (let day = startOf(unit, first); day <= last; day = next(unit, day)) starts.push(day);
  const all = new Uint32Array(starts.length);
  const bins = new Uint32Array(rows).fill(starts.length);
  let unplaced = 0;
  for (let row = 0; row < rows; row++) {
    if (precision[row] === missing) continue;
    const bin = binOf(starts, days[row]);
    // A day lies in its bin; a month or year can reach beyond.
    if (precision[row] !== 0 && dayAfter(days[row], PRECISIONS[precision[row]]) > next(unit, starts[bin])) {
      unplaced++;
      continue;
    }
    bins[row] = bin;
    all[bin]++;
  }
  return { unit, starts, all, binOf: bins, blank, unplaced };
}

function startOf(unit: TimeUnit, day: number): number {
  const { year, month } = splitDay(day);
  if (unit === 'year') return dayNumber(year, 1, 1);
  if (unit === 'month') return dayNumber(year, month, 1);
  // 1970-01-01 was a Thursday.
  return unit === 'week' ? day - ((((day + 3) % 7) + 7) % 7) : day;
}

/** First day of the bin after the one that begins with this day. */
function next(unit: TimeUnit, start: number): number {
  if (unit === 'day') return start + 1;
  return unit === 'week' ? start + 7 : dayAfter(start, unit);
}

/** The last day of a bin, ISO. @param from its first day */
export function lastDayOf(unit: TimeUnit, from: string): string {
  const [year, month, day] = from.split('-').map(Number);
  return formatDay(next(unit, dayNumber(year, month, day)) - 1);
}

/** The last of the ascending starts that is not after the day. */
function binOf(starts: number[], day: number): number {
  let [low, high] = [0, starts.length - 1];
  while (low < high) {
    const middle = (low + high + 1) >>> 1;
    if (starts[middle] <= day) low = middle;
    else high = middle - 1;
  }
  return low;
}
