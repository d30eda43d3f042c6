import { DAY_MILLIS, parseDate, parseInstant, SHIFT_UNITS, shiftDay, type ShiftUnit } from './calendar.ts';

/**
 * A stretch of time in milliseconds since 1970-01-01T00:00:00Z, end exclusive. A day is its 24 hours in UTC, an instant the
 * millisecond it falls in, an open end ±Infinity.
 */
export interface Period {
  start: number;
  end: number;
  /** Length of the unit that the end is known in: a day of a date, a millisecond of an instant. */
  grain: number;
}

/** The 24 hours of a day since 1970-01-01, in UTC. */
export function dayPeriod(day: number): Period {
  return { start: day * DAY_MILLIS, end: (day + 1) * DAY_MILLIS, grain: DAY_MILLIS };
}

/** The millisecond of an instant. */
export function instantPeriod(millis: number): Period {
  return { start: millis, end: millis + 1, grain: 1 };
}

/** The period of an ISO 8601 date (at its precision: to the day only) or date-time; null when the text is neither. */
export function periodOfText(text: string): Period | null {
  const date = parseDate(text);
  if (date) return date.precision === 'day' ? dayPeriod(date.day) : null;
  const instant = parseInstant(text);
  return instant ? instantPeriod(instant.millis) : null;
}

/** The unit that a word names ("day", "days", "Days"), or null. */
export function shiftUnit(word: string): ShiftUnit | null {
  const plural = word.trim().toLowerCase().replace(/s?$/, 's');
  return SHIFT_UNITS.find((unit) => unit === plural) ?? null;
}

/** The `amount` units that end with the as-of day: "last 7 days" is that day and the six before it. */
export function lastPeriod(asOf: number, amount: number, unit: ShiftUnit): Period {
  return { start: (shiftDay(asOf, -amount, unit) + 1) * DAY_MILLIS, end: (asOf + 1) * DAY_MILLIS, grain: DAY_MILLIS };
}

/** The `amount` units that begin with the day after the as-of day. */
export function nextPeriod(asOf: number, amount: number, unit: ShiftUnit): Period {
  return { start: (asOf + 1) * DAY_MILLIS, end: (shiftDay(asOf, amount, unit) + 1) * DAY_MILLIS, grain: DAY_MILLIS };
}
