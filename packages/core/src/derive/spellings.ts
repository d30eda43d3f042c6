import { dayNumber, daysInMonth, parseDate, parseInstant, type CalendarDate, type Instant } from '../time/calendar.ts';

/** How the numbers of a text column are written. */
export type Decimal = 'point' | 'comma';
/** Which comes first in dates written with three numbers, the year last. */
export type DateOrder = 'dmy' | 'mdy';

const GROUPED: Record<Decimal, RegExp> = {
  point: /^[+-]?\d{1,3}(?:([,'\u00a0\u202f\u2009 ])\d{3})(?:\1\d{3})*(?:\.\d+)?$/,
  comma: /^[+-]?\d{1,3}(?:([.'\u00a0\u202f\u2009 ])\d{3})(?:\1\d{3})*(?:,\d+)?$/,
};
const PLAIN: Record<Decimal, RegExp> = {
  point: /^[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?$/,
  comma: /^[+-]?(?:\d+,?\d*|,\d+)(?:[eE][+-]?\d+)?$/,
};

/** The number that a text spells, thousands marks and leading zeros allowed; null when it is none. */
export function numberSpelled(text: string, decimal: Decimal): number | null {
  const digits = digitsSpelled(text, decimal);
  const value = digits === null ? NaN : Number(digits);
  return Number.isFinite(value) ? value : null;
}

/** The same as it is written with a point and without marks, such as -1234.5 or 1e3. */
export function digitsSpelled(text: string, decimal: Decimal): string | null {
  const trimmed = text.trim().replace('\u2212', '-');
  const grouped = GROUPED[decimal].test(trimmed);
  if (!grouped && !PLAIN[decimal].test(trimmed)) return null;
  const bare = grouped ? trimmed.replace(decimal === 'point' ? /[,'\s]/g : /[.'\s]/g, '') : trimmed;
  return decimal === 'comma' ? bare.replace(',', '.') : bare;
}

const MONTHS = [
  ...['january', 'february', 'march', 'april', 'may', 'june'],
  ...['july', 'august', 'september', 'october', 'november', 'december'],
];

/** The month of an English name or its beginning, 1 to 12; 0 where it is none. */
export function monthNamed(name: string): number {
  const beginning = name.toLowerCase().replace(/\.$/, '');
  return beginning.length < 3 ? 0 : MONTHS.findIndex((month) => month.startsWith(beginning)) + 1;
}

/** The date that a text spells, to the day, month or year; null when it is none or no day of the calendar. */
export function dateSpelled(text: string, order: DateOrder): CalendarDate | null {
  const trimmed = text.trim();
  const iso = parseDate(trimmed);
  if (iso) return iso;
  const year = /^(\d{4})[/.](\d{1,2})[/.](\d{1,2})$/.exec(trimmed) ?? /^(\d{4})(\d{2})(\d{2})$/.exec(trimmed);
  if (year) return dateOf(Number(year[1]), Number(year[2]), Number(year[3]));
  const numbers = /^(\d{1,2})[/.\- ](\d{1,2})[/.\- ](\d{4})\.?$/.exec(trimmed);
  if (numbers) {
    const [a, b] = [Number(numbers[1]), Number(numbers[2])];
    return order === 'dmy' ? dateOf(Number(numbers[3]), b, a) : dateOf(Number(numbers[3]), a, b);
  }
  const monthYear = /^(\d{1,2})[/.](\d{4})$/.exec(trimmed);
  if (monthYear) return dateOf(Number(monthYear[2]), Number(monthYear[1]), null);
  const words = /^(?:(\d{1,2})(?:st|nd|rd|th)?[. -]+)?([A-Za-z]{3,9})\.?(?:[ -]+(\d{1,2})(?:st|nd|rd|th)?,)?[ ,-]+(\d{4})$/.exec(trimmed);
  if (!words) return null;
  const month = monthNamed(words[2]);
  const day = words[1] ?? words[3];
  return month === 0 ? null : dateOf(Number(words[4]), month, day === undefined ? null : Number(day));
}

function dateOf(year: number, month: number, day: number | null): CalendarDate | null {
  if (month < 1 || month > 12) return null;
  if (day === null) return { day: dayNumber(year, month, 1), precision: 'month' };
  return day >= 1 && day <= daysInMonth(year, month) ? { day: dayNumber(year, month, day), precision: 'day' } : null;
}

/** The instant that a text spells: ISO 8601, or a date as above followed by a time of day. */
export function instantSpelled(text: string, order: DateOrder): Instant | null {
  const trimmed = text.trim();
  const iso = parseInstant(trimmed);
  if (iso) return iso;
  const parts = /^(.+?)[ T,]+(\d{1,2}:\d{2}(?::\d{2})?)(.*)$/.exec(trimmed);
  const date = parts && dateSpelled(parts[1], order);
  if (!parts || date?.precision !== 'day') return null;
  const day = new Date(date.day * 86_400_000).toISOString().slice(0, 10);
  return parseInstant(`${day}T${parts[2].padStart(parts[2].length < 6 ? 5 : 8, '0')}${parts[3].trim()}`);
}

/** The yes or no that a text spells in the ways that tables use; null when it is neither. */
export function yesNoSpelled(text: string): boolean | null {
  const plain = text.trim().toLowerCase();
  if (['true', 'yes', 'y', 't', '1', 'on', 'x'].includes(plain)) return true;
  return ['false', 'no', 'n', 'f', '0', 'off', '-'].includes(plain) ? false : null;
}
