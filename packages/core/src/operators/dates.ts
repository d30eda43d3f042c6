import type { Expr } from '../filters/ast.ts';
import { FilterError } from '../filters/filter_error.ts';
import { unitReplacement } from '../filters/replacement.ts';
import { DAY_MILLIS, SHIFT_UNITS, shiftDay } from '../time/calendar.ts';
import { partOfPeriod, type CalendarPart } from '../time/calendar_part.ts';
import { dayPeriod, lastPeriod, nextPeriod, shiftUnit, type Period } from '../time/period.ts';
import { checkWord, functionOf } from './functions.ts';
import type { Checking, Operator } from './operator.ts';
import { wholeYears } from './plain_value.ts';
import type { Scalar, Time } from './scalar.ts';

/** Days from 1970 to the end of the year 9999. */
const FARTHEST_DAY = 2_932_896;

/** Amounts and units have been checked. */
const unitOf = (unit: Scalar) => shiftUnit(unit as string)!;
const word = (expr: Expr) => (typeof expr === 'string' ? expr.toLowerCase() : '');

function checkAmount({ name, args, at }: Checking, least: number): void {
  if (typeof args[0] !== 'number' || !Number.isInteger(args[0]) || args[0] < least)
    throw new FilterError(`${name} takes a whole number${least > 0 ? ` of at least ${least}` : ''}`, at(0));
  if (typeof args[1] !== 'string' || !shiftUnit(args[1]))
    throw new FilterError(
      `${name} needs a unit of time`,
      at(1) ?? at(0),
      "Use 'days', 'weeks', 'months', 'quarters' or 'years'",
      unitReplacement(args[1], SHIFT_UNITS),
    );
}

const day = (time: Scalar): number | null => {
  const { start, end, vague } = time as Time;
  return vague || end - start > DAY_MILLIS ? null : Math.floor(start / DAY_MILLIS);
};

/** Differences and shifts; of a date known to the month or year only they are not known. */
const DIFFERENCES: readonly Operator[] = [
  functionOf({
    name: 'DAYS_BETWEEN',
    takes: ['date', 'date'],
    result: 'number',
    usage: "DAYS_BETWEEN(column, DATE('2026-01-01'))",
    meaning: 'days from the first to the second, negative where that is earlier; of date-times with the part of a day',
    dated: true,
    prose: ([from, to]) => `days from ${from} to ${to}`,
    apply: ([from, to]) => {
      if (day(from) === null || day(to) === null) return null;
      return ((to as Time).start - (from as Time).start) / DAY_MILLIS;
    },
    block: { kind: 'days' },
    fails: 'is known to the month or year only',
  }),
  functionOf({
    name: 'YEARS_BETWEEN',
    takes: ['date', 'date'],
    result: 'number',
    usage: "YEARS_BETWEEN(column, DATE('2026-01-01'))",
    meaning: 'completed years from the first to the second, as an age is told',
    dated: true,
    prose: ([from, to]) => `whole years from ${from} to ${to}`,
    apply: ([from, to]) => {
      const [a, b] = [day(from), day(to)];
      return a === null || b === null ? null : wholeYears(a, b);
    },
    fails: 'is known to the month or year only',
  }),
  functionOf({
    name: 'AGE',
    takes: ['date'],
    asOf: true,
    result: 'number',
    usage: 'AGE(column)',
    meaning: 'completed years on the as-of date',
    dated: true,
    prose: ([from]) => `the age since ${from} on the as-of date`,
    apply: ([from], asOf) => {
      const since = day(from);
      return since === null ? null : wholeYears(since, asOf);
    },
    fails: 'is known to the month or year only',
  }),
  functionOf({
    name: 'DATE_PLUS',
    takes: ['date', 'number', 'text'],
    result: 'date',
    usage: "DATE_PLUS(column, 6, 'months')",
    meaning: 'the date so many days, weeks, months, quarters or years later, or earlier where the number is negative',
    dated: true,
    prose: ([date, amount, unit]) => `${date} plus ${amount} ${unit}`,
    check: (call) => checkWord(call, 2, SHIFT_UNITS),
    apply: ([date, amount, unit]) => {
      const from = day(date);
      if (from === null || !Number.isInteger(amount)) return null;
      const to = shiftDay(from, amount as number, unitOf(unit));
      return Math.abs(to) <= FARTHEST_DAY ? dayPeriod(to) : null;
    },
    fails: 'is known to the month or year only, or lies too far away',
  }),
];

const AS_OF: Operator = {
  name: 'AS_OF',
  asOf: true,
  syntax: { kind: 'function' },
  arity: [0, 2],
  standard: false,
  result: 'date',
  help: {
    usage: "AS_OF(-5, 'years')",
    meaning: 'the as-of date, moved by so many days, weeks, months or years',
    dated: true,
  },
  check: (call) => {
    if (call.args.length > 0) checkAmount(call, -Infinity);
  },
  prose: ([amount, unit]) => {
    if (typeof amount !== 'number') return 'the as-of date';
    return `${Math.abs(amount)} ${word(unit)} ${amount < 0 ? 'before' : 'after'} the as-of date`;
  },
  evaluation: {
    by: 'value',
    apply: ([amount, unit], asOf) => dayPeriod(amount === undefined ? asOf : shiftDay(asOf, amount as number, unitOf(unit))),
  },
};

function counted(
  side: 'last' | 'next',
  meaning: string,
  period: (asOf: number, amount: number, unit: ReturnType<typeof unitOf>) => Period,
): Operator {
  const name = side.toUpperCase();
  return {
    name,
    asOf: true,
    syntax: { kind: 'function' },
    arity: [2, 2],
    standard: false,
    result: 'interval',
    help: { usage: `T_INTERSECTS(column, ${name}(30, 'days'))`, meaning, dated: true },
    check: (call) => checkAmount(call, 1),
    prose: ([amount, unit], { say }) => `the ${side} ${say(amount)} ${word(unit)}`,
    evaluation: { by: 'value', apply: ([amount, unit], asOf) => period(asOf, amount as number, unitOf(unit)) },
  };
}

function calendar(part: CalendarPart, usage: string, meaning: string): Operator {
  const name = part.toUpperCase();
  return {
    name,
    syntax: { kind: 'function' },
    arity: [1, 1],
    standard: false,
    result: 'number',
    help: { usage: `${name}(column) ${usage}`, meaning, dated: true },
    check: ({ args, at, expect }) => {
      const type = expect(args[0], ['date', 'datetime'], at(0), `The argument of ${name}`);
      if (part === 'hour' && type === 'date')
        throw new FilterError('HOUR needs a time of day, and a date has none', at(0), 'Use a column of date-times');
    },
    prose: ([time], { say }) => `${name}(${say(time)})`,
    evaluation: {
      by: 'value',
      apply: ([time]) => partOfPeriod(part, time as Time),
      block: { kind: 'part', part },
    },
  };
}

export const DATES: readonly Operator[] = [
  AS_OF,
  counted('last', 'the time that ends with the as-of date', lastPeriod),
  counted('next', 'the time that begins after the as-of date', nextPeriod),
  calendar('year', 'IN (2023, 2024)', 'the year of a date or date-time'),
  calendar('quarter', '= 1', 'the quarter of the year, 1 to 4'),
  calendar('month', 'IN (3, 4, 5)', 'the month, 1 to 12, of any year'),
  calendar('day', '= 1', 'the day of the month, 1 to 31'),
  calendar('weekday', 'IN (6, 7)', 'the day of the week, Monday 1 to Sunday 7'),
  calendar('hour', 'BETWEEN 8 AND 17', 'the hour of the day in UTC, 0 to 23'),
  ...DIFFERENCES,
];
