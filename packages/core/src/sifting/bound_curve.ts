import { checkpoint } from '../checkpoint.ts';
import { andNot, count, countAnd, rowsOf, type Mask } from '../features/mask.ts';
import { isCall, type Expr } from '../filters/ast.ts';
import { exprOfTree, findNode, replaceNode, withoutBlanks, type Group } from '../filters/tree.ts';
import { distanceSteps, movableOf, REACH, STEPS, type Movable, type Side, type Sure } from './movable.ts';
import type { Sifter } from './sifter.ts';

/** How many features a tree keeps as one bound of one condition moves. */
export interface BoundCurve extends Pick<Movable, 'scale' | 'unit' | 'passes' | 'at'> {
  /** Bounds in ascending order with the exact number kept at each. */
  points: { at: number; kept: number }[];
}

/** Above so many distinct values the curve is given at even steps instead of at each value. */
const MOST_POINTS = STEPS;

/** @returns null when the condition has no bound that can be moved, or no feature a value to compare */
export function boundCurve(sifter: Sifter, root: Group, id: string, side: Side): BoundCurve | null {
  const counter = keptCounter(sifter, root, id, side, REACH, true);
  if (!counter) return null;
  const { movable, fixed, values, keptAt } = counter;
  const { scale, unit, passes, at } = movable;
  // A range is never turned upside down.
  const inOrder = (position: number) => !fixed || (fixed.passes === 'above' ? position >= fixed.at : position <= fixed.at);
  const points = positions(values, movable)
    .filter(inOrder)
    .map((position) => ({ at: position, kept: keptAt(position) }));
  return points.length === 0 ? null : { scale, unit, passes, at, points };
}

/** A bound that would keep something where nothing is kept now. */
export interface NearestBound {
  id: string;
  side: Side;
  at: number;
  kept: number;
  expr: Expr;
}

/** The bound nearest to the present one that lets a feature through; null when no bound of this condition does. */
export function nearestBound(sifter: Sifter, root: Group, id: string, side: Side): NearestBound | null {
  const node = findNode(root, id)?.node;
  const near = node?.kind === 'condition' && !node.off ? movableOf(sifter, node.expr, side) : null;
  if (near?.nearest && near.passes === 'below') return nearestOf(sifter, root, id, side, near);
  let counter = keptCounter(sifter, root, id, side);
  // Nothing within reach of a radius: look ever farther, to beyond the other side of the earth.
  const farthest = counter?.movable.farthest ?? Infinity;
  for (let reach = REACH * 8; counter?.values[0] === Infinity && counter.movable.at * reach < Math.min(1e12, farthest); reach *= 8)
    counter = keptCounter(sifter, root, id, side, reach);
  if (!counter || counter.values.length === 0) return null;
  const { movable, values, keptAt } = counter;
  const best = movable.passes === 'above' ? values[values.length - 1] : values[0];
  if (best === Infinity) return null;
  const at = roundedTowards(best, movable);
  const kept = keptAt(at);
  return kept === 0 ? null : { id, side, at, kept, expr: movable.moved(at) };
}

/** The same for a distance, of which only the least one is measured. */
function nearestOf(sifter: Sifter, root: Group, id: string, side: Side, movable: Movable): NearestBound | null {
  const gained = andNot(keptWith(sifter, root, id, true), keptWith(sifter, root, id, false));
  const least = count(gained) === 0 ? null : movable.nearest!(gained);
  if (least === null) return null;
  const at = roundedTowards(least, movable);
  const expr = movable.moved(at);
  const kept = keptBy(
    sifter,
    replaceNode(root, id, (node) => ({ ...node, expr }) as typeof node),
  );
  return kept === 0 ? null : { id, side, at, kept, expr };
}

/** The bound as a person would write it that still lets the value through. */
function roundedTowards(value: number, { scale, passes, strict }: Movable): number {
  const outwards = passes === 'above' ? -1 : 1;
  if (scale === 'day' || scale === 'amount') return strict ? value + outwards : value;
  if (scale === 'number' && !strict) return value;
  const step = 10 ** Math.floor(Math.log10(Math.abs(value) || 1) - 2);
  const rounded = (outwards > 0 ? Math.ceil(value / step) : Math.floor(value / step)) * step;
  const tidy = Number(rounded.toPrecision(12));
  return strict && tidy === value ? Number((value + outwards * step).toPrecision(12)) : tidy;
}

interface KeptCounter {
  movable: Movable;
  /** The other end of a range. */
  fixed: Movable | null;
  /** Values on which the bound decides, ascending. */
  values: Float64Array;
  keptAt: (bound: number) => number;
}

/**
 * The rest of the tree is evaluated twice, with the condition always true and always false; where the two differ,
 * the bound decides, and the sorted values there answer for every bound.
 */
function keptCounter(sifter: Sifter, root: Group, id: string, side: Side, reach = REACH, stepsOnly = false): KeptCounter | null {
  const node = findNode(root, id)?.node;
  if (node?.kind !== 'condition' || node.off) return null;
  const movable = movableOf(sifter, node.expr, side);
  if (!movable) return null;
  const [whenTrue, whenFalse] = [true, false].map((constant) => keptWith(sifter, root, id, constant));
  const gained = andNot(whenTrue, whenFalse);
  const lost = andNot(whenFalse, whenTrue);
  const keepsBlanks = isCall(node.expr, 'or') && withoutBlanks(node.expr) !== null;
  const fixed = otherEnd(sifter, node.expr, side);
  const bounds = stepsOnly && movable.scale === 'distance' ? distanceSteps(movable.at) : undefined;
  const gain = partsOf(movable, gained, fixed, 'passes', reach, bounds);
  const loss = partsOf(movable, lost, fixed, 'fails', reach, bounds);
  const certain = countAnd(whenTrue, whenFalse) + (keepsBlanks ? gain.blank : 0) + loss.beyond;
  return {
    movable,
    fixed,
    values: gain.values.length > 0 ? gain.values : loss.values,
    keptAt: (bound) => certain + passing(gain.values, bound, movable) + (loss.values.length - passing(loss.values, bound, movable)),
  };
}

function keptWith(sifter: Sifter, root: Group, id: string, constant: boolean): Mask {
  const tree = replaceNode(root, id, (node) => (node.kind === 'condition' ? { ...node, expr: constant } : node));
  const expr = exprOfTree(tree);
  return (expr === null ? sifter.everything() : sifter.verdict(expr)).yes;
}

/** Of a range, the end that stays where it is: rows beyond it are kept by no bound of the other. */
function otherEnd(sifter: Sifter, expr: Expr, side: Side): Movable | null {
  if (!movableOf(sifter, expr, 'low') || !movableOf(sifter, expr, 'high')) return null;
  const other = movableOf(sifter, expr, side === 'low' ? 'high' : 'low')!;
  return other.passes === movableOf(sifter, expr, side)!.passes ? null : other;
}

interface Parts {
  /** Values on which the bound decides, ascending. */
  values: Float64Array;
  blank: number;
  /** Rows that the end which stays shuts out. */
  beyond: number;
}

function partsOf(movable: Movable, mask: Mask, fixed: Movable | null, sure: Sure, reach: number, bounds?: readonly number[]): Parts {
  checkpoint();
  const rows = rowsOf(mask);
  if (rows.length === 0) return { values: new Float64Array(0), blank: 0, beyond: 0 };
  const all = movable.valuesOf(rows, sure, reach, bounds);
  checkpoint();
  const ends = fixed?.valuesOf(rows, sure);
  const within = new Float64Array(rows.length);
  let [n, blank] = [0, 0];
  for (let i = 0; i < all.length; i++) {
    if ((i & 0xffff) === 0) checkpoint();
    const value = all[i];
    if (Number.isNaN(value)) blank++;
    else if (!fixed || (fixed.passes === 'above' ? ends![i] >= fixed.at : ends![i] <= fixed.at)) within[n++] = value;
  }
  checkpoint();
  return { values: within.subarray(0, n).sort(), blank, beyond: rows.length - blank - n };
}

function passing(values: Float64Array, bound: number, { passes, strict }: Movable): number {
  return passes === 'above' ? values.length - countBelow(values, bound, strict) : countBelow(values, bound, !strict);
}

/** How many of the ascending values are below the bound; with `orEqual`, on it too. */
function countBelow(values: Float64Array, bound: number, orEqual: boolean): number {
  let [low, high] = [0, values.length];
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (values[middle] < bound || (orEqual && values[middle] === bound)) low = middle + 1;
    else high = middle;
  }
  return low;
}

function positions(known: Float64Array, { at, scale }: Movable): number[] {
  const values = known.filter(Number.isFinite);
  if (values.length === 0) return [];
  if (scale === 'distance') return [...new Set(distanceSteps(at))];
  const distinct = new Set<number>();
  for (const value of values) if (distinct.size <= MOST_POINTS) distinct.add(value);
  if (distinct.size <= MOST_POINTS) return [...distinct.add(at)].sort((a, b) => a - b);
  const low = Math.min(values[0], at);
  const high = Math.max(values[values.length - 1], at);
  const whole = scale === 'day' || scale === 'amount';
  const steps = Array.from({ length: MOST_POINTS + 1 }, (_, i) => low + ((high - low) * i) / MOST_POINTS);
  return [...new Set([...steps.map((step) => (whole ? Math.round(step) : step)), at])].sort((a, b) => a - b);
}

/** Number of features that a tree keeps. */
export function keptBy(sifter: Sifter, root: Group): number {
  const expr = exprOfTree(root);
  return count((expr === null ? sifter.everything() : sifter.verdict(expr)).yes);
}
