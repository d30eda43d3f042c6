import { DAY_MILLIS, formatDay, formatInstant, PRECISIONS, splitDay, type DatePrecision } from '../time/calendar.ts';
import type { Scalar, Time } from './scalar.ts';

export const isTime = (value: Scalar): value is Time => typeof value === 'object' && !Array.isArray(value);

/** How closely a time that stands for a date is known; null where it is no date but an instant or another period. */
export function precisionOf({ start, end, vague, grain }: Time): DatePrecision | null {
  if (grain !== DAY_MILLIS || !Number.isFinite(start) || !Number.isFinite(end)) return null;
  if (!vague) return end - start === DAY_MILLIS ? 'day' : null;
  const days = (end - start) / DAY_MILLIS;
  return days > 31 ? PRECISIONS[2] : PRECISIONS[1];
}

/** A value as a text: numbers as they are written in the language, dates and instants by ISO 8601, TRUE as `true`. */
export function plainText(value: Scalar): string {
  if (typeof value === 'string') return value;
  if (Array.isArray(value)) return JSON.stringify(value);
  if (!isTime(value)) return String(value);
  const precision = precisionOf(value);
  return precision ? formatDay(value.start / DAY_MILLIS, precision) : formatInstant(value.start, null);
}

/** Whole years from one day to another, as an age is told: the anniversary of 29 February is 1 March in other years. */
export function wholeYears(from: number, to: number): number {
  if (to < from) return -wholeYears(to, from);
  const [a, b] = [splitDay(from), splitDay(to)];
  const before = b.month < a.month || (b.month === a.month && b.dayOfMonth < a.dayOfMonth);
  // Not minus zero.
  return b.year - a.year - (before ? 1 : 0) + 0;
}
