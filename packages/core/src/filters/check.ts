import { COLUMN_TYPES, type ColumnSchema, type ColumnType } from '../features/column.ts';
import type { Checking, ExprType, Operator } from '../operators/operator.ts';
import { FUNCTIONS, operatorNamed, textName } from '../operators/operator_registry.ts';
import { checkBox } from '../operators/shape_operands.ts';
import { periodOfText } from '../time/period.ts';
import type { AreaShapes } from './areas.ts';
import type { OperandNames } from './operands.ts';
import { GEOMETRY_NAME, isBox, isDate, isGeometry, isInterval, isProperty, isTimestamp, type Call, type Expr } from './ast.ts';
import { exchanged } from './exchange.ts';
import { FilterError, type Span } from './filter_error.ts';
import { nearestName } from './nearest_name.ts';
import { quotedDay, type Parsed } from './parser.ts';
import { printName, printText } from './print_literal.ts';

const TYPE_WORDS: Record<ExprType, string> = {
  number: 'a number',
  text: 'a text',
  boolean: 'a yes/no value',
  date: 'a date',
  datetime: 'a date-time',
  interval: 'an interval',
  geometry: 'a geometry',
  list: 'a list',
};

export interface CheckOptions {
  /** Geometries in the filter are in a projected system, so their coordinates can have any size. */
  projected?: boolean;
  /** Areas that the filter can name; none unless given. */
  areas?: AreaShapes;
  /** Sources and sieves that the filter can name; none unless given. */
  operands?: OperandNames;
}

/**
 * Checks that a filter can be evaluated on features with these columns and yields true or false.
 * Throws a FilterError with position, expectation and an example in terms of these columns.
 */
export function checkFilter(parsed: Parsed | Expr, columns: readonly ColumnSchema[], options: CheckOptions = {}): void {
  const checker = new Checker(isParsed(parsed) ? parsed : null, columns, options);
  const expr = isParsed(parsed) ? parsed.expr : parsed;
  checker.expect(expr, ['boolean'], isParsed(parsed) ? parsed.span : null, 'A filter');
}

/**
 * The type of a value that is computed of features with these columns.
 * Throws a FilterError where it cannot be computed, or is no value that a column can hold.
 */
export function typeOfValue(parsed: Parsed | Expr, columns: readonly ColumnSchema[], options: CheckOptions = {}): ColumnType {
  const checker = new Checker(isParsed(parsed) ? parsed : null, columns, options);
  const [expr, span] = isParsed(parsed) ? [parsed.expr, parsed.span] : [parsed, null];
  return checker.expect(expr, COLUMN_TYPES, span, 'What a column holds') as ColumnType;
}

/** Whether a filter comes with the places of its parts in a text. */
export function isParsed(value: Parsed | Expr): value is Parsed {
  return typeof value === 'object' && 'argSpans' in value;
}

class Checker {
  #parsed: Parsed | null;
  #columns: readonly ColumnSchema[];
  #projected: boolean;
  #areas: AreaShapes;
  #operands: OperandNames;

  constructor(parsed: Parsed | null, columns: readonly ColumnSchema[], options: CheckOptions) {
    this.#parsed = parsed;
    this.#columns = columns;
    this.#projected = options.projected === true;
    this.#areas = options.areas ?? new Map();
    this.#operands = options.operands ?? { sources: [], sieves: [] };
  }

  expect(expr: Expr, types: readonly ExprType[], span: Span | null, what: string): ExprType {
    const type = this.#typeOf(expr, span);
    if (types.includes(type)) return type;
    const wanted = types.map((t) => TYPE_WORDS[t]).join(' or ');
    throw new FilterError(`${what} must be ${wanted}, but this is ${TYPE_WORDS[type]}`, span, this.#example(types[0]));
  }

  #example(type: ExprType): string | null {
    const column = this.#columns.find((c) => c.type === type);
    const numeric = this.#columns.find((c) => c.type === 'number');
    if (type === 'boolean' && numeric) return `For example: ${printName(numeric.name)} > 10`;
    return column ? `For example the column ${printName(column.name)}` : null;
  }

  #typeOf(expr: Expr, span: Span | null): ExprType {
    if (typeof expr === 'number') return 'number';
    if (typeof expr === 'string') return 'text';
    if (typeof expr === 'boolean') return 'boolean';
    if (Array.isArray(expr)) return 'list';
    if (isProperty(expr)) return this.#column(expr.property, span);
    if (isDate(expr)) return 'date';
    if (isTimestamp(expr)) return 'datetime';
    if (isGeometry(expr) || isBox(expr)) return 'geometry';
    if (isInterval(expr)) return 'interval';
    return this.#call(expr, span);
  }

  #column(name: string, span: Span | null): ExprType {
    const column = this.#columns.find((c) => c.name === name);
    if (column) return column.type;
    if (name === GEOMETRY_NAME) return 'geometry';
    const near = nearestName(
      name,
      this.#columns.map((c) => c.name),
    );
    const quotedValue = span ? ` A text value stands in single quotes: ${printText(name)}.` : '';
    const hint = near
      ? `Did you mean ${printName(near)}?`
      : `The columns are ${this.#columns
          .slice(0, 12)
          .map((c) => printName(c.name))
          .join(', ')}${this.#columns.length > 12 ? ' …' : ''}.${quotedValue}`;
    throw new FilterError(`There is no column ${printName(name)}`, span, hint, near && printName(near));
  }

  #call(node: Call, span: Span | null): ExprType {
    const operator = operatorNamed(node.op);
    if (!operator) throw this.#unknown(node.op.toUpperCase(), span);
    const call = this.#checking(operator, node, span);
    checkArity(operator, call);
    const type = operator.check(call) ?? operator.result;
    if (!type) throw new Error(`The result of ${node.op} is of no type`);
    return type;
  }

  #unknown(name: string, span: Span | null): FilterError {
    const names = FUNCTIONS.map((f) => f.name);
    const near = nearestName(name, names);
    return new FilterError(`There is no function ${name}`, span, near ? `Did you mean ${near}?` : null);
  }

  #checking(operator: Operator, node: Call, span: Span | null): Checking {
    const spans = this.#parsed?.argSpans;
    const at = (i: number) => spans?.get(node)?.[i] ?? span;
    return {
      name: textName(operator),
      args: node.args,
      span,
      at,
      inList: (list, i) => (Array.isArray(list) ? spans?.get(list)?.[i] : undefined) ?? at(node.args.indexOf(list)),
      typeOf: (expr, place) => this.#typeOf(expr, place),
      expect: (expr, types, place, what) => this.expect(expr, types, place, what),
      comparable: (sign, sides, place) => this.#comparison(sign, sides, place),
      example: `For example: ${this.#usage(operator)}`,
      projected: this.#projected,
      areas: this.#areas,
      operands: this.#operands,
    };
  }

  /** How an operator is written, in terms of these columns. */
  #usage({ help: { usage, dated } }: Operator): string {
    const column = this.#columns.find(({ type }) => (dated ? type.startsWith('date') : type === 'text'));
    return column ? usage.replaceAll(/\bcolumn\b/g, printName(column.name)) : usage;
  }

  #comparison(op: string, args: readonly Expr[], at: (i: number) => Span | null): void {
    const [left, right] = args.map((arg, i) => this.#typeOf(arg, at(i)));
    const temporal = (type: ExprType) => type === 'date' || type === 'datetime';
    if (![left, right].every((type) => (COLUMN_TYPES as readonly string[]).includes(type))) {
      const i = (COLUMN_TYPES as readonly string[]).includes(left) ? 1 : 0;
      throw new FilterError(
        `${op} cannot compare ${TYPE_WORDS[i === 0 ? left : right]}`,
        at(i),
        i === 0 && left === 'geometry' ? 'Use S_INTERSECTS or S_DWITHIN' : null,
      );
    }
    if (left === right || (temporal(left) && temporal(right))) return;
    for (const [mine, other, i] of [
      [left, right, 1],
      [right, left, 0],
    ] as const) {
      const literal = args[i];
      if (!temporal(mine) || other !== 'text') continue;
      if (typeof literal === 'string' && periodOfText(literal)) return;
      if (typeof literal === 'string')
        throw new FilterError(
          `${printText(literal)} is not a date`,
          at(i),
          "Dates are written year-month-day: DATE('2024-05-31')",
          dateReplacement(literal),
        );
    }
    const [first, second] = [TYPE_WORDS[left], TYPE_WORDS[right]];
    throw new FilterError(
      `${first[0].toUpperCase()}${first.slice(1)} is compared with ${second}`,
      at(1),
      this.#mismatchHint(args, [left, right]),
      this.#mismatchReplacement(args, [left, right]),
    );
  }

  #mismatchHint(args: readonly Expr[], types: ExprType[]): string | null {
    const [left, right] = args;
    const column = isProperty(left) ? left.property : null;
    if (column === null) return null;
    if (types[0] === 'number' && typeof right === 'string') {
      return Number.isFinite(Number(right)) && right.trim() !== ''
        ? `Numbers stand without quotes: ${Number(right)}`
        : `${printName(column)} holds numbers`;
    }
    if (types[0] === 'text' && typeof right === 'number')
      return `${printName(column)} holds texts, which stand in quotes: ${printText(String(right))}`;
    if (types[0] === 'boolean') return `${printName(column)} is TRUE or FALSE`;
    if (types[0] === 'date' || types[0] === 'datetime')
      return `${printName(column)} holds dates: ${printName(column)} >= DATE('2024-05-31')`;
    return null;
  }

  #mismatchReplacement([left, right]: readonly Expr[], types: ExprType[]): string | null {
    if (!isProperty(left)) return null;
    if (types[0] === 'number' && typeof right === 'string' && right.trim() !== '' && Number.isFinite(Number(right)))
      return String(Number(right));
    return types[0] === 'text' && typeof right === 'number' ? printText(String(right)) : null;
  }
}

function checkArity({ arity: [least, most] }: Operator, { name, args, span, example }: Checking): void {
  if (args.length >= least && args.length <= most) return;
  const wanted = most === Infinity ? `at least ${least}` : least === most ? `${least}` : `${least} to ${most}`;
  const word = wanted.endsWith('1') ? 'argument' : 'arguments';
  throw new FilterError(`${name} takes ${wanted} ${word}, not ${args.length}`, span, example);
}

/** Checks every box in an expression. Throws a FilterError. */
export function checkBoxes(expr: Expr, projected: boolean): void {
  exchanged(expr, (node) => {
    if (isBox(node)) checkBox(node, projected, null);
    return null;
  });
}

function dateReplacement(text: string): string | null {
  const day = quotedDay(text);
  return day && `DATE(${day})`;
}
