export const PRECISIONS = ['day', 'month', 'year'] as const;
export type DatePrecision = (typeof PRECISIONS)[number];

export const DAY_MILLIS = 86_400_000;

/** A date as closely as it is known. */
export interface CalendarDate {
  /** Days since 1970-01-01 of the first day meant (proleptic Gregorian calendar, as in ISO 8601). */
  day: number;
  precision: DatePrecision;
}

/** A moment, with the offset that it was written in. */
export interface Instant {
  millis: number;
  /** Minutes east of UTC as written; null where none was written. */
  offset: number | null;
}

const DATE = /^(\d{4})(?:-(\d{2})(?:-(\d{2}))?)?$/;
const INSTANT = /^(\d{4}-\d{2}-\d{2})[Tt ](\d{2}):(\d{2})(?::(\d{2})(?:[.,](\d{1,9}))?)?\s?([Zz]|[+-]\d{2}(?::?\d{2})?)?$/;

/** Reads an ISO 8601 calendar date: YYYY-MM-DD, or YYYY-MM or YYYY at reduced precision. Null when it is none. */
export function parseDate(text: string): CalendarDate | null {
  const match = DATE.exec(text);
  if (!match) return null;
  const year = Number(match[1]);
  const month = match[2] === undefined ? 1 : Number(match[2]);
  const dayOfMonth = match[3] === undefined ? 1 : Number(match[3]);
  if (month < 1 || month > 12 || dayOfMonth < 1 || dayOfMonth > daysInMonth(year, month)) return null;
  return {
    day: dayNumber(year, month, dayOfMonth),
    precision: match[3] !== undefined ? 'day' : match[2] !== undefined ? 'month' : 'year',
  };
}

/** Reads an ISO 8601 / RFC 3339 date-time, with or without seconds, fraction and offset. Null when it is none. */
export function parseInstant(text: string): Instant | null {
  const match = INSTANT.exec(text);
  if (!match) return null;
  const date = parseDate(match[1]);
  const [hour, minute] = [Number(match[2]), Number(match[3])];
  const second = Number(match[4] ?? 0);
  // 24:00:00 is midnight at the end of a day (ISO 8601-1:2019); :60 is a leap second (RFC 3339).
  const endOfDay = hour === 24 && minute === 0 && second === 0;
  if (!date || (hour > 23 && !endOfDay) || minute > 59 || second > 60) return null;
  const millis = match[5] ? Math.floor(Number(`0.${match[5]}`) * 1000 + 1e-6) : 0;
  const offset = match[6] === undefined ? null : parseOffset(match[6]);
  if (offset !== null && Number.isNaN(offset)) return null;
  const local = date.day * DAY_MILLIS + ((hour * 60 + minute) * 60 + second) * 1000 + millis;
  return { millis: local - (offset ?? 0) * 60_000, offset };
}

function parseOffset(text: string): number {
  if (text === 'Z' || text === 'z') return 0;
  const hours = Number(text.slice(1, 3));
  const minutes = Number(text.slice(3).replace(':', '') || 0);
  if (hours > 23 || minutes > 59) return NaN;
  return (text[0] === '-' ? -1 : 1) * (hours * 60 + minutes);
}

/** Days since 1970-01-01. */
export function dayNumber(year: number, month: number, dayOfMonth: number): number {
  const date = new Date(0);
  date.setUTCFullYear(year, month - 1, dayOfMonth);
  return Math.round(date.getTime() / DAY_MILLIS);
}

/**
 * Days of a month, 28 to 31.
 * @param month 1 to 12
 */
export function daysInMonth(year: number, month: number): number {
  return dayNumber(month === 12 ? year + 1 : year, (month % 12) + 1, 1) - dayNumber(year, month, 1);
}

/** Year, month (1 to 12) and day of month of a day since 1970-01-01. */
export function splitDay(day: number): { year: number; month: number; dayOfMonth: number } {
  const date = new Date(day * DAY_MILLIS);
  return { year: date.getUTCFullYear(), month: date.getUTCMonth() + 1, dayOfMonth: date.getUTCDate() };
}

/** First day after the last one that the value can mean. */
export function dayAfter(day: number, precision: DatePrecision): number {
  if (precision === 'day') return day + 1;
  const { year, month } = splitDay(day);
  if (precision === 'year' || month === 12) return dayNumber(year + 1, 1, 1);
  return dayNumber(year, month + 1, 1);
}

/** ISO 8601 text of a day since 1970-01-01, at its precision. */
export function formatDay(day: number, precision: DatePrecision = 'day'): string {
  const { year, month, dayOfMonth } = splitDay(day);
  const pad = (value: number, width: number) => String(value).padStart(width, '0');
  if (precision === 'year') return pad(year, 4);
  if (precision === 'month') return `${pad(year, 4)}-${pad(month, 2)}`;
  return `${pad(year, 4)}-${pad(month, 2)}-${pad(dayOfMonth, 2)}`;
}

/** ISO 8601 text at the offset given (Z for 0, nothing for null); milliseconds only when there are any. */
export function formatInstant(millis: number, offset: number | null): string {
  const local = new Date(millis + (offset ?? 0) * 60_000).toISOString().replace(/\.000Z$|Z$/, '');
  if (offset === null) return local;
  if (offset === 0) return `${local}Z`;
  const minutes = Math.abs(offset);
  const pad = (value: number) => String(value).padStart(2, '0');
  return `${local}${offset < 0 ? '-' : '+'}${pad(Math.floor(minutes / 60))}:${pad(minutes % 60)}`;
}

export const SHIFT_UNITS = ['days', 'weeks', 'months', 'quarters', 'years'] as const;
export type ShiftUnit = (typeof SHIFT_UNITS)[number];

/** A day moved by whole units; a day of month that does not exist becomes the last of that month (common practice). */
export function shiftDay(day: number, amount: number, unit: ShiftUnit): number {
  if (unit === 'days') return day + amount;
  if (unit === 'weeks') return day + 7 * amount;
  const { year, month, dayOfMonth } = splitDay(day);
  const months = year * 12 + (month - 1) + amount * { months: 1, quarters: 3, years: 12 }[unit];
  const [newYear, newMonth] = [Math.floor(months / 12), (((months % 12) + 12) % 12) + 1];
  return dayNumber(newYear, newMonth, Math.min(dayOfMonth, daysInMonth(newYear, newMonth)));
}
