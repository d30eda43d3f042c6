import { columnNamed, type FeatureTable } from '../features/table.ts';
import { datePrecision, GROUP_ROWS, type Column } from '../features/column.ts';
import { compareCodePoints } from '../features/dictionary.ts';
import { has } from '../features/mask.ts';
import { DAY_MILLIS, dayAfter, parseDate, shiftDay } from '../time/calendar.ts';
import { calendarPart, partOfPeriod } from '../time/calendar_part.ts';
import {
  dayPeriod,
  instantPeriod,
  lastPeriod,
  nextPeriod,
  periodOfText,
  shiftUnit,
  type Period,
} from '../time/period.ts';
import {
  isBox,
  isCall,
  isDate,
  isGeometry,
  isInterval,
  isProperty,
  isTimestamp,
  isTruth,
  type Call,
  type Comparison,
  type Expr,
} from '../filters/ast.ts';
import { foldAccents, foldCase } from '../filters/text_matching.ts';

/** A time that a scalar stands for; `vague` when it is one day that is only known to lie in the period. */
export interface Time extends Period {
  vague?: boolean;
  /** Of an interval: an end of it that is vague. */
  vagueStart?: Period;
  vagueEnd?: Period;
}
export type Scalar = number | string | boolean | Time | (Scalar | null)[];

/** Value of one row, null when missing or undefined (as a division by zero is). */
export type Accessor = (row: number) => Scalar | null;
export type Resolve = (name: string) => Accessor;
/** Truth of an expression, row by row; null is unknown. */
export type TruthOf = (expr: Call) => (row: number) => boolean | null;

/** Value of an expression in which no column occurs; undefined when one does. */
export function constantOf(expr: Expr, asOf: number): Scalar | null | undefined {
  if (typeof expr === 'number' || typeof expr === 'string' || typeof expr === 'boolean') return expr;
  if (Array.isArray(expr) || isProperty(expr) || isGeometry(expr) || isBox(expr)) return undefined;
  if (isDate(expr)) return dayPeriod(parseDate(expr.date)!.day);
  if (isTimestamp(expr)) return periodOfText(expr.timestamp);
  if (isInterval(expr)) {
    const ends = expr.interval.map((e) =>
      e === '..' ? null : typeof e === 'string' ? periodOfText(e) : (constantOf(e, asOf) as Time | undefined),
    );
    if (ends.includes(undefined)) return undefined;
    const [start, end] = ends as (Time | null)[];
    return span(start, end);
  }
  if (isTruth(expr)) return undefined;
  const args = expr.args.map((arg) => constantOf(arg, asOf));
  if (args.some((arg) => arg === undefined)) return undefined;
  return applyFunction(expr.op, args as (Scalar | null)[], asOf);
}

function applyFunction(op: string, args: (Scalar | null)[], asOf: number): Scalar | null | undefined {
  if (args.includes(null)) return null;
  switch (op) {
    case 'casei':
      return foldCase(args[0] as string);
    case 'accenti':
      return foldAccents(args[0] as string);
    case 'CODEPOINTS':
      return String.fromCodePoint(...(args as number[]));
    case 'AS_OF':
      return dayPeriod(args.length === 0 ? asOf : shiftDay(asOf, args[0] as number, shiftUnit(args[1] as string)!));
    case 'LAST':
      return lastPeriod(asOf, args[0] as number, shiftUnit(args[1] as string)!);
    case 'NEXT':
      return nextPeriod(asOf, args[0] as number, shiftUnit(args[1] as string)!);
  }
  const part = args.length === 1 ? calendarPart(op) : null;
  if (part) return partOfPeriod(part, args[0] as Time);
  if (args.length === 2 && typeof args[0] === 'number' && typeof args[1] === 'number')
    return arithmetic(op, args[0], args[1]);
  return undefined;
}

function arithmetic(op: string, a: number, b: number): number | null | undefined {
  const value = compute(op, a, b);
  return value === undefined || Number.isFinite(value) ? value : null;
}

function compute(op: string, a: number, b: number): number | undefined {
  switch (op) {
    case '+':
      return a + b;
    case '-':
      return a - b;
    case '*':
      return a * b;
    case '/':
      return a / b;
    case '%':
      return a % b;
    case 'div':
      return Math.trunc(a / b);
    case '^':
      return a ** b;
    default:
      return undefined;
  }
}

/** From the beginning of one time to the end of another; null is an open end. */
function span(start: Time | null, end: Time | null): Time {
  const time: Time = { start: start?.start ?? -Infinity, end: end?.end ?? Infinity, grain: end?.grain ?? 1 };
  if (start?.vague) time.vagueStart = start;
  if (end?.vague) time.vagueEnd = end;
  return time;
}

/** Makes an accessor for a scalar expression; `truth` answers what is true or false. */
export function scalar(expr: Expr, resolve: Resolve, asOf: number, truth: TruthOf): Accessor {
  if (isCall(expr) && isTruth(expr)) return truth(expr);
  const constant = constantOf(expr, asOf);
  if (constant !== undefined) return () => constant;
  if (isProperty(expr)) return resolve(expr.property);
  if (isInterval(expr)) {
    const [start, end] = expr.interval.map((e) => (e === '..' ? '..' : scalar(asTime(e), resolve, asOf, truth)));
    return (row) => {
      const [from, to] = [start, end].map((e) => (e === '..' ? e : (e as Accessor)(row)));
      if (from === null || to === null) return null;
      return span(from === '..' ? null : (from as Time), to === '..' ? null : (to as Time));
    };
  }
  if (Array.isArray(expr)) {
    const items = expr.map((item) => scalar(item, resolve, asOf, truth));
    return (row) => items.map((item) => item(row));
  }
  if (!isCall(expr)) throw new Error('Not a scalar expression');
  const args = expr.args.map((arg) => scalar(arg, resolve, asOf, truth));
  return (row) => {
    const value = applyFunction(expr.op, args.map((arg) => arg(row)), asOf); // prettier-ignore
    if (value === undefined) throw new Error(`Cannot evaluate ${expr.op}`);
    return value;
  };
}

export function columnAccessor(table: FeatureTable, name: string): Accessor {
  const column = columnNamed(table, name);
  if (!column) throw new Error(`There is no column ${name}`);
  return (row) => scalarAt(column, row);
}

export function scalarAt(column: Column, row: number): Scalar | null {
  const chunk = column.chunks[Math.floor(row / GROUP_ROWS)];
  const i = row % GROUP_ROWS;
  if (chunk.validity && !has(chunk.validity, i)) return null;
  switch (chunk.type) {
    case 'number':
      return chunk.values[i];
    case 'text':
      return column.dictionary!.at(chunk.codes[i]);
    case 'boolean':
      return has(chunk.values, i);
    case 'datetime':
      return instantPeriod(chunk.millis[i]);
    case 'date': {
      const precision = datePrecision(chunk, i);
      if (precision === 'day') return dayPeriod(chunk.days[i]);
      const end = dayAfter(chunk.days[i], precision) * DAY_MILLIS;
      return { start: chunk.days[i] * DAY_MILLIS, end, grain: DAY_MILLIS, vague: true };
    }
  }
}

/** A quoted date in a temporal function stands for the date. */
export function asTime(expr: Expr): Expr {
  if (typeof expr !== 'string') return expr;
  return expr.length > 10 ? { timestamp: expr } : { date: expr };
}

/** The members of an array: a list, or a text that holds a JSON array as formats without arrays keep them; null for others. */
export function arrayOf(value: Scalar | null): unknown[] | null {
  if (Array.isArray(value)) return value;
  if (typeof value !== 'string' || !value.trimStart().startsWith('[')) return null;
  try {
    const parsed = JSON.parse(value) as unknown;
    return Array.isArray(parsed) ? parsed : null;
  } catch {
    return null;
  }
}

/** The members of an array, each once, spelled as JSON. */
export type Members = ReadonlySet<string>;
export const membersOf = (array: readonly unknown[]): Members => new Set(array.map((member) => JSON.stringify(member)));

/** Array functions of OGC 21-065r2, "Array Functions". Members are equal when they are the same value; order does not matter. */
export function relateArrays(op: string, left: Members, right: Members): boolean {
  const covers = (outer: Members, inner: Members) => {
    if (inner.size > outer.size) return false;
    for (const member of inner) if (!outer.has(member)) return false;
    return true;
  };
  switch (op) {
    case 'a_contains':
      return covers(left, right);
    case 'a_containedBy':
      return covers(right, left);
    case 'a_equals':
      return left.size === right.size && covers(left, right);
    default: {
      const [fewer, more] = left.size < right.size ? [left, right] : [right, left];
      for (const member of fewer) if (more.has(member)) return true;
      return false;
    }
  }
}

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
      return covers(a, b) || covers(b, a);
    case '<>':
      return !covers(a, b) && !covers(b, a);
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

function covers(outer: Period, inner: Period): boolean {
  return outer.start <= inner.start && outer.end >= inner.end;
}

/**
 * Temporal functions of OGC 21-065r2, 7.4, between two times; null when one of them is too vague to tell. What is only
 * known to the month or year is a day in it, so the outcome is known when it is the same for all days in question.
 */
export function relateTimes(op: string, a: Time, b: Time): boolean | null {
  // The outcome can change at the ends of the other time only, so the days about all ends are enough.
  const ends = [a, b].flatMap((time) => [time, time.vagueStart, time.vagueEnd].flatMap((one) => (one ? [one.start, one.end] : []))); // prettier-ignore
  const [left, right] = [possiblePeriods(a, ends), possiblePeriods(b, ends)];
  const first = relateExact(op, left[0], right[0]);
  return left.every((x) => right.every((y) => relateExact(op, x, y) === first)) ? first : null;
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

function relateExact(op: string, a: Period, b: Period): boolean {
  switch (op) {
    case 't_before':
      return a.end <= b.start;
    case 't_after':
      return a.start >= b.end;
    case 't_intersects':
      return a.start < b.end && a.end > b.start;
    case 't_disjoint':
      return a.start >= b.end || a.end <= b.start;
    case 't_equals':
      // Of a day and a moment in it, which are both instants, as `=` has it; of intervals both ends.
      return isInstant(a) && isInstant(b) ? compareExact('=', a, b) : a.start === b.start && a.end === b.end;
    case 't_during':
      return a.start > b.start && a.end < b.end;
    case 't_contains':
      return a.start < b.start && a.end > b.end;
    case 't_finishes':
      return a.start > b.start && a.end === b.end;
    case 't_finishedBy':
      return a.start < b.start && a.end === b.end;
    case 't_starts':
      return a.start === b.start && a.end < b.end;
    case 't_startedBy':
      return a.start === b.start && a.end > b.end;
    case 't_meets':
      return lastOf(a) === b.start;
    case 't_metBy':
      return a.start === lastOf(b);
    case 't_overlaps':
      return a.start < b.start && lastOf(a) > b.start && a.end < b.end;
    case 't_overlappedBy':
      return b.start < a.start && lastOf(b) > a.start && b.end < a.end;
    default:
      throw new Error(`Unknown temporal function ${op}`);
  }
}

/** Whether a period is a single day or moment. */
function isInstant({ start, end, grain }: Period): boolean {
  return end - start === grain;
}

/** Beginning of the last unit of a period: the last day of an interval of days. It is the end that the standard compares. */
function lastOf({ end, grain }: Period): number {
  return end - grain;
}
