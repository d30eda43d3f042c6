import type { Mask } from '../features/mask.ts';
import { eachPair, type PairTest, type Side } from './pairs.ts';

/** A relation with its two sides in one system, ready to be evaluated. */
export interface SpatialRelation {
  /** What surely holds, before the test between the sides; null where the test says all. */
  first: SpatialRelation | null;
  mine: Side;
  theirs: Side;
  test: PairTest;
  /** Rows of mine that the system cannot express: nothing is known of them. */
  lost: Mask | null;
}

/** The two sides of a relation or a distance. */
export interface BothSides {
  mine: Side;
  theirs: Side;
  lost: Mask | null;
}

/** Both sides of a distance on the ellipsoid. */
export interface EarthSides extends BothSides {
  /** What surely is at no distance, where the sides' own edges do not tell it. */
  meeting: SpatialRelation | null;
  /** How far round mine all of theirs are here, in metres: what is farther is not told. */
  reach: number;
}

/** Calls with every pair of rows that are in a relation; a pair can come more than once. */
export function eachRelated(
  { first, mine, theirs, test }: SpatialRelation,
  settled: (row: number) => boolean,
  visit: (row: number, other: number) => void,
): void {
  if (first) eachRelated(first, settled, visit);
  eachPair(mine, theirs, test, settled, visit);
}
