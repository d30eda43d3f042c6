import type { ColumnType } from '../features/column.ts';
import type { Box } from '../features/geometry.ts';
import { COMPARISONS, isBox, isCall, isDate, isObject, isProperty, isTimestamp, type Call, type Expr } from '../filters/ast.ts';

/** A column of a table in a database, as conditions speak of it. */
export interface SqlColumn {
  type: ColumnType;
  /** The column by its quoted name, for comparisons that an index helps. */
  raw: string;
  /** Its value as it is here; blank where it is blank here. */
  value: string;
  /** Whole numbers, which are compared as such. */
  whole: boolean;
  /** A text that an index of the column can be asked for; others are compared by their value only. */
  indexed: boolean;
}

/** SQL whose values stand beside it, as `$1` and on. */
export interface Sql {
  text: string;
  values: unknown[];
}

export interface SqlTable {
  columns: ReadonlyMap<string, SqlColumn>;
  /** Whether a shape meets a box in degrees, or its own box does; null for a table whose shapes cannot be asked. */
  meets: ((box: Box, value: (value: number) => string) => string) | null;
}

/**
 * A filter as a condition in SQL, of what `partFilter` asks of a database (`FilterSupport.compares`): comparisons of columns with
 * values in AND, OR and NOT. Values never stand in the text. Texts are compared by code points, whatever order the database has.
 * @param first number of the first value
 */
export function sqlOf(filter: Expr, table: SqlTable, first = 1): Sql {
  const writer = new SqlWriter(table, first);
  return { text: writer.condition(filter), values: writer.values };
}

class SqlWriter {
  readonly values: unknown[] = [];
  readonly #table: SqlTable;
  readonly #first: number;

  constructor(table: SqlTable, first: number) {
    this.#table = table;
    this.#first = first;
  }

  condition(expr: Expr): string {
    if (!isCall(expr)) throw unsaid(expr);
    const { op, args } = expr;
    if (op === 'and' || op === 'or') return `(${args.map((arg) => this.condition(arg)).join(op === 'and' ? ' and ' : ' or ')})`;
    if (op === 'not') return `(not ${this.condition(args[0])})`;
    if (op === 's_intersects') return this.#meets(args[1]);
    const [subject] = args;
    const column = subject !== undefined && isProperty(subject) ? this.#table.columns.get(subject.property) : undefined;
    if (!column) throw unsaid(expr);
    if (op === 'isNull') return `(${column.value} is null)`;
    switch (column.type) {
      case 'number':
        return this.#numbers(expr, column);
      case 'text':
        return this.#texts(expr, column);
      case 'boolean':
        return `(${column.value} ${sign(expr)} ${this.#value(args[1], 'boolean')})`;
      default:
        return this.#times(expr, column);
    }
  }

  #meets(shape: Expr): string {
    const { meets } = this.#table;
    if (!meets || !isObject(shape) || !isBox(shape)) throw unsaid(shape);
    const [west, south, east, north] = shape.bbox;
    return meets([west, south, east, north], (value) => this.#value(value, 'float8'));
  }

  #numbers(expr: Call, { raw, value, whole }: SqlColumn): string {
    const values = expr.op === 'in' ? listOf(expr) : expr.args.slice(1);
    const areWhole = whole && values.every((one) => Number.isSafeInteger(one));
    const subject = areWhole ? raw : whole ? `${raw}::float8` : value;
    const type = areWhole ? 'int8' : 'float8';
    if (expr.op === 'in') return `(${subject} = any(${this.#value(values, `${type}[]`)}))`;
    if (expr.op === 'between') return `(${subject} between ${this.#value(values[0], type)} and ${this.#value(values[1], type)})`;
    return `(${subject} ${sign(expr)} ${this.#value(values[0], type)})`;
  }

  #texts(expr: Call, { raw, value, indexed }: SqlColumn): string {
    const text = `${value} collate "C"`;
    switch (expr.op) {
      case 'in': {
        const list = this.#value(listOf(expr), 'text[]');
        return indexed ? `(${raw} = any(${list}) and ${text} = any(${list}))` : `(${text} = any(${list}))`;
      }
      case '=': {
        // An index is asked in the column's own order; what that takes for the same is looked at again.
        const one = this.#value(expr.args[1], 'text');
        return indexed ? `(${raw} = ${one} and ${text} = ${one})` : `(${text} = ${one})`;
      }
      case 'like':
        return `(${text} like ${this.#value(wholePattern(expr.args[1]), 'text')})`;
      case 'between':
        return `(${text} between ${this.#value(expr.args[1], 'text')} and ${this.#value(expr.args[2], 'text')})`;
      default:
        return `(${text} ${sign(expr)} ${this.#value(expr.args[1], 'text')})`;
    }
  }

  #times(expr: Call, { raw, value }: SqlColumn): string {
    const [, literal] = expr.args;
    if (!isObject(literal)) throw unsaid(expr);
    if (isDate(literal)) return `(${value} ${sign(expr)} ${this.#value(literal.date, 'date')})`;
    // Without a zone of its own a column is in universal time here.
    if (isTimestamp(literal)) return `(${raw} ${sign(expr)} ${this.#value(literal.timestamp, 'timestamptz')})`;
    throw unsaid(expr);
  }

  #value(value: Expr | readonly Expr[], type: string): string {
    for (const one of [value].flat()) if (typeof one === 'object') throw unsaid(one);
    this.values.push(value);
    return `$${this.#first + this.values.length - 1}::${type}`;
  }
}

function sign({ op }: Call): string {
  const known = COMPARISONS.find((one) => one === op);
  if (!known) throw new Error(`No condition in SQL: ${op}`);
  return known;
}

function listOf(expr: Call): readonly Expr[] {
  const [, list] = expr.args;
  if (!Array.isArray(list)) throw unsaid(expr);
  return list;
}

/** A backslash at the end of a pattern stands for itself here; in SQL something has to follow it. */
function wholePattern(pattern: Expr): string {
  if (typeof pattern !== 'string') throw unsaid(pattern);
  const [backslashes] = /\\*$/.exec(pattern) ?? [''];
  return backslashes.length % 2 === 1 ? `${pattern}\\` : pattern;
}

const unsaid = (expr: Expr | readonly Expr[]) => new Error(`No condition in SQL: ${JSON.stringify(expr)}`);
