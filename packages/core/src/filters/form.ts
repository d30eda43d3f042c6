import type { Position } from 'geojson';
import type { ColumnSchema, ColumnType } from '../features/column.ts';
import { spaceRelation } from '../operators/operator_registry.ts';
import { lengthUnit, type LengthUnit } from '../space/units.ts';
import type { ShiftUnit } from '../time/calendar.ts';
import { shiftUnit } from '../time/period.ts';
import {
  call,
  GEOMETRY_NAME,
  isBox,
  isCall,
  isDate,
  isGeometry,
  isInterval,
  isProperty,
  property,
  sameExpr,
  type Call,
  type Comparison,
  type Expr,
} from './ast.ts';
import { calendarPart, type CalendarPart } from '../time/calendar_part.ts';
import { isAreaRef, isBuffer, isSeveral, type Place } from './areas.ts';
import { isOperandRef } from './operands.ts';
import { exprOfLinear, linearOf, type Linear } from './linear.ts';
import { escapeLike, unescapeLike } from './text_matching.ts';
import { withBlanks, withoutBlanks } from './tree.ts';

/** A day that a condition names: a fixed one, or one counted from the as-of date. */
export type DayOperand = { date: string } | { shift: number; unit: ShiftUnit };

/** Of a pattern the text is the pattern itself, with its wildcards. */
export const TEXT_TESTS = ['contains', 'starts', 'ends', 'pattern'] as const;
export type TextTest = (typeof TEXT_TESTS)[number];
export const DAY_TESTS = ['before', 'after', 'on', 'from', 'until'] as const;
export type DayTest = (typeof DAY_TESTS)[number];

/** How the time between two columns lies to a period, by the CQL2 functions. */
export const SPAN_RELATIONS = ['intersects', 'during', 'contains', 'before', 'after', 'disjoint'] as const;
export type SpanRelation = (typeof SPAN_RELATIONS)[number];

/** A condition as its editor shows it. What fits none of the kinds is `other` and is edited as text. */
export type Form = {
  blanks: boolean;
  /** A date known to the month or year only counts when it can fit; else when it surely does. */
  could?: true;
} & (
  | { kind: 'compare'; column: string; op: Comparison; value: number | string }
  | { kind: 'between'; column: string; low: number; high: number; outside: boolean }
  | { kind: 'values'; column: string; values: (number | string)[]; none: boolean }
  | { kind: 'text'; column: string; test: TextTest; text: string; anyCase: boolean; anyAccents?: true; not: boolean }
  /** Against another column of its type; numbers other than 1 and 0 only where both are numbers. */
  | ({ kind: 'versus'; column: string; op: Comparison } & Linear)
  | { kind: 'yesno'; column: string; value: boolean }
  | { kind: 'blank'; column: string; not: boolean; empty: boolean }
  | { kind: 'day'; column: string; test: DayTest; day: DayOperand }
  | { kind: 'days'; column: string; from: string | null; to: string | null; outside: boolean }
  | { kind: 'recent'; column: string; side: 'last' | 'next'; amount: number; unit: ShiftUnit; outside: boolean }
  | { kind: 'calendar'; column: string; part: CalendarPart; values: number[]; none: boolean }
  /** The relation is one of `AREA_RELATIONS`, by its operator's name. */
  | { kind: 'area'; relation: string; geometry: Place; outside: boolean }
  | {
      kind: 'span';
      start: string;
      end: string;
      relation: SpanRelation;
      from: string | null;
      to: string | null;
      open: boolean;
    }
  | { kind: 'centre'; geometry: Place; outside: boolean }
  | { kind: 'share'; geometry: Place; percent: number; outside: boolean }
  | { kind: 'nearest'; geometry: Place; amount: number; outside: boolean }
  | { kind: 'near'; geometry: Place; distance: number; unit: LengthUnit; plane: boolean; outside: boolean }
  | { kind: 'radius'; centre: Position; distance: number; unit: LengthUnit; plane: boolean; outside: boolean }
  | { kind: 'sieve'; name: string; outside: boolean }
  | { kind: 'other'; expr: Expr }
);
export type FormKind = Form['kind'];
/** A condition in space, as one editor shows them all. */
export type SpaceForm = Extract<Form, { kind: 'area' | 'centre' | 'share' | 'nearest' | 'near' | 'radius' }>;

const SPACE_KINDS: readonly FormKind[] = ['area', 'centre', 'share', 'nearest', 'near', 'radius'];
/** Whether a form is about places. */
export const isSpaceForm = (form: Form): form is SpaceForm => SPACE_KINDS.includes(form.kind);
/** What a condition in space is about. */
export const placeOf = (form: SpaceForm): Place => (form.kind === 'radius' ? { type: 'Point', coordinates: form.centre } : form.geometry);

const DAY_OPS: Record<DayTest, Comparison> = { before: '<', after: '>', on: '=', from: '>=', until: '<=' };

/** @param columns decide how a bare value is meant; an unknown column makes the form `other` */
export function formOfExpr(expr: Expr, columns: readonly ColumnSchema[]): Form {
  const span = spanForm(expr);
  if (span) return span;
  const kept = withoutBlanks(expr);
  if (kept) {
    const form = blankForm(expr) ?? formOfTest(kept.test, columns);
    if (form.kind === 'other') return { kind: 'other', expr, blanks: false };
    return form.kind === 'blank' ? form : { ...form, blanks: true };
  }
  return formOfTest(expr, columns);
}

function formOfTest(expr: Expr, columns: readonly ColumnSchema[]): Form {
  const other: Form = { kind: 'other', expr, blanks: false };
  const typeOf = (name: string) => columns.find((column) => column.name === name)?.type;
  if (isProperty(expr))
    return typeOf(expr.property) === 'boolean' ? { kind: 'yesno', column: expr.property, value: true, blanks: false } : other;
  if (!isCall(expr)) return other;
  if (expr.op === 'COULD_BE') {
    const inner = formOfTest(expr.args[0], columns);
    return DATED.includes(inner.kind) ? { ...inner, could: true } : other;
  }
  const negated = isCall(expr, 'not');
  const test = negated ? expr.args[0] : expr;
  if (!isCall(test)) return other;
  if (isCall(test, 'KEPT_BY') && isOperandRef(test.args[0]))
    return { kind: 'sieve', name: test.args[0].args[0], outside: negated, blanks: false };
  const form = areaForm(test, negated) ?? calendarForm(test, negated) ?? blankForm(expr) ?? columnForm(test, negated, typeOf);
  return form ?? other;
}

/** Kinds for which a date can be known too little. */
const DATED: readonly Form['kind'][] = ['day', 'days', 'recent', 'calendar'];

/** A period of two columns against another; with a blank end as one that is still open, as two tests. */
function spanForm(expr: Expr): Form | null {
  const test = isCall(expr, 'or') ? expr.args[0] : expr;
  if (!isCall(test)) return null;
  const relation = SPAN_RELATIONS.find((name) => test.op === `t_${name}`);
  const [own, period] = test.args;
  if (!relation || !isInterval(own) || !isInterval(period)) return null;
  const [start, end] = own.interval;
  const ends = period.interval.map((at) => (at === '..' ? null : at));
  if (!isProperty(start) || !isProperty(end) || ends.some((at) => at !== null && (typeof at !== 'string' || at.length !== 10))) return null;
  const [from, to] = ends as (string | null)[];
  const form: Form = { kind: 'span', start: start.property, end: end.property, relation, from, to, open: test !== expr, blanks: false };
  return sameExpr(testOfForm(form), expr) ? form : null;
}

/** `MONTH(column) IN (3, 4)`, and the like. */
function calendarForm({ op, args: [subject, value] }: Call, negated: boolean): Form | null {
  if (!isCall(subject) || !['=', '<>', 'in'].includes(op)) return null;
  const part = calendarPart(subject.op);
  const [column] = subject.args;
  const values = op === 'in' ? value : [value];
  if (!part || !isProperty(column) || !Array.isArray(values) || !values.every((one) => typeof one === 'number')) return null;
  const none = negated !== (op === '<>');
  return { kind: 'calendar', column: column.property, part, values, none, blanks: false };
}

function areaForm(test: Call, negated: boolean): Form | null {
  const relation = spaceRelation(test);
  if (!relation) return null;
  const [first, second] = test.args;
  const centre = isCall(first, 'CENTROID');
  const turned = !centre && isPropertyNamed(second, GEOMETRY_NAME);
  const geometry = literalOf(turned ? first : second);
  if (!geometry || !isPropertyNamed(centre ? first.args[0] : turned ? second : first, GEOMETRY_NAME)) return null;
  const base = { geometry, outside: negated, blanks: false };
  if (centre) {
    if (relation.kind !== 'meeting') return null;
    if (relation.denied) return negated ? null : { ...base, kind: 'centre', outside: true };
    return { ...base, kind: 'centre' };
  }
  switch (relation.kind) {
    case 'distance': {
      const unit = lengthUnit((test.args[3] as string | undefined) ?? 'm')!;
      const reach = { distance: test.args[2] as number, unit, plane: test.args[4] === 'plane', outside: negated, blanks: false };
      return 'type' in geometry && geometry.type === 'Point'
        ? { ...reach, kind: 'radius', centre: geometry.coordinates }
        : { ...reach, kind: 'near', geometry };
    }
    case 'nearest':
      return { ...base, kind: 'nearest', amount: test.args[2] as number };
    case 'share':
      return { ...base, kind: 'share', percent: test.args[2] as number };
    case 'meeting':
      if (relation.denied) return negated ? null : { ...base, kind: 'area', relation: 's_intersects', outside: true };
      return { ...base, kind: 'area', relation: test.op };
    case 'engine':
      return { ...base, kind: 'area', relation: turned ? relation.area.turned : test.op };
  }
}

/** A written shape or a named area, a box as the polygon that it is; null for a column, and for a box over the 180° meridian. */
function literalOf(expr: Expr): Place | null {
  if (isGeometry(expr) || isAreaRef(expr) || isBuffer(expr) || isOperandRef(expr) || isSeveral(expr)) return expr;
  if (!isBox(expr)) return null;
  const { bbox } = expr;
  const [west, south] = bbox;
  const [east, north] = bbox.length === 6 ? bbox.slice(3) : bbox.slice(2);
  if (west > east) return null;
  const ring = [
    [west, south],
    [east, south],
    [east, north],
    [west, north],
    [west, south],
  ];
  return { type: 'Polygon', coordinates: [ring] };
}

function isPropertyNamed(expr: Expr, name: string): boolean {
  return isProperty(expr) && expr.property === name;
}

/** `c IS NULL`, or for texts `c IS NULL OR c = ''`, or the negation of either. */
function blankForm(expr: Expr): Form | null {
  if (isCall(expr, 'not')) {
    const inner = blankForm(expr.args[0]);
    return inner?.kind === 'blank' && !inner.not ? { ...inner, not: true } : null;
  }
  if (isCall(expr, 'isNull') && isProperty(expr.args[0])) {
    return { kind: 'blank', column: expr.args[0].property, not: false, empty: false, blanks: false };
  }
  const kept = withoutBlanks(expr);
  if (kept && isCall(kept.test, '=') && isPropertyNamed(kept.test.args[0], kept.column) && kept.test.args[1] === '') {
    return { kind: 'blank', column: kept.column, not: false, empty: true, blanks: false };
  }
  return null;
}

function columnForm(test: Call, negated: boolean, typeOf: (name: string) => ColumnType | undefined): Form | null {
  const { op, args } = test;
  if (op === 'like') return likeForm(test, negated);
  if (!isProperty(args[0])) return null;
  const column = args[0].property;
  const type = typeOf(column);
  const base = { column, blanks: false };
  if (op === 'in' && (type === 'number' || type === 'text')) {
    const values = args[1] as Expr[];
    return values.every((v) => typeof v === type || (type === 'text' && typeof v === 'string'))
      ? { ...base, kind: 'values', values: values as (number | string)[], none: negated }
      : null;
  }
  if (op === 'between') {
    const [low, high] = [args[1], args[2]];
    if (typeof low === 'number' && typeof high === 'number') return { ...base, kind: 'between', low, high, outside: negated };
    return isDate(low) && isDate(high) ? { ...base, kind: 'days', from: low.date, to: high.date, outside: negated } : null;
  }
  if (op === 't_intersects') return periodForm(base, args[1], negated);
  if (negated) return null;
  if (type === 'boolean' && op === '=' && typeof args[1] === 'boolean') return { ...base, kind: 'yesno', value: args[1] };
  if ((type === 'number' && typeof args[1] === 'number') || (type === 'text' && typeof args[1] === 'string')) {
    return COMPARES.has(op) ? { ...base, kind: 'compare', op: op as Comparison, value: args[1] } : null;
  }
  const linear = COMPARES.has(op) && type ? linearOf(args[1]) : null;
  if (linear) {
    const fits = typeOf(linear.other) === type && (type === 'number' || (linear.times === 1 && linear.plus === 0));
    return fits ? { ...base, kind: 'versus', op: op as Comparison, ...linear } : null;
  }
  const test_ = (Object.keys(DAY_OPS) as DayTest[]).find((name) => DAY_OPS[name] === op);
  const day = dayOperand(args[1]);
  return test_ && day ? { ...base, kind: 'day', test: test_, day } : null;
}

const COMPARES = new Set<string>(['=', '<>', '<', '<=', '>', '>=']);

function dayOperand(expr: Expr): DayOperand | null {
  if (isDate(expr)) return expr;
  if (!isCall(expr) || expr.op.toUpperCase() !== 'AS_OF') return null;
  if (expr.args.length === 0) return { shift: 0, unit: 'days' };
  return { shift: expr.args[0] as number, unit: shiftUnit(expr.args[1] as string)! };
}

function periodForm(base: { column: string; blanks: boolean }, period: Expr, outside: boolean): Form | null {
  if (isInterval(period)) {
    const ends = period.interval.map((end) => (end === '..' ? null : end));
    if (ends.some((end) => end !== null && (typeof end !== 'string' || end.length !== 10))) return null;
    return { ...base, kind: 'days', from: ends[0] as string | null, to: ends[1] as string | null, outside };
  }
  if (!isCall(period)) return isDate(period) && !outside ? { ...base, kind: 'day', test: 'on', day: period } : null;
  const side = period.op.toLowerCase();
  if (side !== 'last' && side !== 'next') return null;
  return {
    ...base,
    kind: 'recent',
    side,
    amount: period.args[0] as number,
    unit: shiftUnit(period.args[1] as string)!,
    outside,
  };
}

function likeForm({ args }: Call, not: boolean): Form | null {
  const [anyCase, cased] = bothUnwrapped(args, 'casei');
  const [anyAccents, [subject, pattern]] = bothUnwrapped(cased, 'accenti');
  if (!isProperty(subject) || typeof pattern !== 'string') return null;
  const base = { kind: 'text', column: subject.property, anyCase, ...(anyAccents ? { anyAccents } : {}), not, blanks: false } as const;
  const unfilled = UNFILLED.indexOf(pattern);
  if (unfilled >= 0) return { ...base, test: TEXT_TESTS[unfilled], text: '' };
  const [open, close] = [pattern.startsWith('%'), /(^|[^\\])(\\\\)*%$/.test(pattern) && pattern.length > 1];
  const text = unescapeLike(pattern.slice(open ? 1 : 0, close ? -1 : undefined));
  if (text === null || (!open && !close)) return { ...base, test: 'pattern', text: pattern };
  return { ...base, test: open && close ? 'contains' : open ? 'ends' : 'starts', text };
}

/** Patterns of tests whose text is still empty, in the order of `TEXT_TESTS`: all let any text through, and each says which it is. */
const UNFILLED = ['%%', '%', '%%%'];

/** Both sides without a function that both are in; as they are where one is not. */
function bothUnwrapped(args: readonly Expr[], op: string): [boolean, readonly Expr[]] {
  const inner = args.flatMap((arg) => (isCall(arg, op) ? [arg.args[0]] : []));
  return inner.length === args.length ? [true, inner] : [false, args];
}

/** The condition that a form stands for; `formOfExpr` reads it back as the same form. */
export function exprOfForm(form: Form): Expr {
  const plain = testOfForm(form);
  const test = form.could ? call('COULD_BE', plain) : plain;
  if (!form.blanks || !('column' in form) || form.kind === 'blank') return test;
  return withBlanks(test, form.column);
}

function testOfForm(form: Form): Expr {
  switch (form.kind) {
    case 'compare':
      return call(form.op, property(form.column), form.value);
    case 'between':
      return negatedIf(form.outside, call('between', property(form.column), form.low, form.high));
    case 'values':
      return negatedIf(form.none, call('in', property(form.column), form.values));
    case 'text': {
      const pattern =
        form.test === 'pattern'
          ? form.text
          : form.text === ''
            ? UNFILLED[TEXT_TESTS.indexOf(form.test)]
            : (form.test === 'starts' ? '' : '%') + escapeLike(form.text) + (form.test === 'ends' ? '' : '%');
      const folds = [...(form.anyAccents ? ['accenti'] : []), ...(form.anyCase ? ['casei'] : [])];
      const folded = (side: Expr) => folds.reduce((inner, op) => call(op, inner), side);
      return negatedIf(form.not, call('like', folded(property(form.column)), folded(pattern)));
    }
    case 'versus':
      return call(form.op, property(form.column), exprOfLinear(form));
    case 'sieve':
      return negatedIf(form.outside, call('KEPT_BY', call('SIEVE', form.name)));
    case 'yesno':
      return call('=', property(form.column), form.value);
    case 'blank': {
      const isNull = call('isNull', property(form.column));
      return negatedIf(form.not, form.empty ? call('or', call('=', property(form.column), ''), isNull) : isNull);
    }
    case 'day': {
      const day = 'date' in form.day ? form.day : form.day.shift === 0 ? call('AS_OF') : call('AS_OF', form.day.shift, form.day.unit);
      return call(DAY_OPS[form.test], property(form.column), day);
    }
    case 'days':
      return negatedIf(form.outside, call('t_intersects', property(form.column), { interval: [form.from ?? '..', form.to ?? '..'] }));
    case 'recent':
      return negatedIf(form.outside, call('t_intersects', property(form.column), call(form.side.toUpperCase(), form.amount, form.unit)));
    case 'span': {
      const period = { interval: [form.from ?? '..', form.to ?? '..'] as [Expr, Expr] };
      const test = (end: Expr) => call(`t_${form.relation}`, { interval: [property(form.start), end] }, period);
      if (!form.open) return test(property(form.end));
      return call('or', test(property(form.end)), call('and', call('isNull', property(form.end)), test('..')));
    }
    case 'calendar':
      return negatedIf(form.none, call('in', call(form.part.toUpperCase(), property(form.column)), form.values));
    case 'area':
      if (form.outside && form.relation === 's_intersects') return call('s_disjoint', property(GEOMETRY_NAME), form.geometry as Expr);
      return negatedIf(form.outside, call(form.relation, property(GEOMETRY_NAME), form.geometry as Expr));
    case 'centre': {
      const centre = call('CENTROID', property(GEOMETRY_NAME));
      return call(form.outside ? 's_disjoint' : 's_intersects', centre, form.geometry as Expr);
    }
    case 'share':
      return negatedIf(form.outside, call('S_SHARE_IN', property(GEOMETRY_NAME), form.geometry as Expr, form.percent));
    case 'nearest':
      return negatedIf(form.outside, call('S_NEAREST', property(GEOMETRY_NAME), form.geometry as Expr, form.amount));
    case 'near':
    case 'radius': {
      const place = placeOf(form) as Expr;
      const within = call('S_DWITHIN', property(GEOMETRY_NAME), place, form.distance, form.unit);
      return negatedIf(form.outside, form.plane ? call(within.op, ...within.args, 'plane') : within);
    }
    case 'other':
      return form.expr;
  }
}

function negatedIf(negated: boolean, expr: Call): Call {
  return negated ? call('not', expr) : expr;
}
