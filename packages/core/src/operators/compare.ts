import { compareCodePoints } from '../features/dictionary.ts';
import type { Comparison } from '../filters/ast.ts';
import { DAY_MILLIS } from '../time/calendar.ts';
import { dayPeriod, periodOfText, type Period } from '../time/period.ts';
import type { TimeRange } from './operator.ts';
import type { Scalar, Time } from './scalar.ts';

/** Compares two values of the same kind; null (unknown) when either is missing or too vague to tell. */
export function compare(op: Comparison, a: Scalar | null, b: Scalar | null): boolean | null {
  if (a === null || b === null) return null;
  if (typeof a === 'object' || typeof b === 'object') {
    const [left, right] = [timeOf(a), timeOf(b)];
    return left && right ? compareTimes(op, left, right) : null;
  }
  // IEEE 754: what is no number is equal to nothing, below nothing and above nothing.
  if (Number.isNaN(a) || Number.isNaN(b)) return op === '<>';
  const order = typeof a === 'string' && typeof b === 'string' ? compareCodePoints(a, b) : a < b ? -1 : a > b ? 1 : 0;
  return holds(op, order);
}

function holds(op: Comparison, order: number): boolean {
  switch (op) {
    case '=':
      return order === 0;
    case '<>':
      return order !== 0;
    case '<':
      return order < 0;
    case '<=':
      return order <= 0;
    case '>':
      return order > 0;
    case '>=':
      return order >= 0;
  }
}

function timeOf(value: Scalar): Time | null {
  if (Array.isArray(value)) return null;
  return typeof value === 'object' ? value : typeof value === 'string' ? periodOfText(value) : null;
}

/** Days and instants compare by their extent: an instant of a day is equal to it, the day before it is less. */
function compareTimes(op: Comparison, a: Time, b: Time): boolean | null {
  if (!a.vague && !b.vague) return compareExact(op, a, b);
  if (op === '=' || op === '<>') {
    const apart = a.end <= b.start || b.end <= a.start;
    return apart ? op === '<>' : null;
  }
  const outcomes = new Set<boolean>();
  for (const x of extremes(a)) for (const y of extremes(b)) outcomes.add(compareExact(op, x, y));
  return outcomes.size === 1 ? [...outcomes][0] : null;
}

function extremes(time: Time): Time[] {
  if (!time.vague) return [time];
  return [
    { start: time.start, end: time.start + DAY_MILLIS, grain: DAY_MILLIS },
    { start: time.end - DAY_MILLIS, end: time.end, grain: DAY_MILLIS },
  ];
}

function compareExact(op: Comparison, a: Period, b: Period): boolean {
  switch (op) {
    case '=':
      return sameInstant(a, b);
    case '<>':
      return !sameInstant(a, b);
    case '<':
      return a.end <= b.start;
    case '<=':
      return a.start < b.end;
    case '>':
      return a.start >= b.end;
    case '>=':
      return a.end > b.start;
  }
}

/** Whether one of two days or moments lies in the other. */
export const sameInstant = (a: Period, b: Period): boolean => covers(a, b) || covers(b, a);

function covers(outer: Period, inner: Period): boolean {
  return outer.start <= inner.start && outer.end >= inner.end;
}

/**
 * What holds between two times; null when one of them is too vague to tell. What is only
 * known to the month or year is a day in it, so the outcome is known when it is the same for all days in question.
 */
export function relateTimes(relate: (a: Period, b: Period) => boolean, a: Time, b: Time): boolean | null {
  // The outcome can change at the ends of the other time only, so the days about all ends are enough.
  const ends = [a, b].flatMap((time) => [time, time.vagueStart, time.vagueEnd].flatMap((one) => (one ? [one.start, one.end] : [])));
  const [left, right] = [possiblePeriods(a, ends), possiblePeriods(b, ends)];
  const first = relate(left[0], right[0]);
  return left.every((x) => right.every((y) => relate(x, y) === first)) ? first : null;
}

/** The exact periods that a time can be, as far as ends at these moments can tell them apart. */
function possiblePeriods(time: Time, ends: readonly number[]): Period[] {
  if (time.vague) return daysIn(time, ends);
  const { vagueStart, vagueEnd } = time;
  if (!vagueStart && !vagueEnd) return [time];
  const starts = vagueStart ? daysIn(vagueStart, ends).map(({ start }) => start) : [time.start];
  const stops = vagueEnd ? daysIn(vagueEnd, ends).map(({ end }) => end) : [time.end];
  const all = starts.flatMap((start) => stops.map((end): Period => ({ start, end, grain: time.grain })));
  const forward = all.filter(({ start, end }) => start < end);
  return forward.length > 0 ? forward : all;
}

function daysIn({ start, end }: Period, ends: readonly number[]): Period[] {
  const [first, last] = [start / DAY_MILLIS, end / DAY_MILLIS - 1];
  const days = new Set<number>();
  for (const moment of ends.filter(Number.isFinite))
    for (let day = Math.floor(moment / DAY_MILLIS) - 2; day <= Math.floor(moment / DAY_MILLIS) + 2; day++)
      if (day >= first && day <= last) days.add(day);
  return [...days].map(dayPeriod);
}

/** What a time has to lie in to compare so with another. */
export function comparedRange(op: Comparison, { start, end }: Period): TimeRange {
  switch (op) {
    case '<':
      return { from: -Infinity, to: start, whole: true };
    case '<=':
      return { from: -Infinity, to: end, whole: false };
    case '>':
      return { from: end, to: Infinity, whole: true };
    case '>=':
      return { from: start, to: Infinity, whole: false };
    case '=':
      return { from: start, to: end, whole: false };
    case '<>':
      return { from: start, to: end, whole: false, invert: true };
  }
}
