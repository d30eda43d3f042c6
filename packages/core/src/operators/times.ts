import { isInterval, type Expr } from '../filters/ast.ts';
import { dayInWords } from '../filters/phrases.ts';
import { periodOfText, type Period } from '../time/period.ts';
import { sameInstant } from './compare.ts';
import type { Checking, Operator, TimeRange } from './operator.ts';

type Relate = (a: Period, b: Period) => boolean;

/** @param sample the other side in the usage; that of two intervals where none is given */
function ofTimes(
  name: string,
  meaning: string,
  verb: string,
  relate: Relate,
  sample: string | null = null,
  range?: (time: Period) => TimeRange,
): Operator {
  const text = name.toUpperCase();
  const usage = sample ? `${text}(column, ${sample})` : `${text}(INTERVAL(column, other_column), INTERVAL('2024-01-01', '2024-12-31'))`;
  return {
    name,
    syntax: { kind: 'function' },
    arity: [2, 2],
    standard: true,
    result: 'boolean',
    deniable: true,
    help: { usage, meaning, dated: true },
    check: (call) => {
      for (const i of call.args.keys()) checkTime(call, i);
    },
    prose: ([a, b], { say }) => `${say(a)} ${verb} ${timeIn(b, say)}`,
    evaluation: { by: 'times', relate, range },
  };
}

function checkTime({ args, at, name, expect }: Checking, i: number): void {
  const expr = args[i];
  if (typeof expr === 'string' && periodOfText(expr)) return;
  expect(expr, ['date', 'datetime', 'interval'], at(i), `Each argument of ${name}`);
  if (!isInterval(expr)) return;
  for (const end of expr.interval) if (typeof end !== 'string') expect(end, ['date', 'datetime'], at(i), 'An end of INTERVAL');
}

function timeIn(expr: Expr, say: (expr: Expr) => string): string {
  return typeof expr === 'string' && /^\d{4}-\d\d-\d\d$/.test(expr) ? dayInWords(expr) : say(expr);
}

/** Beginning of the last unit of a period: the last day of an interval of days. It is the end that the standard compares. */
const lastOf = ({ end, grain }: Period) => end - grain;
/** Whether a period is a single day or moment. */
const isInstant = ({ start, end, grain }: Period) => end - start === grain;

/** Of a day and a moment in it, which are both instants, as `=` has it; of intervals both ends. */
function sameTime(a: Period, b: Period): boolean {
  return isInstant(a) && isInstant(b) ? sameInstant(a, b) : a.start === b.start && a.end === b.end;
}

const touching = ({ start, end }: Period): TimeRange => ({ from: start, to: end, whole: false });
const DAY = "DATE('2024-01-01')";
const SINCE = "INTERVAL('2024-01-01', '..')";
const WHOLE_YEAR = "INTERVAL('2024-01-01', '2024-12-31')";

/** Temporal functions of OGC 21-065r2, 7.4. */
export const TIMES: readonly Operator[] = [
  ofTimes(
    't_before',
    'lies before',
    'is before',
    (a, b) => a.end <= b.start,
    DAY,
    ({ start }) => ({ from: -Infinity, to: start, whole: true }),
  ),
  ofTimes(
    't_after',
    'lies after',
    'is after',
    (a, b) => a.start >= b.end,
    DAY,
    ({ end }) => ({ from: end, to: Infinity, whole: true }),
  ),
  ofTimes(
    't_intersects',
    'falls in the interval, its ends included',
    'falls in',
    (a, b) => a.start < b.end && a.end > b.start,
    SINCE,
    touching,
  ),
  ofTimes(
    't_disjoint',
    'falls outside the interval',
    'has no time in common with',
    (a, b) => a.start >= b.end || a.end <= b.start,
    SINCE,
    (time) => ({ ...touching(time), invert: true }),
  ),
  ofTimes('t_during', 'falls in the interval, its ends left out', 'lies inside', (a, b) => a.start > b.start && a.end < b.end, WHOLE_YEAR),
  ofTimes('t_equals', 'is the same time', 'is the same time as', sameTime, DAY),
  ofTimes(
    't_contains',
    'begins before and ends after the other',
    'begins before and ends after',
    (a, b) => a.start < b.start && a.end > b.end,
  ),
  ofTimes(
    't_finishes',
    'begins after the other and ends with it',
    'begins after the beginning of and ends with',
    (a, b) => a.start > b.start && a.end === b.end,
  ),
  ofTimes(
    't_finishedBy',
    'begins before the other and ends with it',
    'begins before and ends with',
    (a, b) => a.start < b.start && a.end === b.end,
  ),
  ofTimes(
    't_starts',
    'begins with the other and ends before it',
    'begins with and ends before',
    (a, b) => a.start === b.start && a.end < b.end,
  ),
  ofTimes(
    't_startedBy',
    'begins with the other and ends after it',
    'begins with and ends after',
    (a, b) => a.start === b.start && a.end > b.end,
  ),
  ofTimes('t_meets', 'ends where the other begins', 'ends where it meets', (a, b) => lastOf(a) === b.start),
  ofTimes('t_metBy', 'begins where the other ends', 'begins at the end of', (a, b) => a.start === lastOf(b)),
  ofTimes(
    't_overlaps',
    'begins before the other and ends in it',
    'begins before and ends in',
    (a, b) => a.start < b.start && lastOf(a) > b.start && a.end < b.end,
  ),
  ofTimes(
    't_overlappedBy',
    'begins in the other and ends after it',
    'begins in and ends after',
    (a, b) => b.start < a.start && lastOf(b) > a.start && b.end < a.end,
  ),
];
