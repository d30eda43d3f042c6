import type { Geometry, Position } from 'geojson';
import { COLUMN_TYPES, type ColumnSchema, type ColumnType } from '../features/column.ts';
import { systemSaid } from '../crs/located.ts';
import { lengthUnit, LENGTH_UNITS } from '../space/units.ts';
import { SHIFT_UNITS } from '../time/calendar.ts';
import { periodOfText, shiftUnit } from '../time/period.ts';
import { isAreaRef, isBuffer, isSeveral, type AreaShapes } from './areas.ts';
import type { LayerNames } from './layers.ts';
import {
  ARITHMETIC,
  COMPARISONS,
  GEOMETRY_NAME,
  isBox,
  isCall,
  isDate,
  isGeometry,
  isInterval,
  isProperty,
  isTimestamp,
  type BoxLiteral,
  type Call,
  type Expr,
} from './ast.ts';
import { exchanged } from './exchange.ts';
import { FilterError, type Span } from './filter_error.ts';
import { quotedDay, type Parsed } from './parser.ts';
import { printName, printText } from './printer.ts';

/** What an expression yields. */
export type ExprType = ColumnType | 'interval' | 'geometry' | 'list';

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

const TEMPORAL_OPS = [
  ...['t_after', 't_before', 't_contains', 't_disjoint', 't_during', 't_equals', 't_finishedBy', 't_finishes'],
  ...['t_intersects', 't_meets', 't_metBy', 't_overlappedBy', 't_overlaps', 't_startedBy', 't_starts'],
];
const SPATIAL_OPS = ['s_intersects', 's_disjoint', 's_contains', 's_within', 's_touches', 's_crosses', 's_overlaps', 's_equals']; // prettier-ignore
const ARRAY_OPS = ['a_containedBy', 'a_contains', 'a_equals', 'a_overlaps'];

/** Every function and operator that can be evaluated, for completion and messages. */
export const FUNCTIONS: { name: string; usage: string; meaning: string }[] = [
  {
    name: 'S_INTERSECTS',
    usage: 'S_INTERSECTS(geometry, POLYGON((…)))',
    meaning: 'shares at least one point with the geometry',
  },
  {
    name: 'S_WITHIN',
    usage: 'S_WITHIN(geometry, POLYGON((…)))',
    meaning: 'lies in the geometry, not only on its edge',
  },
  { name: 'S_CONTAINS', usage: 'S_CONTAINS(geometry, POINT(…))', meaning: 'holds the geometry in it' },
  {
    name: 'S_TOUCHES',
    usage: 'S_TOUCHES(geometry, POLYGON((…)))',
    meaning: 'shares only edge or end points with the geometry',
  },
  {
    name: 'S_CROSSES',
    usage: 'S_CROSSES(geometry, LINESTRING(…))',
    meaning: 'runs through the geometry and out of it',
  },
  {
    name: 'S_OVERLAPS',
    usage: 'S_OVERLAPS(geometry, POLYGON((…)))',
    meaning: 'shares a part with the geometry, each having more beside it',
  },
  { name: 'S_EQUALS', usage: 'S_EQUALS(geometry, POINT(…))', meaning: 'covers just the same places' },
  { name: 'S_DISJOINT', usage: 'S_DISJOINT(geometry, POLYGON((…)))', meaning: 'shares no point with the geometry' },
  {
    name: 'S_DWITHIN',
    usage: "S_DWITHIN(geometry, POINT(lon lat), 500, 'm')",
    meaning: 'comes within the distance, on the ellipsoid; metres unless a unit is named',
  },
  {
    name: 'S_NEAREST',
    usage: 'S_NEAREST(geometry, POINT(lon lat), 10)',
    meaning: 'is among the so many that are nearest, of all features of the source; what is as near as the last is too',
  },
  {
    name: 'S_SHARE_IN',
    usage: "S_SHARE_IN(geometry, AREA('name'), 50)",
    meaning: 'has at least so many percent of its area, length or points in it',
  },
  {
    name: 'CENTROID',
    usage: "S_INTERSECTS(CENTROID(geometry), AREA('name'))",
    meaning: 'the centre of gravity of the feature, in the coordinate system of its source',
  },
  {
    name: 'SOURCE',
    usage: "S_DWITHIN(geometry, SOURCE('name'), 20, 'm')",
    meaning: 'any feature of a source',
  },
  {
    name: 'SIEVE',
    usage: "S_DWITHIN(geometry, SIEVE('name'), 20, 'm')",
    meaning: 'any feature that another sieve keeps, as it is at the moment',
  },
  {
    name: 'KEPT_BY',
    usage: "KEPT_BY(SIEVE('name'))",
    meaning: 'is kept by another sieve of the same source too, as that is at the moment',
  },
  {
    name: 'ANY_OF',
    usage: "S_INTERSECTS(geometry, ANY_OF(AREA('one'), AREA('other')))",
    meaning: 'one of these places at least',
  },
  {
    name: 'ALL_OF',
    usage: "S_INTERSECTS(geometry, ALL_OF(AREA('one'), AREA('other')))",
    meaning: 'each of these places',
  },
  { name: 'AREA', usage: "S_INTERSECTS(geometry, AREA('name'))", meaning: 'the shape of an area of the workspace' },
  {
    name: 'BUFFER',
    usage: "S_INTERSECTS(geometry, BUFFER(POINT(lon lat), 500, 'm'))",
    meaning: 'every place within the distance of a geometry, on the ellipsoid',
  },
  { name: 'T_BEFORE', usage: "T_BEFORE(column, DATE('2024-01-01'))", meaning: 'lies before' },
  { name: 'T_AFTER', usage: "T_AFTER(column, DATE('2024-01-01'))", meaning: 'lies after' },
  {
    name: 'T_INTERSECTS',
    usage: "T_INTERSECTS(column, INTERVAL('2024-01-01', '..'))",
    meaning: 'falls in the interval, its ends included',
  },
  {
    name: 'T_DISJOINT',
    usage: "T_DISJOINT(column, INTERVAL('2024-01-01', '..'))",
    meaning: 'falls outside the interval',
  },
  {
    name: 'T_DURING',
    usage: "T_DURING(column, INTERVAL('2024-01-01', '2024-12-31'))",
    meaning: 'falls in the interval, its ends left out',
  },
  { name: 'T_EQUALS', usage: "T_EQUALS(column, DATE('2024-01-01'))", meaning: 'is the same time' },
  ...(
    [
      ['CONTAINS', 'begins before and ends after the other'],
      ['FINISHES', 'begins after the other and ends with it'],
      ['FINISHEDBY', 'begins before the other and ends with it'],
      ['STARTS', 'begins with the other and ends before it'],
      ['STARTEDBY', 'begins with the other and ends after it'],
      ['MEETS', 'ends where the other begins'],
      ['METBY', 'begins where the other ends'],
      ['OVERLAPS', 'begins before the other and ends in it'],
      ['OVERLAPPEDBY', 'begins in the other and ends after it'],
    ] as const
  ).map(([name, meaning]) => ({
    name: `T_${name}`,
    usage: `T_${name}(INTERVAL(column, other_column), INTERVAL('2024-01-01', '2024-12-31'))`,
    meaning,
  })),
  { name: 'A_CONTAINS', usage: "A_CONTAINS(column, ('a', 'b'))", meaning: 'the array has all of these' },
  { name: 'A_CONTAINEDBY', usage: "A_CONTAINEDBY(column, ('a', 'b'))", meaning: 'the array has none but these' },
  { name: 'A_EQUALS', usage: "A_EQUALS(column, ('a', 'b'))", meaning: 'the array has just these' },
  { name: 'A_OVERLAPS', usage: "A_OVERLAPS(column, ('a', 'b'))", meaning: 'the array has one of these at least' },
  { name: 'CASEI', usage: "CASEI(column) = CASEI('oak')", meaning: 'the text without regard to case' },
  { name: 'ACCENTI', usage: "ACCENTI(column) = ACCENTI('chêne')", meaning: 'the text without regard to accents' },
  {
    name: 'AS_OF',
    usage: "AS_OF(-5, 'years')",
    meaning: 'the as-of date, moved by so many days, weeks, months or years',
  },
  { name: 'LAST', usage: "T_INTERSECTS(column, LAST(30, 'days'))", meaning: 'the time that ends with the as-of date' },
  {
    name: 'NEXT',
    usage: "T_INTERSECTS(column, NEXT(30, 'days'))",
    meaning: 'the time that begins after the as-of date',
  },
  {
    name: 'COULD_BE',
    usage: "COULD_BE(column < DATE('2024-05-31'))",
    meaning: 'is true, or can be as far as a date known only to the month or year tells',
  },
  { name: 'YEAR', usage: 'YEAR(column) IN (2023, 2024)', meaning: 'the year of a date or date-time' },
  { name: 'QUARTER', usage: 'QUARTER(column) = 1', meaning: 'the quarter of the year, 1 to 4' },
  { name: 'MONTH', usage: 'MONTH(column) IN (3, 4, 5)', meaning: 'the month, 1 to 12, of any year' },
  { name: 'WEEKDAY', usage: 'WEEKDAY(column) IN (6, 7)', meaning: 'the day of the week, Monday 1 to Sunday 7' },
  { name: 'HOUR', usage: 'HOUR(column) BETWEEN 8 AND 17', meaning: 'the hour of the day in UTC, 0 to 23' },
  { name: 'CODEPOINTS', usage: 'CODEPOINTS(92, 39)', meaning: 'a text spelled by its Unicode code points' },
];

export interface CheckOptions {
  /** Geometries in the filter are in a projected system, so their coordinates can have any size. */
  projected?: boolean;
  /** Areas that the filter can name; none unless given. */
  areas?: AreaShapes;
  /** Sources and sieves that the filter can name; none unless given. */
  layers?: LayerNames;
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

/** Whether a filter comes with the places of its parts in a text. */
export function isParsed(value: Parsed | Expr): value is Parsed {
  return typeof value === 'object' && 'argSpans' in value;
}

class Checker {
  #parsed: Parsed | null;
  #columns: readonly ColumnSchema[];
  #projected: boolean;
  #areas: AreaShapes;
  #layers: LayerNames;

  constructor(parsed: Parsed | null, columns: readonly ColumnSchema[], options: CheckOptions) {
    this.#parsed = parsed;
    this.#columns = columns;
    this.#projected = options.projected === true;
    this.#areas = options.areas ?? new Map();
    this.#layers = options.layers ?? { sources: [], sieves: [] };
  }

  expect(expr: Expr, types: readonly ExprType[], span: Span | null, what: string): ExprType {
    const type = this.#typeOf(expr, span);
    if (types.includes(type)) return type;
    const wanted = types.map((t) => TYPE_WORDS[t]).join(' or ');
    throw new FilterError(`${what} must be ${wanted}, but this is ${TYPE_WORDS[type]}`, span, this.#example(types[0]));
  }

  /** An example of a function in terms of these columns. */
  #usage(name: string): string | null {
    const usage = FUNCTIONS.find((f) => f.name === name)?.usage;
    if (!usage) return null;
    const fits = (type: ColumnType) =>
      name.startsWith('T_') || /^(AS_OF|LAST|NEXT|YEAR|QUARTER|MONTH|WEEKDAY|HOUR|COULD_BE)$/.test(name)
        ? type.startsWith('date')
        : type === 'text';
    const column = this.#columns.find(({ type }) => fits(type));
    return column ? usage.replaceAll(/\bcolumn\b/g, printName(column.name)) : usage;
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
    const { op, args } = node;
    const spans = this.#parsed?.argSpans.get(node) ?? [];
    const at = (i: number) => spans[i] ?? span;
    const upper = op.toUpperCase();
    if (op === 'and' || op === 'or' || op === 'not') {
      args.forEach((arg, i) => this.expect(arg, ['boolean'], at(i), `Each side of ${upper}`));
      return 'boolean';
    }
    if ((COMPARISONS as readonly string[]).includes(op)) return this.#comparison(op, args, at);
    if ((ARITHMETIC as readonly string[]).includes(op)) {
      args.forEach((arg, i) => this.expect(arg, ['number'], at(i), `Each side of ${op}`));
      return 'number';
    }
    if (op === 'isNull') {
      this.#typeOf(args[0], at(0));
      return 'boolean';
    }
    if (op === 'like') {
      this.expect(args[0], ['text'], at(0), 'The left side of LIKE');
      if (typeof args[1] !== 'string' && !isCall(args[1], 'casei', 'accenti'))
        throw new FilterError(
          'LIKE needs a quoted pattern',
          at(1),
          "% stands for any characters, _ for one: LIKE 'Oak%'",
        );
      this.expect(args[1], ['text'], at(1), 'The pattern of LIKE');
      return 'boolean';
    }
    if (op === 'between') {
      this.#comparison('BETWEEN', [args[0], args[1]], (i) => at(i));
      this.#comparison('BETWEEN', [args[0], args[2]], (i) => at(i === 0 ? 0 : 2));
      return 'boolean';
    }
    if (op === 'in') {
      const list = args[1] as Expr[];
      const itemSpans = this.#parsed?.argSpans.get(list) ?? [];
      list.forEach((item, i) =>
        this.#comparison('IN', [args[0], item], (k) => (k === 0 ? at(0) : (itemSpans[i] ?? at(1)))),
      );
      return 'boolean';
    }
    return this.#function(node, span, at);
  }

  #function({ op, args }: Call, span: Span | null, at: (i: number) => Span | null): ExprType {
    const name = op.toUpperCase();
    const arity = (least: number, most = least) => {
      if (args.length >= least && args.length <= most) return;
      const usage = this.#usage(name);
      const wanted = least === most ? `${least}` : `${least} to ${most}`;
      throw new FilterError(
        `${name} takes ${wanted} arguments, not ${args.length}`,
        span,
        usage ? `For example: ${usage}` : null,
      );
    };
    if (op === 'casei' || op === 'accenti') {
      arity(1);
      this.expect(args[0], ['text'], at(0), `The argument of ${name}`);
      return 'text';
    }
    if (SPATIAL_OPS.includes(op)) {
      arity(2);
      this.#geometryOperands(name, args, at);
      return 'boolean';
    }
    if (TEMPORAL_OPS.includes(op)) {
      arity(2);
      args.forEach((arg, i) => this.#temporal(arg, at(i), name));
      return 'boolean';
    }
    if (ARRAY_OPS.includes(op)) {
      arity(2);
      args.forEach((arg, i) => this.#array(arg, at(i), name));
      return 'boolean';
    }
    switch (name) {
      case 'S_DWITHIN': {
        arity(3, 5);
        this.#geometryOperands(name, args.slice(0, 2), at);
        this.#distance(args[2], args[3], at(2), at(3), name);
        if (args[4] !== undefined && args[4] !== 'plane')
          throw new FilterError(
            "The way of measuring is 'plane', or left out for the ellipsoid",
            at(4),
            "For example: S_DWITHIN(geometry, POINT(lon lat), 500, 'm', 'plane')",
          );
        return 'boolean';
      }
      case 'S_NEAREST':
        arity(3);
        this.#geometryOperands(name, args.slice(0, 2), at);
        if (typeof args[2] !== 'number' || !Number.isInteger(args[2]) || args[2] < 1)
          throw new FilterError('How many are kept is a whole number, 1 or more', at(2), `For example: ${this.#usage(name)}`); // prettier-ignore
        return 'boolean';
      case 'S_SHARE_IN':
        arity(3);
        this.#geometryOperands(name, args.slice(0, 2), at);
        if (typeof args[2] !== 'number' || !(args[2] > 0) || args[2] > 100)
          throw new FilterError('The share is in percent, above 0 and at most 100', at(2), `For example: ${this.#usage(name)}`); // prettier-ignore
        return 'boolean';
      case 'CENTROID':
        arity(1);
        if (!isProperty(args[0]) || args[0].property !== GEOMETRY_NAME)
          throw new FilterError('CENTROID is taken of the column geometry', at(0), `For example: ${this.#usage(name)}`);
        return 'geometry';
      case 'SOURCE':
      case 'SIEVE':
        arity(1);
        this.#layer(name, args[0], at(0));
        return 'geometry';
      case 'ANY_OF':
      case 'ALL_OF':
        if (args.length === 0)
          throw new FilterError(`${name} needs at least one place`, span, `For example: ${this.#usage(name)}`);
        args.forEach((arg, i) => {
          this.expect(arg, ['geometry'], at(i), `Argument ${i + 1} of ${name}`);
          if (isSubject(arg) || isSeveral(arg))
            throw new FilterError(`${name} takes shapes, areas, sources and sieves`, at(i), `For example: ${this.#usage(name)}`); // prettier-ignore
          this.#literal(arg, at(i));
        });
        return 'geometry';
      case 'COULD_BE':
        arity(1);
        this.expect(args[0], ['boolean'], at(0), 'The argument of COULD_BE');
        return 'boolean';
      case 'KEPT_BY':
        arity(1);
        if (!isCall(args[0], 'SIEVE'))
          throw new FilterError('KEPT_BY needs a sieve', at(0), `For example: ${this.#usage(name)}`);
        this.expect(args[0], ['geometry'], at(0), 'The argument of KEPT_BY');
        return 'boolean';
      case 'YEAR':
      case 'QUARTER':
      case 'MONTH':
      case 'WEEKDAY':
      case 'HOUR':
        arity(1);
        this.expect(args[0], ['date', 'datetime'], at(0), `The argument of ${name}`);
        if (name === 'HOUR' && this.#typeOf(args[0], at(0)) === 'date')
          throw new FilterError('HOUR needs a time of day, and a date has none', at(0), 'Use a column of date-times');
        return 'number';
      case 'AREA':
        arity(1);
        this.#area(args[0], at(0));
        return 'geometry';
      case 'BUFFER':
        arity(2, 3);
        if (!isGeometry(args[0]))
          throw new FilterError(
            'BUFFER needs a geometry that is written out',
            at(0),
            `For example: ${this.#usage(name)}`,
          );
        this.#literal(args[0], at(0));
        this.#distance(args[1], args[2], at(1), at(2), name);
        return 'geometry';
      case 'AS_OF':
        arity(0, 2);
        if (args.length > 0) this.#amountAndUnit(name, args, at);
        return 'date';
      case 'LAST':
      case 'NEXT':
        arity(2);
        this.#amountAndUnit(name, args, at);
        return 'interval';
      case 'CODEPOINTS':
        args.forEach((arg, i) => {
          if (typeof arg !== 'number' || !Number.isInteger(arg) || arg < 0 || arg > 0x10ffff)
            throw new FilterError('A code point is a whole number from 0 to 1114111', at(i));
        });
        return 'text';
    }
    const near = nearestName(
      name,
      FUNCTIONS.map((f) => f.name),
    );
    throw new FilterError(`There is no function ${name}`, span, near ? `Did you mean ${near}?` : null);
  }

  #area(name: Expr, span: Span | null): void {
    if (typeof name !== 'string')
      throw new FilterError(
        'AREA needs the name of an area in single quotes',
        span,
        `For example: ${this.#usage('AREA')}`,
      );
    const names = [...this.#areas.keys()];
    if (names.includes(name)) return;
    const near = nearestName(name, names);
    const known = names.length === 0 ? 'No area is known here' : `The areas are ${names.slice(0, 12).join(', ')}${names.length > 12 ? ' …' : ''}`; // prettier-ignore
    throw new FilterError(
      `There is no area ${name}`,
      span,
      near ? `Did you mean ${near}?` : known,
      near && printText(near),
    );
  }

  #layer(op: 'SOURCE' | 'SIEVE', name: Expr, span: Span | null): void {
    const word = op.toLowerCase();
    if (typeof name !== 'string')
      throw new FilterError(`${op} needs the name of a ${word} in single quotes`, span, `For example: ${this.#usage(op)}`); // prettier-ignore
    const names = op === 'SOURCE' ? this.#layers.sources : this.#layers.sieves;
    const found = names.filter((one) => one === name).length;
    if (found === 1) return;
    if (found > 1)
      throw new FilterError(`There are ${found} ${word}s with the name ${name}`, span, 'Give one of them another name');
    const near = nearestName(name, names);
    const known = names.length === 0 ? `No ${word} can be named here` : `The ${word}s with a name are ${names.slice(0, 12).join(', ')}${names.length > 12 ? ' …' : ''}`; // prettier-ignore
    throw new FilterError(
      `There is no ${word} ${name}`,
      span,
      near ? `Did you mean ${near}?` : known,
      near && printText(near),
    );
  }

  #distance(distance: Expr, unit: Expr | undefined, at: Span | null, unitAt: Span | null, name: string): void {
    if (typeof distance !== 'number' || distance < 0)
      throw new FilterError('The distance must be a number, 0 or more', at, `For example: ${this.#usage(name)}`);
    if (unit === undefined || (typeof unit === 'string' && lengthUnit(unit))) return;
    const units = Object.keys(LENGTH_UNITS);
    throw new FilterError(
      'This is not a known unit of length',
      unitAt,
      `Use one of ${units.map((u) => `'${u}'`).join(', ')}`,
      unitReplacement(unit, units),
    );
  }

  #geometryOperands(name: string, args: Expr[], at: (i: number) => Span | null): void {
    args.forEach((arg, i) => this.expect(arg, ['geometry'], at(i), `Argument ${i + 1} of ${name}`));
    if (args.filter(isSubject).length !== 1)
      throw new FilterError(
        `${name} compares the column geometry with a geometry that is written out`,
        at(0),
        `For example: ${this.#usage(name)}`,
      );
    args.forEach((arg, i) => this.#literal(arg, at(i)));
    this.#roundOperand(name, args, at);
    const several = args.findIndex(isSeveral);
    if (several >= 0 && /^S_(NEAREST|SHARE_IN)$/.test(name))
      throw new FilterError(`${name} takes one shape, area, source or sieve`, at(several), `For example: ${this.#usage(name)}`); // prettier-ignore
    args.forEach((arg, i) => isBox(arg) && checkBox(arg, this.#projected, at(i)));
  }

  /** A circle or a strip has no corners, so the general relations are not decided for it. */
  #roundOperand(name: string, args: Expr[], at: (i: number) => Span | null): void {
    const isRound = (arg: Expr): boolean =>
      isBuffer(arg) ||
      (isAreaRef(arg) && isBuffer(this.#areas.get(arg.args[0]) as Expr)) ||
      (isSeveral(arg) && (arg.args as Expr[]).some(isRound));
    const round = args.findIndex(isRound);
    if (round < 0 || /^S_(INTERSECTS|DISJOINT|DWITHIN|SHARE_IN)$/.test(name)) return;
    throw new FilterError(
      `${name} needs a shape with corners; this is everything within a distance`,
      at(round),
      'What is within a distance can be met (S_INTERSECTS) or lie apart (S_DISJOINT)',
    );
  }

  /** Whether a written geometry can be longitude and latitude. */
  #literal(expr: Expr, span: Span | null): void {
    if (this.#projected || (!isGeometry(expr) && !isBox(expr))) return;
    // One that names its system has coordinates of that.
    if (isGeometry(expr) && systemSaid(expr) !== null) return;
    const box = isBox(expr)
      ? [expr.bbox.slice(0, 2), expr.bbox.slice(-2 - (expr.bbox.length === 6 ? 1 : 0)).slice(0, 2)]
      : [];
    for (const [x, y] of isGeometry(expr) ? positionsIn(expr) : box) {
      if (Math.abs(x) <= 180 && Math.abs(y) <= 90) continue;
      throw new FilterError(
        `${x} ${y} is outside longitude −180…180 and latitude −90…90`,
        span,
        'Longitude comes first. Coordinates of another system need that system named as the filter CRS',
      );
    }
  }

  #amountAndUnit(name: string, args: Expr[], at: (i: number) => Span | null): void {
    if (typeof args[0] !== 'number' || !Number.isInteger(args[0]) || (name !== 'AS_OF' && args[0] < 1))
      throw new FilterError(`${name} takes a whole number${name === 'AS_OF' ? '' : ' of at least 1'}`, at(0));
    if (typeof args[1] !== 'string' || !shiftUnit(args[1]))
      throw new FilterError(
        `${name} needs a unit of time`,
        at(1) ?? at(0),
        "Use 'days', 'weeks', 'months', 'quarters' or 'years'",
        unitReplacement(args[1], SHIFT_UNITS),
      );
  }

  /** A list of values, or a text column whose values are JSON arrays. */
  #array(expr: Expr, span: Span | null, name: string): void {
    if (!Array.isArray(expr)) return void this.expect(expr, ['list', 'text'], span, `Each argument of ${name}`);
    for (const item of expr) if (Array.isArray(item)) this.#array(item, span, name);
  }

  #temporal(expr: Expr, span: Span | null, name: string): void {
    if (typeof expr === 'string' && periodOfText(expr)) return;
    this.expect(expr, ['date', 'datetime', 'interval'], span, `Each argument of ${name}`);
    if (isInterval(expr)) {
      for (const end of expr.interval) {
        if (typeof end !== 'string') this.expect(end, ['date', 'datetime'], span, 'An end of INTERVAL');
      }
    }
  }

  #comparison(op: string, args: Expr[], at: (i: number) => Span | null): ExprType {
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
    if (left === right || (temporal(left) && temporal(right))) return 'boolean';
    for (const [mine, other, i] of [
      [left, right, 1],
      [right, left, 0],
    ] as const) {
      const literal = args[i];
      if (!temporal(mine) || other !== 'text') continue;
      if (typeof literal === 'string' && periodOfText(literal)) return 'boolean';
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

  #mismatchHint(args: Expr[], types: ExprType[]): string | null {
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

  #mismatchReplacement([left, right]: Expr[], types: ExprType[]): string | null {
    if (!isProperty(left)) return null;
    if (types[0] === 'number' && typeof right === 'string' && right.trim() !== '' && Number.isFinite(Number(right)))
      return String(Number(right));
    return types[0] === 'text' && typeof right === 'number' ? printText(String(right)) : null;
  }
}

/** West lies east of east only across the 180° meridian, which a box in a plane does not know (RFC 7946, 5.2). */
function checkBox({ bbox }: BoxLiteral, projected: boolean, span: Span | null): void {
  const half = bbox.length / 2;
  const [[west, south], [east, north]] = [bbox, bbox.slice(half)];
  if (south > north)
    throw new FilterError('The south of the BBOX is north of its north', span, 'BBOX(west, south, east, north)');
  if (projected && west > east)
    throw new FilterError('The west of the BBOX is east of its east', span, 'BBOX(west, south, east, north)');
  if (half === 3 && bbox[2] > bbox[5])
    throw new FilterError('The lowest height of the BBOX is above its highest', span, 'BBOX(west, south, low, east, north, high)'); // prettier-ignore
}

/** The same of every box in an expression. Throws a FilterError. */
export function checkBoxes(expr: Expr, projected: boolean): void {
  exchanged(expr, (node) => {
    if (isBox(node)) checkBox(node, projected, null);
    return null;
  });
}

/** What a relation is about: the column geometry, or the centroid of it. */
export function isSubject(expr: Expr): boolean {
  return isProperty(expr) || isCall(expr, 'CENTROID');
}

function dateReplacement(text: string): string | null {
  const day = quotedDay(text);
  return day && `DATE(${day})`;
}

function unitReplacement(word: Expr, units: readonly string[]): string | null {
  const near = typeof word === 'string' ? nearestName(word, units) : null;
  return near && printText(near);
}

/** Every position of a geometry. */
export function positionsIn(geometry: Geometry): Position[] {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.flatMap(positionsIn);
  const deep = (value: unknown[]): Position[] =>
    typeof value[0] === 'number' ? [value as Position] : (value as unknown[][]).flatMap(deep);
  return deep(geometry.coordinates);
}

/** The name most like the one given, if any is alike: fewest edits, at most a third of its length; case is free. */
export function nearestName(name: string, names: readonly string[]): string | null {
  let best: string | null = null;
  let fewest = Math.floor(name.length / 3) + 1;
  for (const candidate of names) {
    const edits = editDistance(name.toLowerCase(), candidate.toLowerCase());
    if (edits < fewest) [fewest, best] = [edits, candidate];
  }
  return best;
}

/** Levenshtein distance. */
function editDistance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) {
      next[j] = Math.min(row[j] + 1, next[j - 1] + 1, row[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1));
    }
    row = next;
  }
  return row[b.length];
}
