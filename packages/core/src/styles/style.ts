import type { Value } from '../features/column.ts';
import type { BreakMethod } from './breaks.ts';

/** How one class is marked: numbers of a colour and of a shape (for polygons a hatching), so that nothing rests on colour alone. */
export interface ClassMark {
  colour: number;
  shape: number;
}

/** Runs of colours from the lowest class to the highest, and those that part in two directions from a middle. */
export const RAMPS = ['moss', 'ember', 'tide', 'plum'] as const;
export const TWO_WAY_RAMPS = ['tide and ember', 'plum and moss'] as const;
export type Ramp = (typeof RAMPS)[number] | (typeof TWO_WAY_RAMPS)[number];

/** A class for each of some values of a column, in this order; other values are the rest, and blanks a class of their own. */
export interface ByValues {
  kind: 'values';
  column: string;
  classes: { value: Exclude<Value, null>; mark: ClassMark }[];
}

/** Classes of a column of numbers or times, parted by bounds: a value that is a bound belongs to the class above it. */
export interface BySteps {
  kind: 'steps';
  column: string;
  /** How the bounds came about; `continuous`: so many equal intervals that they are read as one run of colours. */
  method: BreakMethod | 'own' | 'continuous';
  /** Ascending; times as days or milliseconds since 1970-01-01. */
  bounds: number[];
  ramp: Ramp;
  /** Two-way: the number of the bound from which the colours part. */
  middle: number | null;
  /** Each class has a shape and a hatching of its own beside its colour. */
  patterned?: boolean;
}
export type Classing = ByValues | BySteps;

/** Points as large as a number of theirs: the areas of their marks are to one another as the numbers. */
export interface BySize {
  kind: 'sizes';
  column: string;
}
/** The radius of the largest mark is so many levels, of the others as many as they have of that; 0 where there is nothing to show. */
export const LARGEST_LEVEL = 255;

/** How features are drawn that a sieve keeps, or those of a source as a whole. */
export interface Style {
  classing: Classing | null;
  /** Classes that are not drawn. */
  hidden: number[];
  /** 0.1 to 1. */
  opacity: number;
  /** Times as large as usual: points, and the width of lines. */
  size?: number;
  /** The column of which each feature's value is written beside it; null or not said: none. */
  label?: string | null;
  /** The column of numbers that points are as large as; null or not said: none. */
  sizeBy?: string | null;
}

/** Numbers of the classes beside those of the classing. */
export const REST = 254;
export const BLANK = 255;
export const MOST_CLASSES = 64;
/** Classes of a continuous run of colours. */
export const RUN_CLASSES = 48;

export const PLAIN_STYLE: Style = { classing: null, hidden: [], opacity: 1 };
