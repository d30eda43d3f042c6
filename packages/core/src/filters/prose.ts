import type { Telling } from '../operators/operator.ts';
import { operatorNamed } from '../operators/operator_registry.ts';
import { isAreaRef, isBuffer, isSeveral } from './areas.ts';
import { isOperandRef } from './operands.ts';
import { isBox, isCall, isDate, isGeometry, isInterval, isProperty, isTimestamp, GEOMETRY_NAME, type Expr } from './ast.ts';
import { columnInWords, dayInWords, numberInWords, quoted, shapeInWords, type Wording } from './phrases.ts';

/** Any expression of the language in plain English, for conditions that fit no shorter wording. */
export function exprInProse(expr: Expr, wording: Wording): string {
  const timed = timedIn(wording);
  const say = (part: Expr, bracketed = false): string => {
    const text = phrase(part, wording, { say, list: listed, timed });
    return bracketed && isPutTogether(part) ? `(${text})` : text;
  };
  return say(expr);
}

/** Of several parts with a word or sign between them. */
function isPutTogether(expr: Expr): boolean {
  const operator = isCall(expr) ? operatorNamed(expr.op) : undefined;
  const { syntax } = operator ?? {};
  return syntax?.kind === 'joint' || (syntax?.kind === 'infix' && syntax.level !== 'comparison');
}

function phrase(expr: Expr, wording: Wording, tell: Telling): string {
  const { say } = tell;
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
  if (isGeometry(expr) || isAreaRef(expr) || isBuffer(expr) || isOperandRef(expr) || isSeveral(expr)) return shapeInWords(expr);
  if (isBox(expr)) return 'the box';
  if (isInterval(expr)) return interval(expr.interval, say);
  const operator = operatorNamed(expr.op);
  return operator ? operator.prose(expr.args, tell) : `${expr.op}(${expr.args.map((arg) => say(arg)).join(', ')})`;
}

function interval([start, end]: [Expr, Expr], say: Telling['say']): string {
  const at = (part: Expr) =>
    typeof part === 'string' && part.length === 10 ? dayInWords(part) : typeof part === 'string' ? part.replace('T', ' ') : say(part);
  if (start === '..') return end === '..' ? 'any time' : `the time up to ${at(end)}`;
  return end === '..' ? `the time from ${at(start)} on` : `the time from ${at(start)} to ${at(end)}`;
}

function listed(items: readonly string[]): string {
  return items.length < 2 ? items.join('') : `${items.slice(0, -1).join(', ')} and ${items[items.length - 1]}`;
}

function timedIn({ columns }: Wording): Telling['timed'] {
  return (expr) => {
    if (isProperty(expr)) return columns.some(({ name, type }) => name === expr.property && /^date/.test(type));
    return isDate(expr) || isTimestamp(expr) || (isCall(expr) && operatorNamed(expr.op)?.result === 'date');
  };
}
