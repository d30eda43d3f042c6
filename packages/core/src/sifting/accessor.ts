import { columnNamed, type FeatureTable } from '../features/table.ts';
import { datePrecision, CHUNK_ROWS, type Column } from '../features/column.ts';
import { has } from '../features/mask.ts';
import { isBox, isDate, isGeometry, isInterval, isProperty, isTimestamp, isCall, type Call, type Expr } from '../filters/ast.ts';
import type { Members } from '../operators/arrays.ts';
import { isTruth, operatorNamed } from '../operators/operator_registry.ts';
import type { Scalar, Time } from '../operators/scalar.ts';
import { DAY_MILLIS, dayAfter, parseDate } from '../time/calendar.ts';
import { dayPeriod, instantPeriod, periodOfText } from '../time/period.ts';

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

/** Undefined where there is no such function of values. */
function applyFunction(op: string, args: (Scalar | null)[], asOf: number): Scalar | null | undefined {
  const known: Scalar[] = [];
  for (const arg of args) {
    if (arg === null) return null;
    known.push(arg);
  }
  const evaluation = operatorNamed(op)?.evaluation;
  return evaluation?.by === 'value' ? evaluation.apply(known, asOf) : undefined;
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
  const evaluation = operatorNamed(expr.op)?.evaluation;
  if (evaluation?.by === 'choice') return (row) => evaluation.choose(args.map((arg) => arg(row)));
  return (row) => {
    const value = applyFunction(
      expr.op,
      args.map((arg) => arg(row)),
      asOf,
    );
    if (value === undefined) throw new Error(`Cannot evaluate ${expr.op}`);
    return value;
  };
}

/**
 * Reads a column row by row.
 * @throws where the table has no such column
 */
export function columnAccessor(table: FeatureTable, name: string): Accessor {
  const column = columnNamed(table, name);
  if (!column) throw new Error(`There is no column ${name}`);
  return (row) => scalarAt(column, row);
}

/** Value of one row as expressions compute with it; null where it is missing. */
export function scalarAt(column: Column, row: number): Scalar | null {
  const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
  const i = row % CHUNK_ROWS;
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

/** Members of an array by what they are, not by how they are written. */
export const membersOf = (array: readonly unknown[]): Members => new Set(array.map((member) => JSON.stringify(member)));
