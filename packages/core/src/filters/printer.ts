import type { Geometry, Position } from 'geojson';
import {
  ARITHMETIC,
  COMPARISONS,
  isBox,
  isCall,
  isDate,
  isGeometry,
  isInterval,
  isProperty,
  isTimestamp,
  type Call,
  type Expr,
} from './ast.ts';
import { isPlainName } from './lexer.ts';

const KEYWORDS = /^(and|or|not|like|between|in|is|null|true|false|div)$/i;

/** Levels of the grammar, loosest first; an operand of a lower level than its place asks for is bracketed. */
const OR = 0;
const AND = 1;
const NOT = 2;
const PREDICATE = 3;
const SUM = 4;
const PRODUCT = 5;
const POWER = 6;
const PRIMARY = 7;

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

export function printName(name: string): string {
  return isPlainName(name) && !KEYWORDS.test(name) ? name : `"${name.replaceAll('"', '""')}"`;
}

export function printText(text: string): string {
  // A backslash before a quote would be read as its escape, so such a text is spelled by its code points.
  if (/\\('|$)/.test(text)) return `CODEPOINTS(${[...text].map((c) => c.codePointAt(0)).join(', ')})`;
  return `'${text.replaceAll("'", "''")}'`;
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
  // An AND within OR needs no brackets, but gets them: without, readers take it either way.
  if (op === 'or') return [args.map((arg) => print(arg, NOT)).join(' OR '), OR];
  if (op === 'and') return [args.map((arg) => print(arg, NOT)).join(' AND '), AND];
  if (op === 'not') return printedNot(args[0]);
  if (isOneOf(COMPARISONS, op) && args.length === 2)
    return [`${print(args[0], SUM)} ${op} ${print(args[1], SUM)}`, PREDICATE];
  if (['like', 'between', 'in', 'isNull'].includes(op)) return [printWordPredicate(op, args, ''), PREDICATE];
  if (isOneOf(ARITHMETIC, op) && args.length === 2) {
    const level = op === '+' || op === '-' ? SUM : op === '^' ? POWER : PRODUCT;
    const sign = op === 'div' ? 'DIV' : op;
    return [`${print(args[0], level === POWER ? PRIMARY : level)} ${sign} ${print(args[1], level + 1)}`, level];
  }
  return [
    `${/^[ast]_|^casei$|^accenti$/.test(op) ? op.toUpperCase() : op}(${args.map((arg) => print(arg, OR)).join(', ')})`,
    PRIMARY,
  ];
}

function printedNot(inner: Expr): [string, number] {
  if (isCall(inner, 'like', 'between', 'in', 'isNull'))
    return [printWordPredicate(inner.op, inner.args, 'NOT '), PREDICATE];
  return [`NOT ${print(inner, PREDICATE)}`, NOT];
}

function printWordPredicate(op: string, args: Expr[], not: string): string {
  const subject = print(args[0], SUM);
  if (op === 'isNull') return `${subject} IS ${not}NULL`;
  if (op === 'like') return `${subject} ${not}LIKE ${print(args[1], SUM)}`;
  if (op === 'between') return `${subject} ${not}BETWEEN ${print(args[1], SUM)} AND ${print(args[2], SUM)}`;
  const list = args[1] as Expr[];
  return `${subject} ${not}IN (${list.map((item) => print(item, SUM)).join(', ')})`;
}

function isOneOf(list: readonly string[], op: string): boolean {
  return list.includes(op);
}

function printNumber(value: number): string {
  if (value === 0) return Object.is(value, -0) ? '-0' : '0';
  const size = Math.abs(value);
  // Only these have an exponent; well-known text holds many numbers, and looking for one in each takes its time.
  return size >= 1e21 || size < 1e-6 ? String(value).replace('e', 'E') : String(value);
}

function printPosition(position: Position): string {
  let text = printNumber(position[0]);
  for (let i = 1; i < position.length; i++) text += ` ${printNumber(position[i])}`;
  return text;
}
const printLine = (line: Position[]) => `(${line.map(printPosition).join(', ')})`;
const printRings = (rings: Position[][]) => `(${rings.map(printLine).join(', ')})`;

/**
 * Well-known text as CQL2 uses it (OGC 06-103r4, clause 7): with heights, marked by Z, where every position has one, else
 * without.
 */
export function printGeometry(geometry: Geometry): string {
  const heights = heightsIn(geometry);
  return printShape(heights === 'some' ? flat(geometry) : geometry, heights === 'all' ? ' Z ' : '');
}

function printShape(geometry: Geometry, mark: string): string {
  const word = geometry.type.toUpperCase();
  const parts = geometry.type === 'GeometryCollection' ? geometry.geometries : geometry.coordinates;
  if (parts.length === 0) return `${word} EMPTY`;
  switch (geometry.type) {
    case 'Point':
      return `${word}${mark}(${printPosition(geometry.coordinates)})`;
    case 'LineString':
      return word + mark + printLine(geometry.coordinates);
    case 'Polygon':
    case 'MultiLineString':
      return word + mark + printRings(geometry.coordinates);
    case 'MultiPoint':
      return `${word}${mark}(${geometry.coordinates.map((position) => `(${printPosition(position)})`).join(', ')})`;
    case 'MultiPolygon':
      return `${word}${mark}(${geometry.coordinates.map(printRings).join(', ')})`;
    case 'GeometryCollection':
      return `${word}${mark}(${geometry.geometries.map((member) => printShape(member, mark)).join(', ')})`;
  }
}

/** Calls with each position of a shape. */
function eachPosition(geometry: Geometry, visit: (position: Position) => void): void {
  const go = (value: unknown[]): void => {
    if (typeof value[0] === 'number') visit(value as Position);
    else for (const item of value) go(item as unknown[]);
  };
  if (geometry.type === 'GeometryCollection') for (const member of geometry.geometries) eachPosition(member, visit);
  else go(geometry.coordinates);
}

function heightsIn(geometry: Geometry): 'all' | 'some' | 'none' {
  let [positions, heights] = [0, 0];
  eachPosition(geometry, (position) => {
    positions++;
    if (position.length > 2) heights++;
  });
  return heights === 0 ? 'none' : heights === positions ? 'all' : 'some';
}

/** The shape without heights. */
function flat(geometry: Geometry): Geometry {
  const copy = structuredClone(geometry);
  eachPosition(copy, (position) => position.splice(2));
  return copy;
}
