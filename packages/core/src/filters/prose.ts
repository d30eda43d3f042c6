import { lengthUnit } from '../space/units.ts';
import { isAreaRef, isBuffer, isSeveral } from './areas.ts';
import { isLayerRef } from './layers.ts';
import {
  isBox,
  isCall,
  isDate,
  isGeometry,
  isInterval,
  isProperty,
  isTimestamp,
  GEOMETRY_NAME,
  type Call,
  type Expr,
} from './ast.ts';
import { columnInWords, dayInWords, numberInWords, quoted, shapeInWords, type Wording } from './words.ts';

const COMPARE: Record<string, string> = {
  '=': 'is',
  '<>': 'is not',
  '<': 'is below',
  '<=': 'is at most',
  '>': 'is above',
  '>=': 'is at least',
};
const COMPARE_TIMES: Record<string, string> = {
  '<': 'is before',
  '<=': 'is not after',
  '>': 'is after',
  '>=': 'is not before',
};
const SPACE: Record<string, string> = {
  s_intersects: 'meets',
  s_disjoint: 'lies outside',
  s_within: 'lies within',
  s_contains: 'contains',
  s_touches: 'touches only the edge of',
  s_crosses: 'crosses',
  s_overlaps: 'overlaps',
  s_equals: 'covers just',
};
const TIME: Record<string, string> = {
  t_after: 'is after',
  t_before: 'is before',
  t_contains: 'begins before and ends after',
  t_disjoint: 'has no time in common with',
  t_during: 'lies inside',
  t_equals: 'is the same time as',
  t_finishedBy: 'begins before and ends with',
  t_finishes: 'begins after the beginning of and ends with',
  t_intersects: 'falls in',
  t_meets: 'ends where it meets',
  t_metBy: 'begins at the end of',
  t_overlappedBy: 'begins in and ends after',
  t_overlaps: 'begins before and ends in',
  t_startedBy: 'begins with and ends after',
  t_starts: 'begins with and ends before',
};
const ARRAYS: Record<string, string> = {
  a_contains: 'has all of',
  a_containedBy: 'has none but',
  a_equals: 'has just',
  a_overlaps: 'has at least one of',
};
const SIGNS: Record<string, string> = { '+': '+', '-': '−', '*': '×', '/': '÷' };

/** Any expression of the language in plain English, for conditions that fit no shorter wording. */
export function exprInProse(expr: Expr, wording: Wording): string {
  const say = (part: Expr, bracketed = false): string => {
    const text = phrase(part, wording, say);
    return bracketed && isCall(part, 'and', 'or', '+', '-', '*', '/', '%', 'div', '^') ? `(${text})` : text;
  };
  return say(expr);
}

type Say = (part: Expr, bracketed?: boolean) => string;

function phrase(expr: Expr, wording: Wording, say: Say): string {
  if (typeof expr === 'number') return numberInWords(expr);
  if (typeof expr === 'string') return quoted(expr);
  if (typeof expr === 'boolean') return expr ? 'yes' : 'no';
  if (Array.isArray(expr)) return listed(expr.map((item) => say(item)));
  if (isProperty(expr)) {
    if (expr.property === GEOMETRY_NAME) return 'the shape';
    const label = (wording.label ?? columnInWords)(expr.property);
    return label.charAt(0).toLowerCase() + label.slice(1);
  }
  if (isDate(expr)) return dayInWords(expr.date);
  if (isTimestamp(expr)) return expr.timestamp.replace('T', ' ');
  if (isGeometry(expr) || isAreaRef(expr) || isBuffer(expr) || isLayerRef(expr) || isSeveral(expr)) return shapeInWords(expr); // prettier-ignore
  if (isBox(expr)) return 'the box';
  if (isInterval(expr)) return interval(expr.interval, say);
  return callInProse(expr, wording, say);
}

function interval([start, end]: [Expr, Expr], say: Say): string {
  const at = (part: Expr) => (typeof part === 'string' && part.length === 10 ? dayInWords(part) : typeof part === 'string' ? part.replace('T', ' ') : say(part)); // prettier-ignore
  if (start === '..') return end === '..' ? 'any time' : `the time up to ${at(end)}`;
  return end === '..' ? `the time from ${at(start)} on` : `the time from ${at(start)} to ${at(end)}`;
}

function listed(items: string[]): string {
  return items.length < 2 ? items.join('') : `${items.slice(0, -1).join(', ')} and ${items[items.length - 1]}`;
}

function callInProse({ op, args }: Call, wording: Wording, say: Say): string {
  if (op === 'and' || op === 'or') return args.map((arg) => say(arg, true)).join(` ${op} `);
  if (op === 'not') return `not so that ${say(args[0], true)}`;
  if (op in COMPARE) return comparison(op, args, wording, say);
  if (op === 'isNull') return `${say(args[0])} is blank`;
  if (op === 'between') return `${say(args[0])} is between ${say(args[1])} and ${say(args[2])}`;
  if (op === 'in') return folded([args[0], ...(args[1] as Expr[])], ([a, ...rest]) => `${say(a)} is one of ${listed(rest.map((item) => say(item)))}`); // prettier-ignore
  if (op === 'like') return folded(args, ([a, b]) => `${say(a)} fits the pattern ${say(b)}`);
  if (op in SPACE) return `${say(args[0])} ${SPACE[op]} ${say(args[1])}`;
  if (op in TIME) return `${say(args[0])} ${TIME[op]} ${timeIn(args[1], say)}`;
  if (op in ARRAYS) return `${say(args[0])} ${ARRAYS[op]} ${say(args[1])}`;
  if (op in SIGNS) return `${say(args[0], true)} ${SIGNS[op]} ${say(args[1], true)}`;
  if (op === '%') return `the remainder of ${say(args[0], true)} ÷ ${say(args[1], true)}`;
  if (op === 'div') return `the whole part of ${say(args[0], true)} ÷ ${say(args[1], true)}`;
  if (op === '^') return `${say(args[0], true)} to the power of ${say(args[1], true)}`;
  return functionInProse(op, args, say);
}

function word(expr: Expr): string {
  return typeof expr === 'string' ? expr.toLowerCase() : '';
}

function timeIn(expr: Expr, say: Say): string {
  return typeof expr === 'string' && /^\d{4}-\d\d-\d\d$/.test(expr) ? dayInWords(expr) : say(expr);
}

function functionInProse(op: string, args: Expr[], say: Say): string {
  const amount = () => `${say(args[0])} ${word(args[1])}`;
  switch (op.toUpperCase()) {
    case 'S_DWITHIN':
      return `${say(args[0])} comes within ${say(args[2])} ${lengthUnit((args[3] as string | undefined) ?? 'm') ?? ''} of ${say(args[1])}${args[4] === 'plane' ? ' in the plane' : ''}`;
    case 'S_NEAREST':
      return `${say(args[0])} is among the ${say(args[2])} nearest to ${say(args[1])}`;
    case 'S_SHARE_IN':
      return `${say(args[0])} has at least ${say(args[2])} % in ${say(args[1])}`;
    case 'CENTROID':
      return 'the centre';
    case 'KEPT_BY':
      return `the sieve ${isLayerRef(args[0]) ? args[0].args[0] : ''} keeps it too`;
    case 'COULD_BE':
      return `it could be that ${say(args[0], true)}`;
    case 'AS_OF':
      if (args.length === 0) return 'the as-of date';
      return `${Math.abs(args[0] as number)} ${word(args[1])} ${(args[0] as number) < 0 ? 'before' : 'after'} the as-of date`;
    case 'LAST':
      return `the last ${amount()}`;
    case 'NEXT':
      return `the next ${amount()}`;
    case 'CODEPOINTS':
      return quoted(String.fromCodePoint(...(args as number[])));
    case 'CASEI':
      return `${say(args[0])} (capitals and small letters alike)`;
    case 'ACCENTI':
      return `${say(args[0])} (accents left aside)`;
    default:
      return `${op}(${args.map((arg) => say(arg)).join(', ')})`;
  }
}

function comparison(op: string, args: Expr[], wording: Wording, say: Say): string {
  const timed = args.some((arg) => isTime(arg, wording));
  const verb = (timed ? COMPARE_TIMES[op] : undefined) ?? COMPARE[op];
  return folded(args, ([a, b]) => `${say(a)} ${verb} ${say(b)}`);
}

function isTime(expr: Expr, { columns }: Wording): boolean {
  if (isProperty(expr)) return columns.some(({ name, type }) => name === expr.property && /^date/.test(type));
  return isDate(expr) || isTimestamp(expr) || (isCall(expr) && expr.op.toUpperCase() === 'AS_OF');
}

/** Where every side is folded alike, the folding is said once, at the end. */
function folded(args: Expr[], tell: (bare: Expr[]) => string): string {
  for (const [op, note] of [
    ['casei', 'capitals and small letters alike'],
    ['accenti', 'accents left aside'],
  ] as const) {
    if (args.every((arg) => isCall(arg, op)))
      return `${folded(args.map((arg) => (arg).args[0]), tell)}, ${note}`; // prettier-ignore
  }
  return tell(args);
}
