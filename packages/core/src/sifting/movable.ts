import type { Geometry } from 'geojson';
import { edgesOnEarth } from '../crs/edges_on_earth.ts';
import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { and, count, emptyMask, has, put, rowsOf, type Mask } from '../features/mask.ts';
import { columnNamed } from '../features/table.ts';
import type { Expr } from '../filters/ast.ts';
import { solidOf, type Place } from '../filters/areas.ts';
import { exprOfForm, formOfExpr, type Form } from '../filters/form.ts';
import type { GeometryChunk } from '../features/geometry.ts';
import { chordBracket, earthCentred } from '../space/geodesic.ts';
import { Shape } from '../space/shape.ts';
import { LENGTH_UNITS } from '../space/units.ts';
import { boxesAround, distanceToShape } from '../space/within_distance.ts';
import { DAY_MILLIS, formatDay, parseDate } from '../time/calendar.ts';
import { lastPeriod, nextPeriod } from '../time/period.ts';
import { dayOf } from '../filters/words.ts';
import { isOperandRef } from '../filters/operands.ts';
import { FARTHEST, nearestOf, withinMask } from './nearest.ts';
import { nearestDistance } from './nearest_distance.ts';
import { beyondReach, distanceSides, presentRows } from './spatial.ts';
import { scalarAt } from './accessor.ts';
import type { Sifter } from './sifter.ts';

export type Side = 'low' | 'high';
export type Sure = 'passes' | 'fails';

/** One bound of a condition, seen as a number that can be moved. */
export interface Movable {
  /** What the numbers are: values of a column, days since 1970-01-01, a distance in `unit`, an amount of `unit`. */
  scale: 'number' | 'day' | 'distance' | 'amount';
  unit: string;
  /** Which values pass: those on this side of the bound. */
  passes: 'above' | 'below';
  /** Whether a value on the bound itself fails. */
  strict: boolean;
  at: number;
  /** Beyond this bound nothing is known; any bound is unless it is told. */
  farthest?: number;
  /**
   * Values of rows on this scale: NaN where nothing is known, Infinity where no bound ever takes the row in. Of a date
   * known only to the month or year, the value that tells whether it surely passes, or surely fails.
   * @param reach how far distances are measured, in times the present one
   * @param bounds when given, the only bounds that the values will be compared with; they are then exact in that alone
   */
  valuesOf(rows: Uint32Array, sure: Sure, reach?: number, bounds?: readonly number[]): Float64Array;
  /** The least value of some rows, where it can be had without all the others; null when none has one. */
  nearest?: (rows: Mask) => number | null;
  /** The condition with the bound elsewhere. */
  moved: (at: number) => Expr;
}

/** A condition's form with one of its bounds elsewhere; null when it has no such bound. */
export function movedForm(form: Form, side: Side, at: number): Form | null {
  switch (form.kind) {
    case 'compare':
      return { ...form, value: at };
    case 'between':
      return { ...form, [side]: at };
    case 'day':
      return { ...form, day: { date: formatDay(at) } };
    case 'days':
      return { ...form, [side === 'low' ? 'from' : 'to']: formatDay(at) };
    case 'recent':
      return { ...form, amount: at };
    case 'radius':
    case 'near':
      return { ...form, distance: at };
    default:
      return null;
  }
}

/** Farthest, in radii, that distances are measured for a curve. */
export const REACH = 3;
/** Even steps of a curve that is not given at each value. */
export const STEPS = 160;

/** The bound of a condition that can be moved, or null when it has none. @param side which end of a range */
export function movableOf(sifter: Sifter, expr: Expr, side: Side): Movable | null {
  const form = formOfExpr(expr, sifter.table.columns);
  if (form.could || ('plane' in form && form.plane)) return null;
  switch (form.kind) {
    case 'compare':
      return movableNumber(sifter, form);
    case 'between':
      if (form.outside) return null;
      return {
        ...{ scale: 'number', unit: '', strict: false, passes: side === 'low' ? 'above' : 'below', at: form[side] },
        valuesOf: numbersOf(sifter, form.column),
        moved: (at) => exprOfForm(movedForm(form, side, at)!),
      };
    case 'day':
      return movableDay(sifter, form);
    case 'days':
      return movableDays(sifter, form, side);
    case 'recent':
      return movableAmount(sifter, form);
    case 'radius':
      return movableDistance(sifter, form, { geometry: { type: 'Point', coordinates: form.centre }, reach: 0 });
    case 'near': {
      if (isOperandRef(form.geometry as Expr)) return movableNearness(sifter, form, form.geometry);
      const solid = solidOf(form.geometry, sifter.areas);
      return solid && movableDistance(sifter, form, solid);
    }
    default:
      return null;
  }
}

function movableNumber(sifter: Sifter, form: Extract<Form, { kind: 'compare' }>): Movable | null {
  if (typeof form.value !== 'number' || form.op === '=' || form.op === '<>') return null;
  return {
    ...{ scale: 'number', unit: '', at: form.value },
    passes: form.op.startsWith('>') ? 'above' : 'below',
    strict: form.op.length === 1,
    valuesOf: numbersOf(sifter, form.column),
    moved: (at) => exprOfForm(movedForm(form, 'low', at)!),
  };
}

function movableDay(sifter: Sifter, form: Extract<Form, { kind: 'day' }>): Movable | null {
  if (form.test === 'on') return null;
  const passes = form.test === 'after' || form.test === 'from' ? 'above' : 'below';
  return {
    ...{ scale: 'day', unit: 'days', passes, strict: form.test === 'after' || form.test === 'before' },
    at: parseDate(dayOf(form.day, sifter.asOf))!.day,
    valuesOf: daysOf(sifter, form.column, passes),
    moved: (at) => exprOfForm(movedForm(form, 'low', at)!),
  };
}

function movableDays(sifter: Sifter, form: Extract<Form, { kind: 'days' }>, side: Side): Movable | null {
  const end = side === 'low' ? form.from : form.to;
  if (form.outside || end === null) return null;
  const passes = side === 'low' ? 'above' : 'below';
  return {
    ...{ scale: 'day', unit: 'days', passes, strict: false, at: parseDate(end)!.day },
    valuesOf: daysOf(sifter, form.column, passes),
    moved: (at) => exprOfForm(movedForm(form, side, at)!),
  };
}

/** "In the last n units": the value of a row is the least n that takes it in. */
function movableAmount(sifter: Sifter, form: Extract<Form, { kind: 'recent' }>): Movable | null {
  if (form.outside) return null;
  const { side, unit } = form;
  const takes = (day: number, amount: number) =>
    side === 'last'
      ? day >= lastPeriod(sifter.asOf, amount, unit).start / DAY_MILLIS
      : day < nextPeriod(sifter.asOf, amount, unit).end / DAY_MILLIS;
  const leastAmount = (day: number): number => {
    let [low, high] = [0, 1];
    while (!takes(day, high)) [low, high] = [high, high * 2];
    while (high - low > 1) {
      const middle = Math.floor((low + high) / 2);
      if (takes(day, middle)) high = middle;
      else low = middle;
    }
    return high;
  };
  const onSide = (day: number) => (side === 'last' ? day <= sifter.asOf : day > sifter.asOf);
  const [first, last] = [daysOf(sifter, form.column, 'above'), daysOf(sifter, form.column, 'below')];
  const valueOf = (from: number, to: number, sure: Sure): number => {
    if (Number.isNaN(from)) return NaN;
    if (!onSide(from) && !onSide(to)) return Infinity;
    if (!onSide(from) || !onSide(to)) return sure === 'passes' ? Infinity : NaN;
    return leastAmount((side === 'last') === (sure === 'passes') ? from : to);
  };
  return {
    ...{ scale: 'amount', unit, passes: 'below', strict: false, at: form.amount },
    valuesOf(rows, sure) {
      const [from, to] = [first(rows, 'passes'), last(rows, 'passes')];
      return from.map((day, i) => valueOf(day, to[i], sure));
    },
    moved: (at) => exprOfForm(movedForm(form, 'low', at)!),
  };
}

function movableDistance(
  sifter: Sifter,
  form: Extract<Form, { kind: 'radius' | 'near' }>,
  { geometry, reach: round }: { geometry: Geometry; reach: number },
): Movable {
  // Where edges are straight in longitude and latitude, or there are none, positions are all that there is to measure.
  if (edgesOnEarth(sifter.table).ringsOnly) return movableNearness(sifter, form, geometry, round);
  const metres = LENGTH_UNITS[form.unit];
  return {
    ...{ scale: 'distance', unit: form.unit, at: form.distance, strict: form.outside },
    passes: form.outside ? 'above' : 'below',
    valuesOf(rows, _sure, reach = REACH, bounds) {
      const chunks = lonLatChunks(sifter.table);
      const shape = new Shape(geometry);
      const boxes = boxesAround(shape.box, Math.max(reach * form.distance * metres + round, 1));
      const steps = bounds?.map((bound) => bound * metres + round) ?? null;
      const near = emptyMask(sifter.table.rows);
      chunks.forEach((chunk, chunkNumber) => {
        for (const box of boxes) for (const row of chunk.rowsInBox(box)) put(near, chunkNumber * CHUNK_ROWS + row);
      });
      return Float64Array.from(rows, (row) => {
        const chunk = chunks[Math.floor(row / CHUNK_ROWS)];
        if (chunk.isMissing(row % CHUNK_ROWS)) return NaN;
        if (!has(near, row)) return Infinity;
        return Math.max(0, distanceBetweenSteps(chunk, row % CHUNK_ROWS, shape, steps) - round) / metres;
      });
    },
    nearest: (rows) => {
      const least = nearestDistance(sifter.table, new Shape(geometry), rows, Math.max(form.distance * metres + round, 1));
      return least === null ? null : Math.max(0, least - round) / metres;
    },
    moved: (at) => exprOfForm(movedForm(form, 'low', at)!),
  };
}

/** The distance to a place, as to the nearest feature of another source or sieve. @param round how far round the place counts as it */
function movableNearness(sifter: Sifter, form: Extract<Form, { kind: 'radius' | 'near' }>, place: Place, round = 0): Movable {
  const metres = LENGTH_UNITS[form.unit];
  const { rows } = sifter.table;
  const both = () => distanceSides(sifter, place);
  const beyond = (distance: number) => Math.max(0, distance - round) / metres;
  return {
    ...{ scale: 'distance', unit: form.unit, at: form.distance, strict: form.outside, farthest: beyond(farthestTo(sifter, place as Expr)) },
    passes: form.outside ? 'above' : 'below',
    valuesOf(wanted, _sure, reach = REACH) {
      const sides = both();
      const within = Math.max(reach * form.distance * metres + round, 1);
      if (within > sides.reach) throw beyondReach();
      const [near, present] = [withinMask(sides, rows, within), presentRows(sifter.table)];
      return Float64Array.from(wanted, (row) => {
        if (!has(present, row) || (sides.lost && has(sides.lost, row))) return NaN;
        return has(near, row) ? beyond(nearestOf(sides, row, within).distance) : Infinity;
      });
    },
    nearest(wanted) {
      const sides = both();
      for (let radius = Math.max(form.distance * metres + round, 1); radius < Math.min(sides.reach, 2 * FARTHEST); radius *= 1.5) {
        const near = and(withinMask(sides, rows, radius), wanted);
        if (count(near) === 0) continue;
        let least = Infinity;
        for (const row of rowsOf(near)) least = Math.min(least, nearestOf(sides, row, radius).distance);
        return beyond(least);
      }
      return null;
    },
    moved: (at) => exprOfForm(movedForm(form, 'low', at)!),
  };
}

/** How far a place is known of, in metres. */
function farthestTo({ operands }: Sifter, place: Expr): number {
  return (isOperandRef(place) ? operands.get(`${place.op} ${place.args[0]}`)?.reach : undefined) ?? Infinity;
}

/** Bounds at which the curve of a distance is given, ascending. */
export function distanceSteps(at: number): number[] {
  return [...Array.from({ length: STEPS + 1 }, (_, i) => (REACH * at * i) / STEPS), at].sort((a, b) => a - b);
}

/**
 * The distance of a row from the shape; with steps, ascending in metres, maybe another that lies between the same two
 * of them: of points the straight chord mostly settles that, which is many times cheaper than the geodesic.
 */
function distanceBetweenSteps(chunk: GeometryChunk, row: number, shape: Shape, steps: number[] | null): number {
  const target = steps && chunk.onlyPoints ? shape.point : null;
  if (!steps || !target) return distanceToShape(chunk, row, shape);
  const [v] = chunk.vertexRange(row);
  const [x, y, z] = earthCentred(target[0], target[1]);
  const [ex, ey, ez] = earthCentred(chunk.xy[2 * v], chunk.xy[2 * v + 1]);
  const [least, most] = chordBracket(Math.sqrt((ex - x) ** 2 + (ey - y) ** 2 + (ez - z) ** 2));
  const after = steps.findIndex((step) => step >= least);
  return after >= 0 && steps[after] <= most ? distanceToShape(chunk, row, shape) : most;
}

function numbersOf(sifter: Sifter, name: string): Movable['valuesOf'] {
  const column = columnNamed(sifter.table, name);
  return (rows) =>
    Float64Array.from(rows, (row) => {
      const value = column ? scalarAt(column, row) : null;
      return typeof value === 'number' ? value : NaN;
    });
}

/** The day of each row; of a vague date the one that decides whether it surely passes, or fails, a bound. */
function daysOf(sifter: Sifter, name: string, passes: 'above' | 'below'): Movable['valuesOf'] {
  const column = columnNamed(sifter.table, name);
  return (rows, sure) => {
    const first = (passes === 'above') === (sure === 'passes');
    return Float64Array.from(rows, (row) => {
      const time = column ? scalarAt(column, row) : null;
      if (time === null || typeof time !== 'object' || Array.isArray(time)) return NaN;
      return Math.floor((first ? time.start : time.end - 1) / DAY_MILLIS);
    });
  };
}
