import { dayNumber, daysInMonth, parseInstant, type CalendarDate, type Instant } from '../time/calendar.ts';
import { FilterError } from '../filters/filter_error.ts';
import { monthNamed } from './spellings.ts';

/** Years of two digits lie in the hundred from this one unless it is said. */
export const FIRST_YEAR = 1950;

/** What a field of a pattern stands for, and the texts that it matches. */
const FIELDS: Record<string, { of: Part; matches: string }> = {
  y: { of: 'year', matches: '\\d{1,4}' },
  yy: { of: 'shortYear', matches: '\\d{2}' },
  yyyy: { of: 'year', matches: '\\d{4}' },
  M: { of: 'month', matches: '\\d{1,2}' },
  MM: { of: 'month', matches: '\\d{2}' },
  MMM: { of: 'monthName', matches: '[A-Za-z]{3,4}\\.?' },
  MMMM: { of: 'monthName', matches: '[A-Za-z]{3,9}' },
  d: { of: 'day', matches: '\\d{1,2}' },
  dd: { of: 'day', matches: '\\d{2}' },
  H: { of: 'hour', matches: '\\d{1,2}' },
  HH: { of: 'hour', matches: '\\d{2}' },
  m: { of: 'minute', matches: '\\d{1,2}' },
  mm: { of: 'minute', matches: '\\d{2}' },
  s: { of: 'second', matches: '\\d{1,2}' },
  ss: { of: 'second', matches: '\\d{2}' },
};
type Part = 'year' | 'shortYear' | 'month' | 'monthName' | 'day' | 'hour' | 'minute' | 'second';

/**
 * Reads dates, and dates with a time, by a pattern of date fields (Unicode Technical Standard #35, Part 4, "Date Format Patterns"):
 * y, yy, yyyy, M, MM, MMM, MMMM, d, dd, H, HH, m, mm, s, ss; texts in single quotes, and what is no letter, stand for themselves. A
 * field of one letter takes a number with or without a zero in front, one of two letters two digits. Month names are English.
 */
export class DatePattern {
  readonly #regex: RegExp;
  readonly #parts: Part[] = [];
  readonly #firstYear: number;

  /**
   * @param firstYear of the hundred years that years of two digits lie in; `FIRST_YEAR` where it is not said
   * @throws FilterError where the pattern has a field that is none, one twice, or no year
   */
  constructor(pattern: string, firstYear = FIRST_YEAR) {
    this.#firstYear = firstYear;
    let regex = '';
    for (const [token, quoted, field] of pattern.trim().matchAll(/'((?:[^']|'')*)'|([A-Za-z])\2*|[^]/g)) {
      if (quoted !== undefined) regex += escaped(quoted === '' ? "'" : quoted.replaceAll("''", "'"));
      else if (field === undefined) regex += /\s/.test(token) ? '\\s+' : escaped(token);
      else {
        const known = Object.hasOwn(FIELDS, token) ? FIELDS[token] : null;
        if (!known)
          throw new FilterError(
            `${token} is no field of a date`,
            null,
            `Take of ${Object.keys(FIELDS).join(', ')}; put other letters in quotes`,
          );
        this.#parts.push(known.of);
        regex += `(${known.matches})`;
      }
    }
    const has = (...parts: Part[]) => this.#parts.filter((part) => parts.includes(part)).length;
    const [years, months, days, hours, minutes] = [
      has('year', 'shortYear'),
      has('month', 'monthName'),
      has('day'),
      has('hour'),
      has('minute'),
    ];
    const refuse = (message: string) => {
      throw new FilterError(message, null, 'Write it as in d.M.yyyy or yyyy-MM-dd HH:mm');
    };
    if (years !== 1) refuse(years === 0 ? 'The pattern has no year' : 'The pattern has two years');
    if (months > 1 || days > 1 || hours > 1 || minutes > 1 || has('second') > 1) refuse('The pattern has a field twice');
    if (days > months) refuse('The pattern has a day and no month');
    if (hours > days || minutes !== hours || has('second') > minutes)
      refuse('A time of day wants hours and minutes, and a day in front of it');
    this.#regex = new RegExp(`^${regex}$`);
  }

  /** Whether its years have two digits, so that what they mean hangs on the hundred that they lie in. */
  get hasShortYears(): boolean {
    return this.#parts.includes('shortYear');
  }

  /** Whether it tells a time of day. */
  get tellsTime(): boolean {
    return this.#parts.includes('hour');
  }

  /** The date that a text spells; null where it does not fit, or is no day of the calendar. */
  date(text: string): CalendarDate | null {
    return this.#read(text)?.date ?? null;
  }

  /** The instant that a text spells, without an offset; null where it does not fit, or is none. */
  instant(text: string): Instant | null {
    const read = this.#read(text);
    if (read?.time === undefined || read.date.precision !== 'day') return null;
    return parseInstant(`${new Date(read.date.day * 86_400_000).toISOString().slice(0, 10)}T${read.time}`);
  }

  #read(text: string): { date: CalendarDate; time?: string } | null {
    const found = this.#regex.exec(text.trim());
    if (!found) return null;
    const told = new Map(this.#parts.map((part, i) => [part, found[i + 1]]));
    const numberOf = (part: Part) => (told.has(part) ? Number(told.get(part)) : null);
    const year = numberOf('year') ?? this.#yearOf(numberOf('shortYear')!);
    const month = told.has('monthName') ? monthNamed(told.get('monthName')!) : numberOf('month');
    const day = numberOf('day');
    if (year < 1 || (month !== null && (month < 1 || month > 12))) return null;
    if (month === null) return { date: { day: dayNumber(year, 1, 1), precision: 'year' } };
    if (day === null) return { date: { day: dayNumber(year, month, 1), precision: 'month' } };
    if (day < 1 || day > daysInMonth(year, month)) return null;
    const date: CalendarDate = { day: dayNumber(year, month, day), precision: 'day' };
    if (!told.has('hour')) return { date };
    const time = (['hour', 'minute', 'second'] as const).map((part) => (told.get(part) ?? '0').padStart(2, '0')).join(':');
    return { date, time };
  }

  /** The one year of the hundred that ends so. */
  #yearOf(short: number): number {
    const from = this.#firstYear;
    return from + ((((short - from) % 100) + 100) % 100);
  }
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\/-]/g, '\\$&');
