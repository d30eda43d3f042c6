import type { ColumnType } from '../features/column.ts';
import { emptyBox, growBox, type Box } from '../features/geometry.ts';
import {
  call,
  COMPARISONS,
  GEOMETRY_NAME,
  isBox,
  isCall,
  isDate,
  isGeometry,
  isInterval,
  isObject,
  isProperty,
  isTimestamp,
  property,
  type Call,
  type Expr,
} from '../filters/ast.ts';
import { isOperandRef } from '../filters/operands.ts';
import { spaceRelation } from '../operators/operator_registry.ts';
import { positionsIn } from '../operators/shape_operands.ts';
import { LENGTH_UNITS, lengthUnit } from '../space/units.ts';
import { boxesAround } from '../space/within_distance.ts';
import { DAY_MILLIS, formatDay, formatInstant } from '../time/calendar.ts';
import { periodOfText, type Period } from '../time/period.ts';
import type { Declared } from './declared.ts';

/**
 * Where a condition is decided. `there`: by who holds the features, as it would be here. `both`: there by something that keeps at
 * least as much, and here. `here`: on what comes.
 */
export type DecidedBy = 'there' | 'both' | 'here';

/** What a request for features says of a filter (OGC 17-069r4, 7.15; 19-079r2). */
export interface Asked {
  filter: Expr | null;
  /** West, south, east, north in degrees; over the 180° meridian west is the larger. */
  bbox: Box | null;
  /** An instant or interval, as the parameter has it. */
  datetime: string | null;
  /** Values that columns must have. */
  values: [name: string, value: string][];
}

/** A filter, parted between who holds the features and here. */
export interface PartedFilter {
  asked: Asked;
  /** All that is asked, as one filter: it keeps at least all that the whole one keeps. Null keeps everything. */
  there: Expr | null;
  /** What is left to be decided of what comes; null where nothing is. */
  here: Expr | null;
  /** The conditions that all have to hold, each with where that is decided. */
  conditions: { expr: Expr; by: DecidedBy }[];
}

/** What can be asked of a condition: it keeps at least as much; `exact` where its verdict is that of the condition. */
interface Superset {
  expr: Expr;
  exact: boolean;
}

/**
 * Parts a filter by what the other side declares. `there` AND `here` keep just what the filter keeps. The areas, sources and sieves
 * that it names have to be shapes already.
 */
export function partFilter(filter: Expr | null, declared: Declared): PartedFilter {
  const conditions = filter === null ? [] : conjuncts(filter);
  const asked: Asked = { filter: null, bbox: null, datetime: null, values: [] };
  // Which are nearest hangs on all features: none may be missing.
  if (conditions.some(countsOthers))
    return { asked, there: null, here: filter, conditions: conditions.map((expr) => ({ expr, by: 'here' })) };
  const filters: Expr[] = [];
  const others: Expr[] = [];
  const times: Bounds[] = [];
  const told = conditions.map((expr): PartedFilter['conditions'][number] => {
    const box = asked.bbox === null ? boxesOf(expr, declared) : null;
    if (box?.boxes.length === 1) {
      [asked.bbox] = box.boxes;
      others.push(call('s_intersects', property(GEOMETRY_NAME), { bbox: box.boxes[0] }));
      return { expr, by: box.exact ? 'there' : 'both' };
    }
    const part = declared.filter && supersetOf(expr, declared);
    if (part) {
      filters.push(part.expr);
      return { expr, by: part.exact ? 'there' : 'both' };
    }
    const value = declared.filter === null && declared.values ? valueOf(expr, declared) : null;
    if (value !== null && !asked.values.some(([name]) => name === value[0])) {
      asked.values.push(value);
      others.push(expr);
      return { expr, by: declared.columns.get(value[0]) === 'text' ? 'both' : 'there' };
    }
    const bounds = declared.time === null || declared.filter !== null ? null : boundsOf(expr);
    if (bounds?.column === declared.time && bounds !== null) {
      times.push(bounds);
      return { expr, by: 'both' };
    }
    return { expr, by: 'here' };
  });
  asked.filter = joined(filters);
  const { time } = declared;
  if (time !== null && times.length > 0) {
    const from = Math.max(...times.map((one) => one.from));
    const to = Math.min(...times.map((one) => one.to));
    // An interval that ends before it begins is none; nothing is kept here then.
    if (from <= to) {
      const type = declared.columns.get(time) === 'date' ? 'date' : 'datetime';
      asked.datetime = `${isFinite(from) ? timeText(from, type) : '..'}/${isFinite(to) ? timeText(to, type) : '..'}`;
      // Features without a time are not selected out by the parameter (17-069r4, 7.15.4).
      others.push(call('or', call('isNull', property(time)), within(time, type, { from, to })));
    }
  }
  return {
    asked,
    there: joined([...others, ...filters]),
    here: joined(told.filter(({ by }) => by !== 'there').map(({ expr }) => expr)),
    conditions: told,
  };
}

const joinedBy = (op: 'and' | 'or', parts: readonly Expr[]): Expr => (parts.length === 1 ? parts[0] : call(op, ...parts));
const joined = (parts: readonly Expr[]): Expr | null => (parts.length === 0 ? null : joinedBy('and', parts));

/** What all has to hold. */
function conjuncts(expr: Expr): Expr[] {
  return isCall(expr, 'and') ? expr.args.flatMap(conjuncts) : [expr];
}

/** Whether a condition of a feature hangs on which others there are; what other sieves keep may. */
export function countsOthers(expr: Expr): boolean {
  if (Array.isArray(expr)) return expr.some(countsOthers);
  if (!isCall(expr)) return false;
  return spaceRelation(expr)?.kind === 'nearest' || expr.op === 'KEPT_BY' || expr.args.some(countsOthers);
}

/** What a filter there can say of a condition; null where that is nothing. */
function supersetOf(expr: Expr, declared: Declared): Superset | null {
  if (!isCall(expr)) return null;
  const { op, args } = expr;
  if (op === 'and') {
    const parts = args.map((arg) => supersetOf(arg, declared));
    const said = joined(parts.flatMap((part) => part?.expr ?? []));
    return said === null ? null : { expr: said, exact: parts.every((part) => part?.exact === true) };
  }
  if (op === 'or') {
    const parts = args.map((arg) => supersetOf(arg, declared));
    if (parts.includes(null)) return null;
    const said = parts.map((part) => part!);
    return { expr: call('or', ...said.map((part) => part.expr)), exact: said.every(({ exact }) => exact) };
  }
  if (op === 'not') {
    // What keeps too much keeps too little once it is turned round.
    const inner = supersetOf(args[0], declared);
    return inner?.exact ? { expr: call('not', inner.expr), exact: true } : null;
  }
  return (
    plainCondition(expr, declared) ??
    timeCondition(expr, declared) ??
    (declared.filter?.boxes && declared.geometry !== null ? placeCondition(expr, declared, declared.geometry) : null)
  );
}

/**
 * Comparisons of a column with a value. Whole numbers, yes and no, and blanks mean the same wherever they are decided. Of texts many a
 * database takes capitals for small letters: it keeps more by what they are, and fewer by what they are not.
 */
function plainCondition(expr: Expr, { columns, wholes, filter }: Declared): Superset | null {
  if (!isCall(expr)) return null;
  const [subject, ...values] = expr.args;
  if (subject === undefined || !isProperty(subject)) return null;
  const type = columns.get(subject.property);
  if (type === undefined) return null;
  if (expr.op === 'isNull') return { expr, exact: true };
  const compares = filter?.compares === true;
  if (type === 'number') return numberCondition(expr, subject, values, compares || wholes.has(subject.property), filter?.advanced === true);
  const fits = (value: Expr) => typeof value === (type === 'text' ? 'string' : type);
  if (compares && type === 'text') {
    const said = expr.op === 'in' ? values[0] : values;
    const known = expr.op === 'in' || expr.op === 'like' || expr.op === 'between' || COMPARISONS.some((sign) => sign === expr.op);
    return known && Array.isArray(said) && said.every(fits) ? { expr, exact: true } : null;
  }
  switch (expr.op) {
    case '=':
      return fits(values[0]) ? { expr, exact: type === 'boolean' } : null;
    case '<>':
      return type === 'boolean' && fits(values[0]) ? { expr, exact: true } : null;
    case 'in':
      return filter?.advanced && type === 'text' && Array.isArray(values[0]) && values[0].every(fits) ? { expr, exact: false } : null;
    case 'like':
      return filter?.advanced && type === 'text' && fits(values[0]) ? { expr, exact: false } : null;
    default:
      return null;
  }
}

/** Of a number in single precision a service tells another than it compares; that lies within this part of it. */
const SINGLE = 2 ** -22;

function numberCondition(expr: Call, subject: Expr, values: Expr[], isWhole: boolean, advanced: boolean): Superset | null {
  const numbers = expr.op === 'in' ? (Array.isArray(values[0]) ? values[0] : []) : values;
  if (numbers.length === 0 || !numbers.every((value) => typeof value === 'number')) return null;
  const isList = expr.op === 'in' || expr.op === 'between';
  if (isWhole) return COMPARISONS.some((sign) => sign === expr.op) || (isList && advanced) ? { expr, exact: true } : null;
  const below = (value: number) => call('>=', subject, value - Math.abs(value) * SINGLE);
  const above = (value: number) => call('<=', subject, value + Math.abs(value) * SINGLE);
  const [a, b] = numbers;
  const wider = (said: Expr) => ({ expr: said, exact: false });
  switch (expr.op) {
    case '=':
      return wider(call('and', below(a), above(a)));
    case '<':
    case '<=':
      return wider(above(a));
    case '>':
    case '>=':
      return wider(below(a));
    case 'between':
      return wider(call('and', below(a), above(b)));
    case 'in':
      return wider(
        joinedBy(
          'or',
          numbers.map((value) => call('and', below(value), above(value))),
        ),
      );
    default:
      return null;
  }
}

/** Times are known more closely elsewhere, or in another zone: what is asked is wider by the least that is known here. */
function timeCondition(expr: Expr, { columns, filter }: Declared): Superset | null {
  if (filter?.compares && areDays(expr, columns)) return { expr, exact: true };
  const bounds = boundsOf(expr);
  const type = bounds && columns.get(bounds.column);
  if (!bounds || (type !== 'date' && type !== 'datetime')) return null;
  return { expr: within(bounds.column, type, bounds), exact: false };
}

/** Whether a column of days is compared with a whole day, which means the same everywhere. */
function areDays(expr: Expr, columns: Declared['columns']): boolean {
  if (!isCall(expr) || !COMPARISONS.some((sign) => sign === expr.op)) return false;
  const [subject, day] = expr.args;
  return (
    isProperty(subject) && columns.get(subject.property) === 'date' && isObject(day) && isDate(day) && /^\d{4}-\d\d-\d\d$/.test(day.date)
  );
}

interface Bounds {
  column: string;
  /** Milliseconds since 1970-01-01, both inclusive. */
  from: number;
  to: number;
}

/** Between which moments a column's time surely lies where a condition holds. */
function boundsOf(expr: Expr): Bounds | null {
  if (!isCall(expr)) return null;
  const [subject, ...values] = expr.args;
  if (subject === undefined || !isProperty(subject)) return null;
  const periods = values.map(periodOf);
  const [a, b] = periods;
  if (!a || periods.includes(null)) return null;
  const bounds = (from: number, to: number): Bounds | null =>
    isFinite(from) || isFinite(to) ? { column: subject.property, from, to } : null;
  switch (expr.op) {
    case '=':
    case 't_equals':
    case 't_intersects':
    case 't_during':
      return bounds(a.start, a.end);
    case '<':
    case '<=':
      return bounds(-Infinity, a.end);
    case 't_before':
      return bounds(-Infinity, a.start);
    case '>':
    case '>=':
      return bounds(a.start, Infinity);
    case 't_after':
      return bounds(a.end - 1, Infinity);
    case 'between':
      return b ? bounds(a.start, b.end) : null;
    default:
      return null;
  }
}

/** The time that a literal says. */
function periodOf(expr: Expr): Period | null {
  if (typeof expr === 'string') return periodOfText(expr);
  if (!isObject(expr)) return null;
  if (isDate(expr)) return periodOfText(expr.date);
  if (isTimestamp(expr)) return periodOfText(expr.timestamp);
  if (!isInterval(expr)) return null;
  const [from, to] = expr.interval.map((end) => (end === '..' ? null : periodOf(end)));
  if ((from === null && expr.interval[0] !== '..') || (to === null && expr.interval[1] !== '..')) return null;
  return { start: from?.start ?? -Infinity, end: to?.end ?? Infinity, grain: 1 };
}

function within(column: string, type: 'date' | 'datetime', { from, to }: { from: number; to: number }): Expr {
  const literal = (millis: number): Expr => (type === 'date' ? { date: timeText(millis, type) } : { timestamp: timeText(millis, type) });
  // A millisecond beside, for what is known to the microsecond there.
  const [low, high] = type === 'date' ? [from, to] : [from - 1, to + 1];
  const bounds = [
    ...(isFinite(from) ? [call('>=', property(column), literal(low))] : []),
    ...(isFinite(to) ? [call('<=', property(column), literal(high))] : []),
  ];
  return joinedBy('and', bounds);
}

function timeText(millis: number, type: 'date' | 'datetime'): string {
  return type === 'date' ? formatDay(Math.floor(millis / DAY_MILLIS)) : formatInstant(millis, 0);
}

/** A condition in space as meeting the boxes in which it can only hold. */
function placeCondition(expr: Expr, declared: Declared, geometry: string): Superset | null {
  const found = boxesOf(expr, declared);
  if (!found) return null;
  const meets = found.boxes.map((bbox) => call('s_intersects', property(geometry), { bbox }));
  return { expr: joinedBy('or', meets), exact: found.exact };
}

/** Boxes outside which a condition surely does not hold; null where there are none. */
function boxesOf(expr: Expr, { projected, places }: Declared): { boxes: Box[]; exact: boolean } | null {
  const relation = isCall(expr) ? spaceRelation(expr) : null;
  if (!isCall(expr) || !relation) return null;
  const at = expr.args.findIndex((arg) => isProperty(arg) && arg.property === GEOMETRY_NAME);
  if (at < 0 || at > 1) return null;
  const other = expr.args[1 - at];
  const place = isOperandRef(other) ? places?.get(`${other.op} ${other.args[0]}`) : undefined;
  const box = place ? inDegrees(place) : boxOfLiteral(other);
  if (box === null) return null;
  const room = (boxes: Box[], exact: boolean) => {
    const wide = boxes.map((one) => (projected ? roomForBends(one) : one));
    const sides = wide.flatMap((one) => (one === null ? [] : seamBoxes(one)));
    return wide.includes(null) ? null : { boxes: sides, exact: exact && !projected && sides.length === boxes.length };
  };
  if (relation.kind === 'engine') return room([box], false);
  if (relation.kind === 'meeting') return relation.denied ? null : room([box], isBox(expr.args[1 - at]));
  if (relation.kind !== 'distance' || expr.args[4] !== undefined) return null;
  const [, , distance, unit = 'm'] = expr.args;
  const known = typeof unit === 'string' ? lengthUnit(unit) : null;
  if (typeof distance !== 'number' || !known) return null;
  const around = boxesAround(box, distance * LENGTH_UNITS[known]);
  return around.length === 0 ? null : room(around, false);
}

function boxOfLiteral(expr: Expr): Box | null {
  if (!isObject(expr)) return null;
  if (isBox(expr)) {
    const { bbox } = expr;
    const [west, south, east, north] = bbox.length === 6 ? [bbox[0], bbox[1], bbox[3], bbox[4]] : bbox;
    // Over the 180° meridian not everyone reads it alike.
    return west <= east && bbox.length === 4 ? inDegrees([west, south, east, north]) : null;
  }
  // A literal that names its own system is for here.
  if (!isGeometry(expr) || 'crs' in expr) return null;
  const box = emptyBox();
  for (const [x, y] of positionsIn(expr)) growBox(box, x, y);
  return inDegrees(box);
}

/** Null for a box that holds nothing, or is in no longitude and latitude. */
const inDegrees = (box: Box): Box | null =>
  box[0] <= box[2] && box[1] <= box[3] && box[0] >= -180 && box[2] <= 180 && box[1] >= -90 && box[3] <= 90 ? box : null;

/**
 * A box with room for how far edges, straight in degrees, bend away from those that are straight on a plane: by less than Δ²/8 in
 * radians, which is the height of an arc of Δ over its chord. None is told for more than a sixth of the earth.
 * @param span degrees of the longest edge; that of the box's own unless it is told
 */
export function roomForBends([west, south, east, north]: Box, span = Math.max(east - west, north - south)): Box | null {
  if (!(span <= 60)) return null;
  const room = ((span * Math.PI) / 180) ** 2 * (180 / Math.PI / 8) + ROOM;
  return [west - room, Math.max(-90, south - room), east + room, Math.min(90, north + room)];
}

const ROOM = 1e-9;

/** A box that ends at 180° or goes on beyond it, on either side: what lies at 180° lies at −180° too. */
function seamBoxes([west, south, east, north]: Box): Box[] {
  if (east - west >= 360) return [[-180, south, 180, north]];
  const boxes: Box[] = [[Math.max(-180, west), south, Math.min(180, east), north]];
  if (east >= 180) boxes.push([-180, south, east - 360 + ROOM, north]);
  if (west <= -180) boxes.push([west + 360 - ROOM, south, 180, north]);
  return boxes;
}

/** Parameters that the standards give another meaning (17-069r4, 18-058r1, 19-079r2), and what many a service has beside them. */
const PARAMETERS = ['limit', 'offset', 'bbox', 'bbox-crs', 'datetime', 'crs', 'filter', 'filter-lang', 'filter-crs', 'f'];

/** A column's value as a parameter says it. */
function valueOf(expr: Expr, { columns, wholes }: Declared): [string, string] | null {
  if (!isCall(expr, '=')) return null;
  const [subject, value] = expr.args;
  if (!isProperty(subject)) return null;
  if (typeof value !== 'string' && typeof value !== 'number' && typeof value !== 'boolean') return null;
  const wanted: Partial<Record<ColumnType, string>> = { text: 'string', number: 'number', boolean: 'boolean' };
  const type = columns.get(subject.property);
  if (type === undefined || typeof value !== wanted[type] || PARAMETERS.includes(subject.property)) return null;
  if (type === 'number' && !wholes.has(subject.property)) return null;
  return [subject.property, String(value)];
}
