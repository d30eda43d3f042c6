import { operatorNamed, textName } from '../operators/operator_registry.ts';
import type { Syntax } from '../operators/operator.ts';
import { isBox, isCall, isDate, isGeometry, isInterval, isProperty, isTimestamp, type Call, type Expr } from './ast.ts';
import { printGeometry, printName, printNumber, printText } from './print_literal.ts';

/** Levels of the grammar, loosest first; an operand of a lower level than its place asks for is bracketed. */
const [OR, AND, NOT, PREDICATE, SUM, PRODUCT, POWER, PRIMARY] = [0, 1, 2, 3, 4, 5, 6, 7];
const INFIX = { comparison: PREDICATE, sum: SUM, product: PRODUCT, power: POWER };

/** Writes an expression as CQL2 Text on one line; reading it back gives the same expression. */
export function printFilter(expr: Expr): string {
  return print(expr, OR);
}

/** Widest line that a group of conditions is kept on when a filter is laid out. */
const LINE = 72;

/** Writes an expression as CQL2 Text with a line for each condition of a long group, deeper ones further in. */
export function layOutFilter(expr: Expr): string {
  return laidOut(expr, OR, '');
}

function laidOut(expr: Expr, place: number, indent: string): string {
  const line = print(expr, place);
  if (line.length + indent.length <= LINE || !isCall(expr, 'and', 'or', 'not')) return line;
  if (expr.op === 'not') {
    const inner = `NOT ${laidOut(expr.args[0], PREDICATE, indent)}`;
    return place > NOT ? `(${inner})` : inner;
  }
  const level = expr.op === 'or' ? OR : AND;
  const bracketed = level < place;
  const inside = bracketed ? `${indent}  ` : indent;
  const word = expr.op.toUpperCase();
  const lines = expr.args.map((arg, i) => `${inside}${i === 0 ? '' : `${word} `}${laidOut(arg, NOT, inside)}`);
  return bracketed ? `(\n${lines.join('\n')}\n${indent})` : lines.join('\n').trimStart();
}

function print(expr: Expr, place: number): string {
  const [text, level] = printed(expr);
  return level < place ? `(${text})` : text;
}

function printed(expr: Expr): [string, number] {
  if (typeof expr === 'number') return [printNumber(expr), PRIMARY];
  if (typeof expr === 'string') return [printText(expr), PRIMARY];
  if (typeof expr === 'boolean') return [expr ? 'TRUE' : 'FALSE', PRIMARY];
  if (Array.isArray(expr)) return [`(${expr.map((item) => print(item, OR)).join(', ')})`, PRIMARY];
  if (isProperty(expr)) return [printName(expr.property), PRIMARY];
  if (isDate(expr)) return [`DATE(${printText(expr.date)})`, PRIMARY];
  if (isTimestamp(expr)) return [`TIMESTAMP(${printText(expr.timestamp)})`, PRIMARY];
  if (isInterval(expr)) return [`INTERVAL(${expr.interval.map((end) => print(end, SUM)).join(', ')})`, PRIMARY];
  if (isBox(expr)) return [`BBOX(${expr.bbox.map(printNumber).join(', ')})`, PRIMARY];
  if (isGeometry(expr)) return [printGeometry(expr), PRIMARY];
  return printedCall(expr);
}

function printedCall({ op, args }: Call): [string, number] {
  const operator = operatorNamed(op);
  const list = () => `(${args.map((arg) => print(arg, OR)).join(', ')})`;
  if (!operator || args.length < operator.arity[0]) return [op + list(), PRIMARY];
  const { syntax } = operator;
  switch (syntax.kind) {
    case 'function':
      return [textName(operator) + list(), PRIMARY];
    case 'joint':
      // An AND within OR needs no brackets, but gets them: without, readers take it either way.
      return [args.map((arg) => print(arg, NOT)).join(` ${syntax.word} `), syntax.word === 'OR' ? OR : AND];
    case 'prefix':
      return printedNot(args[0]);
    case 'phrase':
      return [printedPhrase(syntax, args, ''), PREDICATE];
    case 'infix': {
      const level = INFIX[syntax.level];
      // Sums and products are read from the left; comparisons and powers have no others beside them.
      const left = level === PREDICATE ? SUM : level === POWER ? PRIMARY : level;
      return [`${print(args[0], left)} ${syntax.sign} ${print(args[1], level + 1)}`, level];
    }
  }
}

function printedNot(inner: Expr): [string, number] {
  const syntax = isCall(inner) ? operatorNamed(inner.op)?.syntax : undefined;
  if (isCall(inner) && syntax?.kind === 'phrase') return [printedPhrase(syntax, inner.args, 'NOT '), PREDICATE];
  return [`NOT ${print(inner, PREDICATE)}`, NOT];
}

function printedPhrase({ print: phrase }: Extract<Syntax, { kind: 'phrase' }>, args: Expr[], not: string): string {
  const list = args.flatMap((arg) => (Array.isArray(arg) ? arg : []));
  return phrase(
    args.map((arg) => (Array.isArray(arg) ? '' : print(arg, SUM))),
    list.map((item) => print(item, SUM)),
    not,
  );
}
