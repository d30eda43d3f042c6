import { DAY_MILLIS, splitDay } from './calendar.ts';
import type { Period } from './period.ts';

/** Parts of a time that come round again, and the year. Functions of the filter language have these names. */
export const CALENDAR_PARTS = ['year', 'quarter', 'month', 'day', 'weekday', 'hour'] as const;
export type CalendarPart = (typeof CALENDAR_PARTS)[number];

/** Smallest and largest value of each part; years have no such ends. Monday is 1 (ISO 8601). */
export const PART_RANGE: Record<Exclude<CalendarPart, 'year'>, [number, number]> = {
  quarter: [1, 4],
  month: [1, 12],
  day: [1, 31],
  weekday: [1, 7],
  hour: [0, 23],
};

/** The part that a name means, in any case; null for any other name. */
export function calendarPart(name: string): CalendarPart | null {
  return CALENDAR_PARTS.find((part) => part === name.toLowerCase()) ?? null;
}

/** A part of the instant, in UTC. @param millis since 1970-01-01T00:00:00Z */
export function partOfInstant(part: CalendarPart, millis: number): number {
  const day = Math.floor(millis / DAY_MILLIS);
  switch (part) {
    case 'year':
      return splitDay(day).year;
    case 'quarter':
      return Math.ceil(splitDay(day).month / 3);
    case 'month':
      return splitDay(day).month;
    case 'day':
      return splitDay(day).dayOfMonth;
    case 'weekday':
      // 1970-01-01 was a Thursday.
      return ((((day + 3) % 7) + 7) % 7) + 1;
    case 'hour':
      return Math.floor((millis - day * DAY_MILLIS) / 3_600_000);
  }
}

const LONGEST: Record<CalendarPart, number> = {
  year: 366 * DAY_MILLIS,
  quarter: 92 * DAY_MILLIS,
  month: 31 * DAY_MILLIS,
  day: DAY_MILLIS,
  weekday: DAY_MILLIS,
  hour: 3_600_000,
};

/** A part of a time that may be a day, or a date known to the month or year only; null where its instants differ in it. */
export function partOfPeriod(part: CalendarPart, { start, end }: Period): number | null {
  if (!Number.isFinite(start) || !Number.isFinite(end) || end - start > LONGEST[part]) return null;
  const value = partOfInstant(part, start);
  return partOfInstant(part, end - 1) === value ? value : null;
}
