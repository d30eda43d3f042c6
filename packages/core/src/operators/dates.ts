import type { Expr } from '../filters/ast.ts';
import { FilterError } from '../filters/filter_error.ts';
import { unitReplacement } from '../filters/replacement.ts';
import { SHIFT_UNITS, shiftDay } from '../time/calendar.ts';
import { partOfPeriod, type CalendarPart } from '../time/calendar_part.ts';
import { dayPeriod, lastPeriod, nextPeriod, shiftUnit, type Period } from '../time/period.ts';
import type { Checking, Operator } from './operator.ts';
import type { Scalar, Time } from './scalar.ts';

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

const AS_OF: Operator = {
  name: 'AS_OF',
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
  calendar('weekday', 'IN (6, 7)', 'the day of the week, Monday 1 to Sunday 7'),
  calendar('hour', 'BETWEEN 8 AND 17', 'the hour of the day in UTC, 0 to 23'),
];
