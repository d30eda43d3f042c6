import { CHUNK_ROWS, type Column } from '../features/column.ts';
import { and, drop, emptyMask, fullMask, has, invertRows, not, or, put, type Mask } from '../features/mask.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { COMPARISONS, isCall, isProperty, type Call, type Expr } from '../filters/ast.ts';
import type { BlockForm } from '../operators/operator.ts';
import { operatorNamed } from '../operators/operator_registry.ts';
import type { Scalar, Time } from '../operators/scalar.ts';
import { DAY_MILLIS } from '../time/calendar.ts';
import { partOfInstant, type CalendarPart } from '../time/calendar_part.ts';
import { constantOf } from './accessor.ts';
import type { Verdict } from './sifter.ts';

/** What the numbers of a vector are; only vectors of one kind are compared. */
type Kind = 'number' | 'day' | 'millis';

/** Rows that are computed at a time: few enough for the arrays at work to stay in the processor's cache. */
const BLOCK = 4096;

/** Values of one block; null validity means that all are there. The next block may reuse the arrays. */
interface Vector {
  values: Float64Array;
  validity: Mask | null;
}
interface Source {
  kind: Kind;
  /** @param from row of the table, a multiple of BLOCK */
  block: (from: number, rows: number) => Vector;
}

/**
 * A comparison or range of numbers, days or instants in which columns stand on both sides or in arithmetic, a block
 * at a time. Null when an operand is of another kind; the row-by-row path then answers the same.
 */
export function comparedVectors(expr: Call, table: FeatureTable, asOf: number): Verdict | null {
  if (![...COMPARISONS, 'between', 'in'].includes(expr.op)) return null;
  const sources: Source[] = [];
  for (const arg of expr.op === 'in' ? [expr.args[0], ...(expr.args[1] as Expr[])] : expr.args) {
    const source = sourceOf(arg, table, asOf);
    if (!source || (sources.length > 0 && source.kind !== sources[0].kind)) return null;
    sources.push(source);
  }
  const yes = emptyMask(table.rows);
  const possible = emptyMask(table.rows);
  let sure = true;
  for (let start = 0; start < table.rows; start += BLOCK) {
    const rows = Math.min(BLOCK, table.rows - start);
    const vectors = sources.map((source) => source.block(start, rows));
    const outcome = outcomeOf(expr.op, vectors, rows);
    yes.set(outcome.yes, start >>> 5);
    possible.set(outcome.possible, start >>> 5);
    sure &&= outcome.possible === outcome.yes;
  }
  return { yes, possible: sure ? yes : possible };
}

/**
 * The numbers that arithmetic and parts of times over columns give, a block at a time; NaN where there is none. Null where the
 * expression is of another kind; the row-by-row path then gives the same.
 */
export function computedNumbers(expr: Expr, table: FeatureTable, asOf: number): Float64Array<ArrayBuffer> | null {
  const source = sourceOf(expr, table, asOf);
  if (source?.kind !== 'number') return null;
  const out = new Float64Array(table.rows);
  for (let start = 0; start < table.rows; start += BLOCK) {
    const rows = Math.min(BLOCK, table.rows - start);
    const { values, validity } = source.block(start, rows);
    out.set(values.subarray(0, rows), start);
    for (let i = 0; validity && i < rows; i++) if (!has(validity, i)) out[start + i] = NaN;
  }
  return out;
}

function outcomeOf(op: string, [subject, ...others]: Vector[], rows: number): Verdict {
  if (op === 'between') {
    const [a, b] = [compared('>=', subject, others[0], rows), compared('<=', subject, others[1], rows)];
    return { yes: and(a.yes, b.yes), possible: and(a.possible, b.possible) };
  }
  if (op !== 'in') return compared(op, subject, others[0], rows);
  return others
    .map((other) => compared('=', subject, other, rows))
    .reduce((a, b) => ({ yes: or(a.yes, b.yes), possible: or(a.possible, b.possible) }));
}

function sourceOf(expr: Expr, table: FeatureTable, asOf: number): Source | null {
  if (isProperty(expr)) {
    const column = columnNamed(table, expr.property);
    return column ? columnSource(column) : null;
  }
  const constant = constantOf(expr, asOf);
  if (constant !== undefined) return constantSource(constant);
  const evaluation = isCall(expr) ? operatorNamed(expr.op)?.evaluation : undefined;
  const block = evaluation?.by === 'value' ? evaluation.block : undefined;
  if (!isCall(expr) || !block) return null;
  const all = expr.args.map((arg) => sourceOf(arg, table, asOf));
  const [left, right] = all;
  if (block.kind === 'part') return partSource(block.part, left);
  if (block.kind === 'days') return daysSource(left, right);
  if (block.kind === 'each') {
    const numbers = all.flatMap((source) => (source?.kind === 'number' ? [source] : []));
    return numbers.length < all.length ? null : eachSource(block.apply, numbers, asOf);
  }
  return left?.kind === 'number' && right?.kind === 'number' ? computed(block.loop, left, right) : null;
}

/** Year, month and the like of days or instants; of days the parts that are the same all day. */
function partSource(part: CalendarPart, of: Source | null): Source | null {
  if (!of || of.kind === 'number' || (of.kind === 'day' && part === 'hour')) return null;
  const values = new Float64Array(BLOCK);
  const known = new PartOfDay(part);
  return {
    kind: 'number',
    block(from, rows) {
      const times = of.block(from, rows);
      if (part === 'hour') for (let i = 0; i < rows; i++) values[i] = partOfInstant(part, times.values[i]);
      else if (of.kind === 'day') for (let i = 0; i < rows; i++) values[i] = known.of(times.values[i]);
      else for (let i = 0; i < rows; i++) values[i] = known.of(Math.floor(times.values[i] / DAY_MILLIS));
      return { values, validity: times.validity };
    },
  };
}

/** A part of days, computed once for each day of the decades that most data is of. */
class PartOfDay {
  static readonly #FIRST = -36_525;
  readonly #part: CalendarPart;
  readonly #known = new Float64Array(4 * 36_525).fill(NaN);

  constructor(part: CalendarPart) {
    this.#part = part;
  }

  of(day: number): number {
    const at = day - PartOfDay.#FIRST;
    const known = this.#known[at];
    if (known === known && known !== undefined) return known;
    const value = partOfInstant(this.#part, day * DAY_MILLIS);
    if (at >= 0 && at < this.#known.length) this.#known[at] = value;
    return value;
  }
}

/** Days from one time to another, with the part of a day between instants. */
function daysSource(from: Source | null, to: Source | null): Source | null {
  if (!from || !to || from.kind === 'number' || to.kind === 'number') return null;
  const values = new Float64Array(BLOCK);
  const [unitFrom, unitTo] = [from, to].map(({ kind }) => (kind === 'day' ? DAY_MILLIS : 1));
  return {
    kind: 'number',
    block(start, rows) {
      const [a, b] = [from.block(start, rows), to.block(start, rows)];
      for (let i = 0; i < rows; i++) values[i] = (b.values[i] * unitTo - a.values[i] * unitFrom) / DAY_MILLIS;
      return { values, validity: bothValid(a.validity, b.validity) };
    },
  };
}

/** A function of numbers, row by row within the block. */
function eachSource(apply: (args: Scalar[], asOf: number) => Scalar | null, all: readonly Source[], asOf: number): Source {
  const values = new Float64Array(BLOCK);
  const given: number[] = all.map(() => 0);
  return {
    kind: 'number',
    block(from, rows) {
      const vectors = all.map((source) => source.block(from, rows));
      const numbers = vectors.map((vector) => vector.values);
      const validity = vectors.reduce<Mask | null>((mask, vector) => bothValid(mask, vector.validity), null);
      let odd = false;
      for (let i = 0; i < rows; i++) {
        for (let k = 0; k < numbers.length; k++) given[k] = numbers[k][i];
        const value = apply(given, asOf);
        odd ||= value === null;
        values[i] = typeof value === 'number' ? value : NaN;
      }
      return { values, validity: odd ? finite(values, rows, validity) : validity };
    },
  };
}

function columnSource({ type, chunks }: Column): Source | null {
  // A day known only to its month or year is not one number.
  if (chunks.some((chunk) => chunk.type === 'date' && chunk.precision !== null)) return null;
  const kind = ({ number: 'number', date: 'day', datetime: 'millis' } as Record<string, Kind | undefined>)[type];
  if (!kind) return null;
  // Days are copied: loops that see one kind of array only are much faster.
  const days = kind === 'day' ? new Float64Array(BLOCK) : null;
  return {
    kind,
    block(start, rows) {
      const chunk = chunks[Math.floor(start / CHUNK_ROWS)];
      const from = start % CHUNK_ROWS;
      const to = from + rows;
      if (chunk.type === 'date') days!.set(chunk.days.subarray(from, to));
      const all = chunk.type === 'number' ? chunk.values : chunk.type === 'datetime' ? chunk.millis : null;
      return {
        values: all ? all.subarray(from, to) : days!,
        validity: chunk.validity && chunk.validity.subarray(from >>> 5, (to + 31) >>> 5),
      };
    },
  };
}

function constantSource(constant: NonNullable<ReturnType<typeof constantOf>> | null): Source | null {
  const [kind, value] = typeof constant === 'number' ? (['number', constant] as const) : timeNumber(constant);
  if (kind === null) return null;
  const values = new Float64Array(BLOCK).fill(value);
  return { kind, block: () => ({ values, validity: null }) };
}

function timeNumber(constant: unknown): readonly ['day', number] | readonly [null, 0] {
  const time = constant as Time | null;
  const isDay = time !== null && typeof time === 'object' && !Array.isArray(time) && !time.vague && time.end - time.start === DAY_MILLIS;
  return isDay ? ['day', time.start / DAY_MILLIS] : [null, 0];
}

type Loop = Extract<BlockForm, { kind: 'numbers' }>['loop'];

function computed(loop: Loop, left: Source, right: Source): Source {
  const values = new Float64Array(BLOCK);
  return {
    kind: 'number',
    block(from, rows) {
      const [a, b] = [left.block(from, rows), right.block(from, rows)];
      const odd = loop(a.values, b.values, values, rows);
      const validity = bothValid(a.validity, b.validity);
      return { values, validity: odd === 0 ? validity : finite(values, rows, validity) };
    },
  };
}

function bothValid(a: Mask | null, b: Mask | null): Mask | null {
  return a && b ? and(a, b) : (a ?? b);
}

/** What is no number any more, as after a division by zero, is unknown. */
function finite(values: Float64Array, rows: number, validity: Mask | null): Mask {
  const out = validity ? validity.slice() : fullMask(rows);
  for (let i = 0; i < rows; i++) if (has(out, i) && !Number.isFinite(values[i])) drop(out, i);
  return out;
}

function compared(op: string, a: Vector, b: Vector, rows: number): Verdict {
  const validity = bothValid(a.validity, b.validity);
  const [left, right] = op === '<' || op === '<=' ? [b.values, a.values] : [a.values, b.values];
  const yes =
    op === '=' || op === '<>' ? equal(left, right, rows) : op === '<' || op === '>' ? above(left, right, rows) : atLeast(left, right, rows);
  if (op === '<>') invertRows(yes, 0, rows);
  if (!validity) return { yes, possible: yes };
  and(yes, validity, yes);
  return { yes, possible: or(yes, not(validity, rows)) };
}

function equal(a: Float64Array, b: Float64Array, rows: number): Mask {
  const out = emptyMask(rows);
  const whole = rows & ~31;
  let i = 0;
  for (; i < whole; i += 32) {
    let bits = 0;
    for (let k = 0; k < 32; k++) bits |= +(a[i + k] === b[i + k]) << k;
    out[i >>> 5] = bits;
  }
  for (; i < rows; i++) if (a[i] === b[i]) put(out, i);
  return out;
}
function above(a: Float64Array, b: Float64Array, rows: number): Mask {
  const out = emptyMask(rows);
  const whole = rows & ~31;
  let i = 0;
  for (; i < whole; i += 32) {
    let bits = 0;
    for (let k = 0; k < 32; k++) bits |= +(a[i + k] > b[i + k]) << k;
    out[i >>> 5] = bits;
  }
  for (; i < rows; i++) if (a[i] > b[i]) put(out, i);
  return out;
}
function atLeast(a: Float64Array, b: Float64Array, rows: number): Mask {
  const out = emptyMask(rows);
  const whole = rows & ~31;
  let i = 0;
  for (; i < whole; i += 32) {
    let bits = 0;
    for (let k = 0; k < 32; k++) bits |= +(a[i + k] >= b[i + k]) << k;
    out[i >>> 5] = bits;
  }
  for (; i < rows; i++) if (a[i] >= b[i]) put(out, i);
  return out;
}
