import { checkpoint } from '../checkpoint.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { count, emptyMask, has, maskOf, put, rowsOf, type Mask } from '../features/mask.ts';
import { Shape } from '../space/shape.ts';
import { boxesAround, NearestRow } from '../space/within_distance.ts';
import { intersectionTest } from '../space/intersects.ts';
import { distanceRelation } from './pair_tests.ts';
import { eachRelated, type EarthSides, type SpatialRelation } from './relation_sides.ts';

/** Farther than any two places on the earth, in metres. */
export const FARTHEST = 2.1e7;
const FIRST_RADIUS = 100;

/** Rows of mine within a distance in metres, on the ellipsoid, of anything of theirs. */
export function withinMask({ mine, theirs, meeting }: EarthSides, rows: number, metres: number): Mask {
  const hit = emptyMask(rows);
  const relation = { mine, theirs, first: meeting, test: distanceRelation(metres), lost: null };
  eachRelated(
    relation,
    (row) => has(hit, row),
    (row) => put(hit, row),
  );
  return hit;
}

/**
 * The k rows of mine that are nearest to anything of theirs, on the ellipsoid; what is as near as the last of them is among them.
 * @param rows rows of mine in all
 */
export function nearestMask(sides: EarthSides, rows: number, k: number): Mask {
  let [low, high] = [0, FIRST_RADIUS];
  let found = withinMask(sides, rows, high);
  while (count(found) < k && high < FARTHEST) {
    [low, high] = [high, high * 2];
    found = withinMask(sides, rows, high);
  }
  // Of far more than are wanted, most are ruled out by a smaller radius before distances are measured.
  while (count(found) > 4 * k + 64 && high - low > 1e-3) {
    const middle = (low + high) / 2;
    const fewer = withinMask(sides, rows, middle);
    if (count(fewer) < k) low = middle;
    else [high, found] = [middle, fewer];
  }
  const near = rowsOf(found);
  const distances = Float64Array.from(near, (row) => nearestOf(sides, row, high).distance);
  const kth = distances.toSorted()[Math.min(k, near.length) - 1];
  return maskOf(
    near.filter((_, i) => distances[i] <= kth),
    rows,
  );
}

/**
 * The nearest of theirs to one row of mine and how far it is, in metres on the ellipsoid.
 * @param within where nothing is nearer, the distance is Infinity and the row -1
 */
export function nearestOf(sides: EarthSides, row: number, within: number): { distance: number; other: number } {
  checkpoint();
  const { mine, theirs, meeting } = sides;
  const met = meeting ? metBy(meeting, row) : -1;
  if (met >= 0) return { distance: 0, other: met };
  const chunk = mine.chunks[Math.floor(row / CHUNK_ROWS)];
  const shape = Shape.ofRow(chunk, row % CHUNK_ROWS);
  const nearest = new NearestRow(shape);
  for (const box of boxesAround(shape.box, within)) {
    for (const [chunkNumber, candidates] of theirs.chunks.entries()) {
      // Of several as near the first row is the nearest, whatever order the index has.
      for (const candidate of candidates.rowsInBox(box).sort((a, b) => a - b)) {
        const at = chunkNumber * CHUNK_ROWS + candidate;
        if ((theirs.rows && !has(theirs.rows, at)) || (theirs.same && at === row)) continue;
        nearest.look(candidates, candidate, at);
      }
    }
  }
  const { distance, tag: other } = nearest.nearest();
  return distance <= within ? { distance, other } : { distance: Infinity, other: -1 };
}

/** The first of theirs that a row of mine meets, or -1. */
function metBy({ first, mine, theirs }: SpatialRelation, row: number): number {
  const before = first ? metBy(first, row) : -1;
  if (before >= 0) return before;
  const own = Shape.ofRow(mine.chunks[Math.floor(row / CHUNK_ROWS)], row % CHUNK_ROWS);
  let met = -1;
  for (const [chunkNumber, chunk] of theirs.chunks.entries()) {
    const meets = intersectionTest(chunk, own);
    for (const candidate of chunk.rowsInBox(own.box)) {
      const at = chunkNumber * CHUNK_ROWS + candidate;
      if ((theirs.rows && !has(theirs.rows, at)) || (theirs.same && at === row)) continue;
      if ((met < 0 || at < met) && meets(candidate)) met = at;
    }
  }
  return met;
}

/**
 * The same as far as theirs are here. @param from a distance from which on farther ones are tried; null when theirs have no place, or lie
 * farther off than they are here
 */
export function nearestAnywhere(sides: EarthSides, row: number, from: number): { distance: number; other: number } | null {
  const farthest = Math.min(sides.reach, 2 * FARTHEST);
  for (let within = Math.max(from, 1); ; within *= 2) {
    const nearest = nearestOf(sides, row, Math.min(within, farthest));
    if (nearest.other >= 0) return nearest;
    if (within >= farthest) return null;
  }
}
