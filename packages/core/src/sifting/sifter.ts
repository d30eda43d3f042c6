import { checkpoint } from '../checkpoint.ts';
import { columnOfNumbers } from '../derive/column_of_values.ts';
import { CRS84, sameCrs, type Crs } from '../crs/crs.ts';
import { inSystem } from '../crs/located.ts';
import { datePrecision, CHUNK_ROWS, type Column, type ColumnChunk } from '../features/column.ts';
import {
  and,
  andNot,
  assertSound,
  copyRows,
  count,
  emptyMask,
  fillRows,
  fullMask,
  has,
  invertRows,
  maskWords,
  not,
  or,
  put,
  type Mask,
} from '../features/mask.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { COMPARISONS, GEOMETRY_NAME, isCall, isProperty, propertiesIn, type Comparison, type Expr, type Call } from '../filters/ast.ts';
import { FilterError } from '../filters/filter_error.ts';
import type { AreaShapes } from '../filters/areas.ts';
import { withShapes } from '../filters/with_shapes.ts';
import { exprKey } from '../filters/expr_key.ts';
import { exchanged } from '../filters/exchange.ts';
import { isOperandRef } from '../filters/operands.ts';
import type { Geos } from '../geos/geos.ts';
import { comparedRange } from '../operators/compare.ts';
import type { TimeRange } from '../operators/operator.ts';
import { operatorNamed, spaceRelation } from '../operators/operator_registry.ts';
import type { Scalar, Time } from '../operators/scalar.ts';
import { DAY_MILLIS } from '../time/calendar.ts';
import { systemByCode } from '../crs/systems_by_code.ts';
import { measuredShapes } from './measured_shapes.ts';
import { markCodes, markMembers, markRange } from './kernels.ts';
import { isWhole, predicate } from './predicate.ts';
import { operandCall, relatesByEngine, spatialVerdict, type Operand, type SpatialContext } from './spatial.ts';
import { comparedVectors } from './vectors.ts';
import { asTime, columnAccessor, constantOf, scalar, type Accessor, type Resolve } from './accessor.ts';

/** Outcome of an expression on every feature. */
export interface Verdict {
  /** Features for which it is true. */
  yes: Mask;
  /** Features for which it is true or unknown; the same object as `yes` where nothing is unknown. */
  possible: Mask;
}

const counts = new WeakMap<Mask, number>();

/** Number of features for which it is true; counted once. */
export function keptOf({ yes }: Verdict): number {
  let kept = counts.get(yes);
  if (kept === undefined) counts.set(yes, (kept = count(yes)));
  return kept;
}

/** Features for which a verdict is unknown. */
export function unknownOf({ yes, possible }: Verdict): Mask {
  return andNot(possible, yes);
}

/** Bytes that remembered verdicts and their expressions may take, for one source. */
const MOST_BYTES = 96 * 2 ** 20;

const bytesOf = (key: string, { yes, possible }: Verdict) => 2 * key.length + yes.byteLength + (possible === yes ? 0 : possible.byteLength);

/**
 * Evaluates filters on one table. Every part of an expression is remembered by its text, so that a change to one
 * condition evaluates that one again and combines the rest.
 */
export class Sifter {
  readonly table: FeatureTable;
  /** The day, since 1970-01-01, that relative dates count from. */
  readonly asOf: number;
  /** The system of the geometries in the expressions. */
  readonly literalCrs: Crs;
  /** Shapes of the areas that expressions may name; what is remembered goes by the shapes, not the names. */
  areas: AreaShapes = new Map();
  /** Systems that literals may say they are in, beside that of the table. */
  systems: readonly Crs[] = [];
  /** Sources and sieves that expressions may name, by `SOURCE name` and `SIEVE name`. */
  operands: ReadonlyMap<string, Operand> = new Map();
  #geos: Geos | null;
  #memory = new Map<string, Verdict>();
  #remembered = 0;
  #resolve: Resolve;
  #measured: FeatureTable;

  /** @param geos needed for the relations that `needsEngine` names */
  constructor(table: FeatureTable, asOf: number, literalCrs: Crs = CRS84, geos: Geos | null = null) {
    this.table = table;
    this.asOf = asOf;
    this.literalCrs = literalCrs;
    this.#geos = geos;
    this.#measured = table;
    this.#resolve = (name) => columnAccessor(this.#measured, name);
  }

  get words(): number {
    return maskWords(this.table.rows);
  }

  /** The expression with the shapes of the areas that it names, and with the operands by their keys. */
  resolve(expr: Expr): Expr {
    // Areas are in longitude and latitude, whatever the literals are in.
    const own = sameCrs(this.literalCrs, CRS84) ? expr : inSystem(expr, this.literalCrs);
    return exchanged(withShapes(own, this.areas), (node) => {
      if (isCall(node) && operatorNamed(node.op)?.evaluation.by === 'shape') return this.#measure(node);
      if (!isOperandRef(node)) return null;
      const operand = this.operands.get(`${node.op} ${node.args[0]}`);
      if (!operand) throw new Error(`There is no ${node.op.toLowerCase()} ${node.args[0]}`);
      return operandCall(operand.key);
    });
  }

  /** The table with what expressions measure of its geometry, as columns that nobody sees. */
  get measured(): FeatureTable {
    return this.#measured;
  }

  /** A measure of the geometry is computed for all rows once, and is a column from then on. */
  #measure(call: Call): Expr {
    const name = `\u0000${exprKey(call)}`;
    const evaluation = operatorNamed(call.op)!.evaluation;
    if (evaluation.by === 'shape' && !columnNamed(this.#measured, name)) {
      const { measure, unit, system } = evaluation;
      const code = system?.(call.args) ?? null;
      const values = measuredShapes(this.table, measure, unit(call.args), code === null ? null : systemByCode(code));
      const column = columnOfNumbers(name, values);
      this.#measured = { ...this.#measured, columns: [...this.#measured.columns, column] };
    }
    return { property: name };
  }

  /**
   * Reads the value of an expression row by row.
   * @param read how columns are read; as they are unless given
   */
  values(named: Expr, read: Resolve = this.#resolve): Accessor {
    return scalar(this.resolve(named), read, this.asOf, (part) => this.#truthOf(part));
  }

  #truthOf(part: Expr): (row: number) => boolean | null {
    const { yes, possible } = this.verdict(part);
    return (row) => (has(yes, row) ? true : has(possible, row) ? null : false);
  }

  get spatialContext(): SpatialContext {
    const operands = new Map([...this.operands.values()].map((operand) => [operand.key, operand]));
    return {
      table: this.table,
      literalCrs: CRS84,
      systems: [this.literalCrs, this.table.crs, ...this.systems],
      geos: this.#geos,
      operands,
    };
  }

  /** Features that are blank in a column of the expression. */
  #blankIn(expr: Expr): Mask {
    return propertiesIn(expr)
      .map((name) => this.verdict({ op: 'isNull', args: [{ property: name }] }).yes)
      .reduce(or, emptyMask(this.table.rows));
  }

  /** Features of which a date in the expression is known to the month or year only. */
  #vagueIn(expr: Expr): Mask {
    const out = emptyMask(this.table.rows);
    for (const name of propertiesIn(expr))
      columnNamed(this.#measured, name)?.chunks.forEach((chunk, chunkNumber) => {
        if (chunk.type !== 'date' || !chunk.precision) return;
        for (let i = 0; i < chunk.rows; i++) if (datePrecision(chunk, i) !== 'day') put(out, chunkNumber * CHUNK_ROWS + i);
      });
    return out;
  }

  /**
   * Whether an expression is true (or, unless `wanted`, false) or could be so as far as vague dates tell. Each test in it
   * takes its dates at their most favourable; what is unknown for any other reason stays unknown.
   */
  #couldBe(expr: Expr, wanted: boolean): Verdict {
    if (isCall(expr, 'not')) return this.#couldBe(expr.args[0], !wanted);
    if (isCall(expr, 'and', 'or')) {
      const combine = (expr.op === 'and') === wanted ? and : or;
      const parts = expr.args.map((part) => this.#couldBe(part, wanted));
      return parts.reduce((a, b) => ({ yes: combine(a.yes, b.yes), possible: combine(a.possible, b.possible) }));
    }
    const { yes, possible } = this.verdict(wanted ? expr : { op: 'not', args: [expr] });
    const vague = and(andNot(possible, or(yes, this.#blankIn(expr))), this.#vagueIn(expr));
    return { yes: or(yes, vague), possible };
  }

  /** What another sieve of the same source keeps, which is never unknown: it keeps a feature or does not. */
  #keptBy({ args: [sieve] }: Call): Verdict {
    const key = isCall(sieve) ? sieve.args[0] : null;
    const operand = typeof key === 'string' ? this.spatialContext.operands.get(key) : undefined;
    if (!operand) throw new Error('There is no such sieve');
    if (operand.table !== this.table)
      throw new FilterError(
        'KEPT_BY needs a sieve of the same source',
        null,
        'For features of another source use a relation in space, as S_INTERSECTS or S_DWITHIN',
      );
    const yes = operand.rows ?? fullMask(this.table.rows);
    return { yes, possible: yes };
  }

  /** @param named checked against the table's columns; areas may stand in it by name */
  verdict(named: Expr): Verdict {
    const expr = this.resolve(named);
    const key = exprKey(expr);
    const known = this.#memory.get(key);
    if (known) {
      this.#memory.delete(key);
      this.#memory.set(key, known);
      return known;
    }
    checkpoint();
    const verdict = this.#evaluate(expr);
    assertSound(verdict.yes, this.table.rows);
    assertSound(verdict.possible, this.table.rows);
    this.#memory.set(key, verdict);
    this.#remembered += bytesOf(key, verdict);
    for (const [oldest, old] of this.#memory) {
      if (this.#remembered <= MOST_BYTES) break;
      this.#memory.delete(oldest);
      this.#remembered -= bytesOf(oldest, old);
    }
    return verdict;
  }

  #evaluate(expr: Expr): Verdict {
    if (typeof expr === 'boolean') {
      const all = expr ? fullMask(this.table.rows) : emptyMask(this.table.rows);
      return { yes: all, possible: all };
    }
    if (isCall(expr, 'and', 'or')) {
      // In halves, each remembered, so that a change to one of many parts combines few of them again.
      const { op, args } = expr;
      const half = args.length >> 1;
      const [a, b] = [args.slice(0, half), args.slice(half)].map((part) => this.verdict(part.length === 1 ? part[0] : { op, args: part }));
      const combine = op === 'and' ? and : or;
      const yes = combine(a.yes, b.yes);
      const sure = a.possible === a.yes && b.possible === b.yes;
      return { yes, possible: sure ? yes : combine(a.possible, b.possible) };
    }
    if (isCall(expr, 'not')) {
      const inner = this.verdict(expr.args[0]);
      const yes = not(inner.possible, this.table.rows);
      return { yes, possible: inner.possible === inner.yes ? yes : not(inner.yes, this.table.rows) };
    }
    const bare = withoutTruth(expr);
    if (bare) return this.verdict(bare);
    if (isCall(expr, 'KEPT_BY')) return this.#keptBy(expr);
    if (isCall(expr, 'COULD_BE')) return this.#couldBe(expr.args[0], true);
    if (isCall(expr) && spaceRelation(expr)) return spatialVerdict(expr, this.spatialContext);
    const vectors = isCall(expr) ? () => comparedVectors(expr, this.#measured, this.asOf) : () => null;
    return this.#kernel(expr) ?? vectors() ?? this.#byDictionary(expr) ?? this.#byRow(expr);
  }

  /** Comparisons of one column with constants, in tight loops over its chunks. */
  #kernel(expr: Expr): Verdict | null {
    if (isProperty(expr)) return this.#onColumn(expr.property, (column) => (column.type === 'boolean' ? booleanMarker(true) : null));
    if (!isCall(expr)) return null;
    const { op, args } = expr;
    const subject = args[0];
    if (op === 'isNull') return this.#isNull(subject);
    if (isProperty(subject)) {
      const constants = (op === 'in' ? (args[1] as Expr[]) : args.slice(1)).map((arg) =>
        constantOf(operatorNamed(op)?.evaluation.by === 'times' ? asTime(arg) : arg, this.asOf),
      );
      if (constants.some((constant) => constant === undefined || constant === null)) return null;
      return this.#onColumn(subject.property, (column) => marker(op, column, constants as Scalar[]));
    }
    const flipped = FLIPPED[op];
    if (flipped && args.length === 2 && isProperty(args[1])) return this.#kernel({ op: flipped, args: [args[1], subject] });
    return null;
  }

  #isNull(subject: Expr): Verdict | null {
    if (!isProperty(subject)) return null;
    const column = columnNamed(this.#measured, subject.property);
    const out = emptyMask(this.table.rows);
    if (column) {
      column.chunks.forEach((chunk, chunkNumber) => copyRows(chunk.validity, out, (chunkNumber * CHUNK_ROWS) >>> 5, chunk.rows));
    } else if (subject.property === GEOMETRY_NAME) {
      this.table.geometry.forEach((chunk, chunkNumber) => {
        for (let row = 0; row < chunk.rows; row++) if (!chunk.isMissing(row)) put(out, chunkNumber * CHUNK_ROWS + row);
      });
    } else return null;
    const yes = not(out, this.table.rows);
    return { yes, possible: yes };
  }

  #onColumn(name: string, markerFor: (column: Column) => Marker | null): Verdict | null {
    const column = columnNamed(this.#measured, name);
    const mark = column && markerFor(column);
    if (!mark) return null;
    const yes = emptyMask(this.table.rows);
    const present = emptyMask(this.table.rows);
    column.chunks.forEach((chunk, chunkNumber) => {
      const word = (chunkNumber * CHUNK_ROWS) >>> 5;
      copyRows(chunk.validity, present, word, chunk.rows);
      mark(chunk, yes, word);
    });
    if (column.chunks.every((chunk) => !chunk.validity)) return { yes, possible: yes };
    and(yes, present, yes);
    return { yes, possible: or(yes, not(present, this.table.rows)) };
  }

  /** An expression over a single text column is decided once for each distinct text. */
  #byDictionary(expr: Expr): Verdict | null {
    const names = propertiesIn(expr);
    const column = names.length === 1 ? columnNamed(this.#measured, names[0]) : undefined;
    const dictionary = column?.dictionary;
    if (!dictionary || !isOfValueAlone(expr)) return null;
    const holds = predicate(
      expr,
      () => (code) => dictionary.at(code),
      this.asOf,
      () => () => null,
    );
    const yes = new Uint8Array(dictionary.size);
    const possible = new Uint8Array(dictionary.size);
    for (let code = 0; code < dictionary.size; code++) {
      const outcome = holds(code);
      yes[code] = outcome === true ? 1 : 0;
      possible[code] = outcome === false ? 0 : 1;
    }
    const sure = this.#onColumn(names[0], () => codeMarker(yes));
    const open = this.#onColumn(names[0], () => codeMarker(possible));
    return sure && open && { yes: sure.yes, possible: open.possible };
  }

  #byRow(expr: Expr): Verdict {
    const holds = predicate(expr, this.#resolve, this.asOf, (part) => this.#truthOf(part));
    const yes = emptyMask(this.table.rows);
    const possible = emptyMask(this.table.rows);
    for (let row = 0; row < this.table.rows; row++) {
      if ((row & 8191) === 0) checkpoint();
      const outcome = holds(row);
      if (outcome !== false) put(possible, row);
      if (outcome) put(yes, row);
    }
    return { yes, possible };
  }

  /** What every feature passes: the verdict of no condition at all. */
  everything(): Verdict {
    const all = fullMask(this.table.rows);
    return { yes: all, possible: all };
  }
}

/** A relation in space that is compared with TRUE or FALSE, as itself or its negation; null for anything else. */
function withoutTruth(expr: Expr): Expr | null {
  if (!isCall(expr, '=', '<>')) return null;
  const at = expr.args.findIndex((arg) => typeof arg === 'boolean');
  const test = expr.args[1 - at];
  if (at < 0 || !isCall(test) || !(spaceRelation(test) || isCall(test, 'COULD_BE'))) return null;
  return (expr.args[at] === true) === (expr.op === '=') ? test : { op: 'not', args: [test] };
}

/** Whether an expression has a relation for which the sifter needs the geometry engine. */
export function needsEngine(expr: Expr): boolean {
  if (Array.isArray(expr)) return expr.some(needsEngine);
  return isCall(expr) && (relatesByEngine(expr) || expr.args.some(needsEngine));
}

type Marker = (chunk: ColumnChunk, out: Mask, word: number) => void;

const FLIPPED: Record<string, string> = { '=': '=', '<>': '<>', '<': '>', '>': '<', '<=': '>=', '>=': '<=' };

/** Whether an expression can be decided by a value that is there: nothing in it asks for blanks or for the feature. */
export function isOfValueAlone(expr: Expr): boolean {
  if (Array.isArray(expr)) return expr.every(isOfValueAlone);
  if (!isCall(expr)) return true;
  const by = operatorNamed(expr.op)?.evaluation.by;
  return expr.op !== 'isNull' && by !== 'choice' && by !== 'shape' && !isWhole(expr) && expr.args.every(isOfValueAlone);
}

function marker(op: string, column: Column, constants: Scalar[]): Marker | null {
  switch (column.type) {
    case 'number':
      return numberMarker(op, constants);
    case 'text':
      return textMarker(op, column, constants);
    case 'boolean':
      return op === '=' || op === '<>' ? booleanMarker((constants[0] === true) === (op === '=')) : null;
    case 'date':
    case 'datetime':
      return timeMarker(op, column, constants);
  }
}

function numberMarker(op: string, constants: Scalar[]): Marker | null {
  if (constants.some((constant) => typeof constant !== 'number')) return null;
  const [a, b] = constants as number[];
  if (op === 'in') {
    const set = new Set(constants as number[]);
    return (chunk, out, word) => chunk.type === 'number' && markMembers(chunk.values, set, out, word);
  }
  const range = op === 'between' ? ([a, b] as const) : comparisonRange(op, a);
  return range && rangeMarker(range[0], range[1], op === '<>');
}

/** The closed range of doubles that a comparison lets through; for <> the one it shuts out. */
function comparisonRange(op: string, bound: number): [number, number] | null {
  switch (op) {
    case '=':
    case '<>':
      return [bound, bound];
    case '<':
      return [-Infinity, neighbour(bound, -1)];
    case '<=':
      return [-Infinity, bound];
    case '>':
      return [neighbour(bound, 1), Infinity];
    case '>=':
      return [bound, Infinity];
    default:
      return null;
  }
}

/** The next double above or below (IEEE 754 nextUp, nextDown). */
function neighbour(value: number, direction: 1 | -1): number {
  if (value === 0) return direction * Number.MIN_VALUE;
  const view = new DataView(new ArrayBuffer(8));
  view.setFloat64(0, value);
  view.setBigInt64(0, view.getBigInt64(0) + BigInt(value > 0 ? direction : -direction));
  return view.getFloat64(0);
}

function rangeMarker(low: number, high: number, invert: boolean): Marker {
  return (chunk, out, word) => {
    const values =
      chunk.type === 'number' ? chunk.values : chunk.type === 'date' ? chunk.days : chunk.type === 'datetime' ? chunk.millis : null;
    if (!values) return;
    const { min, max } = chunk as { min: number; max: number };
    // Chunks whose smallest and largest value settle the matter are not read.
    if (min >= low && max <= high) fillRows(out, word, chunk.rows);
    else if (!(min > high || max < low)) markRange(values, low, high, out, word);
    if (invert) invertRows(out, word, chunk.rows);
  };
}

function textMarker(op: string, column: Column, constants: Scalar[]): Marker | null {
  const dictionary = column.dictionary!;
  if (constants.some((constant) => typeof constant !== 'string')) return null;
  const texts = constants as string[];
  const table = new Uint8Array(dictionary.size);
  if (op === 'in' || op === '=' || op === '<>') {
    for (const text of texts) {
      const code = dictionary.find(text);
      if (code >= 0) table[code] = 1;
    }
    if (op === '<>') for (let code = 0; code < table.length; code++) table[code] ^= 1;
    return codeMarker(table);
  }
  // Codes ascend as the texts do, so an order comparison is a range of codes.
  if (op === '<') table.fill(1, 0, dictionary.rank(texts[0]));
  else if (op === '<=') table.fill(1, 0, dictionary.rank(texts[0], true));
  else if (op === '>') table.fill(1, dictionary.rank(texts[0], true));
  else if (op === '>=') table.fill(1, dictionary.rank(texts[0]));
  else if (op === 'between') table.fill(1, dictionary.rank(texts[0]), dictionary.rank(texts[1], true));
  else return null;
  return codeMarker(table);
}

function codeMarker(table: Uint8Array): Marker {
  // A dictionary can be empty where every value is missing.
  const entries = table.length > 0 ? table : new Uint8Array(1);
  return (chunk, out, word) => chunk.type === 'text' && markCodes(chunk.codes, entries, out, word);
}

function booleanMarker(wanted: boolean): Marker {
  return (chunk, out, word) => {
    if (chunk.type !== 'boolean') return;
    copyRows(chunk.values, out, word, chunk.rows);
    if (!wanted) invertRows(out, word, chunk.rows);
  };
}

function timeMarker(op: string, column: Column, constants: Scalar[]): Marker | null {
  const vague = column.chunks.some((chunk) => chunk.type === 'date' && chunk.precision);
  if (vague || constants.some((constant) => typeof constant !== 'object')) return null;
  const [a, b] = constants as Time[];
  const range = op === 'between' ? overlap(timeRange('>=', a), timeRange('<=', b)) : timeRange(op, a);
  if (!range) return null;
  const invert = range.invert === true;
  if (column.type === 'datetime') return rangeMarker(range.from, range.to - 1, invert);
  // A day counts by its first or its last millisecond, whichever the operator looks at.
  const low = range.whole ? Math.ceil(range.from / DAY_MILLIS) : Math.floor(range.from / DAY_MILLIS);
  const high = range.whole ? Math.floor(range.to / DAY_MILLIS) - 1 : Math.ceil(range.to / DAY_MILLIS) - 1;
  return rangeMarker(low, high, invert);
}

function timeRange(op: string, time: Time): TimeRange | null {
  if (isComparison(op)) return comparedRange(op, time);
  const evaluation = operatorNamed(op)?.evaluation;
  return evaluation?.by === 'times' ? (evaluation.range?.(time) ?? null) : null;
}

function overlap(a: TimeRange | null, b: TimeRange | null): TimeRange | null {
  return a && b && { from: Math.max(a.from, b.from), to: Math.min(a.to, b.to), whole: false };
}

/** Whether an operator compares two values by their order or equality. */
export const isComparison = (op: string): op is Comparison => (COMPARISONS as readonly string[]).includes(op);
