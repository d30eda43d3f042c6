import { PLAIN_STYLE, type BySteps, type ByValues, type Classing, type ClassMark, type Style, type ValueCount } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { PALETTE } from '../words/palette.ts';

/** Classes that a column of values begins with; more are not told apart at a glance. */
const FIRST_VALUES = 7;
/** A number of no more different values than this is drawn by its values. */
const FEW = 7;

/** A colour and a shape for each class, each pair once before one comes again. */
export const markOf = (number: number): ClassMark => ({
  colour: number % PALETTE.length,
  shape: (number + Math.floor(number / PALETTE.length)) % PALETTE.length,
});

/** Whether a column is best drawn by its values rather than by steps. */
export const isByValues = ({ type, distinct, codeList }: ColumnInfo): boolean =>
  type === 'text' || type === 'boolean' || (type === 'number' && (codeList !== null || distinct <= FEW));

/** The most frequent values, each a class. @param counts most frequent first */
export function firstValues(column: ColumnInfo, counts: readonly ValueCount[]): ByValues {
  const classes = counts.slice(0, FIRST_VALUES).map(({ value }, i) => ({ value, mark: markOf(i) }));
  return { kind: 'values', column: column.name, classes };
}

/** Whether values lie on both sides of 0, which colours then part from. */
export const isTwoSided = ({ type, min, max }: ColumnInfo): boolean =>
  type === 'number' && typeof min === 'number' && typeof max === 'number' && min < 0 && max > 0;

/** Steps as a column begins with. @param bounds natural breaks, or round ones for what has two sides and for times */
export function firstSteps(column: ColumnInfo, method: BySteps['method'], bounds: number[]): BySteps {
  const at = bounds.indexOf(0);
  const twoWay = isTwoSided(column) && at >= 0;
  return { kind: 'steps', column: column.name, method, bounds, ramp: twoWay ? 'tide and ember' : 'tide', middle: twoWay ? at : null };
}

export const styled = (classing: Classing | null, before: Style | null): Style => ({ ...(before ?? PLAIN_STYLE), classing, hidden: [] });
