import { GROUP_ROWS, type Column } from '../features/column.ts';
import { has, type Mask } from '../features/mask.ts';
import { dayAfter, dayNumber, DAY_MILLIS, formatDay, PRECISIONS, splitDay } from '../time/calendar.ts';

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
  const days = new Int32Array(rows);
  const precision = new Uint8Array(rows);
  let [first, last, blank] = [Infinity, -Infinity, 0];
  const missing = 255;
  column.chunks.forEach((chunk, group) => {
    for (let i = 0; i < chunk.rows; i++) {
      const row = group * GROUP_ROWS + i;
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
  const counts: TimeBin[] = [];
  for (let day = startOf(unit, first); day <= last; day = next(unit, day)) {
    starts.push(day);
    counts.push({ from: formatDay(day), all: 0, kept: 0 });
  }
  let unplaced = 0;
  for (let row = 0; row < rows; row++) {
    if (precision[row] === missing) continue;
    const bin = binOf(starts, days[row]);
    const end = dayAfter(days[row], PRECISIONS[precision[row]]);
    if (end > next(unit, starts[bin])) {
      unplaced++;
      continue;
    }
    counts[bin].all++;
    if (has(kept, row)) counts[bin].kept++;
  }
  return { unit, bins: counts, blank, unplaced };
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
