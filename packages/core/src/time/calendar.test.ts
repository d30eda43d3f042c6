import fc from 'fast-check';
import { dayAfter, dayNumber, formatDay, formatInstant, parseDate, parseInstant, shiftDay, splitDay } from './calendar.ts';
import { lastPeriod, nextPeriod, shiftUnit } from './period.ts';

const day = (iso: string) => parseDate(iso)!.day;

// Examples of RFC 3339, section 5.8, and of ISO 8601-1.
test.each([
  ['1985-04-12T23:20:50.52Z', Date.UTC(1985, 3, 12, 23, 20, 50, 520), 0],
  ['1996-12-19T16:39:57-08:00', Date.UTC(1996, 11, 20, 0, 39, 57), -480],
  ['1990-12-31T23:59:60Z', Date.UTC(1991, 0, 1), 0],
  ['1937-01-01T12:00:27.87+00:20', Date.UTC(1937, 0, 1, 11, 40, 27, 870), 20],
  ['2020-01-01T24:00:00Z', Date.UTC(2020, 0, 2), 0],
  ['2020-01-01 08:30', Date.UTC(2020, 0, 1, 8, 30), null],
])('date-time %s', (text, millis, offset) => expect(parseInstant(text)).toEqual({ millis, offset }));

test.each(['2020-13-01', '2021-02-29', '20200101', '1.1.2020', '2020-1-1', '2020-00-10', 'abcd'])('%s is no date', (text) =>
  expect(parseDate(text)).toBeNull(),
);
test.each(['2020-01-01T25:00Z', '2020-01-01T10:60Z', '2020-01-01T24:00:01Z', '2020-01-01T10:00+25:00', '2020-01-01'])(
  '%s is no date-time',
  (text) => expect(parseInstant(text)).toBeNull(),
);

test('days count as the calendar of the platform does', () => {
  fc.assert(
    fc.property(fc.integer({ min: -700_000, max: 2_900_000 }), (n) => {
      const { year, month, dayOfMonth } = splitDay(n);
      expect(dayNumber(year, month, dayOfMonth)).toBe(n);
      if (year >= 0 && year <= 9999) expect(parseDate(formatDay(n))).toEqual({ day: n, precision: 'day' });
    }),
  );
  expect(day('1970-01-01')).toBe(0);
  expect(day('2000-03-01') - day('2000-02-28')).toBe(2);
});

test('reduced precision ends where the next month or year begins', () => {
  expect(dayAfter(day('2020-02'), 'month')).toBe(day('2020-03-01'));
  expect(dayAfter(day('2020-12'), 'month')).toBe(day('2021-01-01'));
  expect(dayAfter(day('2020'), 'year')).toBe(day('2021-01-01'));
});

test('shifting by months stays in the month', () => {
  expect(formatDay(shiftDay(day('2024-03-31'), -1, 'months'))).toBe('2024-02-29');
  expect(formatDay(shiftDay(day('2024-02-29'), 1, 'years'))).toBe('2025-02-28');
  expect(formatDay(shiftDay(day('2024-01-15'), -13, 'months'))).toBe('2022-12-15');
  expect(formatDay(shiftDay(day('2024-01-15'), 2, 'weeks'))).toBe('2024-01-29');
});

test('the last 7 days are the as-of day and the six before it', () => {
  const millis = (iso: string) => day(iso) * 86_400_000;
  expect(lastPeriod(day('2026-11-24'), 7, 'days')).toMatchObject({
    start: millis('2026-11-18'),
    end: millis('2026-11-25'),
  });
  expect(nextPeriod(day('2026-11-24'), 1, 'months')).toMatchObject({
    start: millis('2026-11-25'),
    end: millis('2026-12-25'),
  });
  expect([shiftUnit('Day'), shiftUnit('years'), shiftUnit('fortnights')]).toEqual(['days', 'years', null]);
});

test('date-times are written with the offset they came with', () => {
  for (const text of ['2020-01-01T12:00:00Z', '2020-01-01T12:00:00.250+05:30', '2020-01-01T12:00:00-08:00', '2020-01-01T12:00:00']) {
    const { millis, offset } = parseInstant(text)!;
    expect(formatInstant(millis, offset)).toBe(text);
  }
});
