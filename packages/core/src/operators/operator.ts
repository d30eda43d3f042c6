import type { ColumnType } from '../features/column.ts';
import type { AreaShapes } from '../filters/areas.ts';
import type { Expr } from '../filters/ast.ts';
import type { Span } from '../filters/filter_error.ts';
import type { OperandNames } from '../filters/operands.ts';
import type { CalendarPart } from '../time/calendar_part.ts';
import type { Period } from '../time/period.ts';
import type { Members } from './arrays.ts';
import type { Scalar } from './scalar.ts';

/** What an expression yields. */
export type ExprType = ColumnType | 'interval' | 'geometry' | 'list';

/** An operator or function of the filter language: all that any part of the program has to know of it. */
export interface Operator {
  /** As the tree and CQL2 JSON spell it: what the standard has, as its JSON does; what stands beside it, in capitals. */
  name: string;
  syntax: Syntax;
  /** Fewest and most arguments. */
  arity: readonly [least: number, most: number];
  /** Whether CQL2 (OGC 21-065r2) defines it, rather than its rule for functions. */
  standard: boolean;
  /** Null: that of its arguments, which `check` tells. */
  result: ExprType | null;
  /** A condition can say the contrary of it by itself, without a group of what must not hold. */
  deniable?: true;
  help: Help;
  /** Checks the arguments, of which there are as many as `arity` says. Throws a FilterError. @returns the type of the result, where that hangs on them */
  check: (call: Checking) => ExprType | void;
  /** In a sentence. */
  prose: (args: readonly Expr[], tell: Telling) => string;
  evaluation: Evaluation;
  /** It has another value on another as-of date. */
  asOf?: true;
  /** Why there is no value where all that it is given is there, said of the first argument: “is no number”. */
  fails?: string;
}

/** How the text writes an operator. */
export type Syntax =
  | { kind: 'function' }
  /** `a sign b`; the level is that of the grammar, and what stands at one level is read from the left. */
  | { kind: 'infix'; sign: string; level: 'comparison' | 'sum' | 'product' | 'power' }
  /** `a WORD b WORD c`. */
  | { kind: 'joint'; word: 'AND' | 'OR' }
  | { kind: 'prefix'; word: 'NOT' }
  /** A phrase of the grammar that takes a NOT within; `print` gets its arguments as they are written. */
  | { kind: 'phrase'; word: string; print: (args: readonly string[], list: readonly string[], not: string) => string };

/** What help says of an operator. */
export interface Help {
  /** How it is written, with `column` for a column that fits. */
  usage: string;
  meaning: string;
  /** The column of the usage is a date; a text otherwise. */
  dated?: true;
}

/** A call as the checker hands it to its operator. Spans are null where the filter did not come as a text. */
export interface Checking {
  /** As the text spells the operator. */
  name: string;
  args: readonly Expr[];
  span: Span | null;
  at: (i: number) => Span | null;
  /** Spans of the members of a list among the arguments. */
  inList: (list: Expr, i: number) => Span | null;
  typeOf: (expr: Expr, span: Span | null) => ExprType;
  /** Throws a FilterError that says `what` must be one of the types. */
  expect: (expr: Expr, types: readonly ExprType[], span: Span | null, what: string) => ExprType;
  /** Checks that two expressions can be compared; `sign` is the operator in the message. Throws a FilterError. */
  comparable: (sign: string, sides: readonly Expr[], at: (i: number) => Span | null) => void;
  /** The operator's usage in terms of the columns, as a hint. */
  example: string;
  /** Geometries in the filter are in a projected system, so their coordinates can have any size. */
  projected: boolean;
  areas: AreaShapes;
  operands: OperandNames;
}

/** What an operator needs to be told in a sentence. */
export interface Telling {
  /** @param bracketed brackets round what is put together itself */
  say: (expr: Expr, bracketed?: boolean) => string;
  list: (items: readonly string[]) => string;
  /** Whether it is a date or date-time. */
  timed: (expr: Expr) => boolean;
}

/** What is measured of a geometry. */
export type ShapeMeasure = 'area' | 'length' | 'perimeter' | 'lon' | 'lat' | 'x' | 'y' | 'parts' | 'corners';

export type Evaluation =
  /** Put together of other truths, or asks whether something is there: AND, OR, NOT, IS NULL, LIKE, BETWEEN, IN. */
  | { by: 'logic' }
  | { by: 'comparison' }
  /** Of the values of a row; null is unknown. `block` computes many numbers at once. */
  | { by: 'value'; apply: (args: Scalar[], asOf: number) => Scalar | null; block?: BlockForm }
  /** Of the values of a row, blanks among them. `branches`: the first is a condition that chooses between the two others. */
  | { by: 'choice'; choose: (args: (Scalar | null)[]) => Scalar | null; branches?: true }
  /** Of the geometry of a row. `unit`: metres, or square metres, in a unit of the result. */
  | { by: 'shape'; measure: ShapeMeasure; unit: (args: readonly Expr[]) => number; system?: (args: readonly Expr[]) => string | null }
  /** Between two times. `range`: what a column's value has to lie in, for loops over a column. */
  | { by: 'times'; relate: (a: Period, b: Period) => boolean; range?: (time: Period) => TimeRange }
  | { by: 'arrays'; relate: (a: Members, b: Members) => boolean }
  /** Stands for a shape or several, and is replaced by them before anything is evaluated. */
  | { by: 'place' }
  /** Between shapes, decided for all rows at once. */
  | { by: 'space'; relation: SpaceRelation }
  /** Of other verdicts on all rows at once. */
  | { by: 'verdict' };

/** A value computed for a block of rows. */
export type BlockForm =
  /** Writes `a op b` for every row. @returns 0, or NaN where some result is not finite */
  | { kind: 'numbers'; loop: (a: Float64Array, b: Float64Array, out: Float64Array, rows: number) => number }
  | { kind: 'part'; part: CalendarPart }
  /** A function of numbers alone, a row at a time; the array that it is given is used again. */
  | { kind: 'each'; apply: (args: Scalar[], asOf: number) => Scalar | null }
  /** Days from one time to another. */
  | { kind: 'days' };

/** Which times pass: those that overlap the range, or lie in it. Milliseconds since 1970-01-01. */
export interface TimeRange {
  from: number;
  to: number;
  /** The value has to lie in the range as a whole, rather than overlap it. */
  whole: boolean;
  /** What lies in it is left out instead. */
  invert?: true;
}

/** How two shapes lie to one another, or how far. */
export type SpaceRelation =
  /** Sharing at least one point, or none. */
  | { kind: 'meeting'; denied: boolean; area: AreaWords | null }
  | ({ kind: 'engine'; area: AreaWords } & EngineRelation)
  | { kind: 'distance' | 'nearest' | 'share' };

/** A relation that the geometry engine decides. All of these imply that the two share a point. */
export interface EngineRelation {
  /** The engine's test of a prepared shape against another, as the first and as the second operand; null: the plain test of equality. */
  prepared: { first: EngineTest; second: EngineTest } | null;
  /** Which operand has to hold all of the other one; none of them where that is not so. */
  holder: 'first' | 'second' | 'both' | null;
  /** Where a single point has to lie to polygons that are the other operand: as the first, and as the second. */
  point: { first: PointPlace; second: PointPlace };
}
export type EngineTest = 'Contains' | 'Within' | 'Touches' | 'Crosses' | 'Overlaps' | 'Covers' | 'CoveredBy';
export type PointPlace = 'inside' | 'boundary' | 'either' | 'nowhere';

/** A relation among those that a condition in space offers. */
export interface AreaWords {
  /** Before the name of the area: "Lying within". */
  words: string;
  /** After the feature, in the list of what can be asked: "lies within it". */
  test: string;
  /** Offered for points too. */
  points: boolean;
  /** What is kept can be handed over as the part of it that lies in the area. */
  cut: boolean;
  /** Offered before those that are asked less. */
  common?: true;
  note?: string;
  /** The relation by which it is said when the other operand comes first. */
  turned: string;
}
