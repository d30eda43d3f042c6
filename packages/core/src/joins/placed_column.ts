import { CRS84 } from '../crs/crs.ts';
import { columnOfNumbers } from '../derive/column_of_values.ts';
import type { Column } from '../features/column.ts';
import { has } from '../features/mask.ts';
import { takeColumns } from '../features/subset.ts';
import type { FeatureTable } from '../features/table.ts';
import { operandRef } from '../filters/operands.ts';
import type { Geos } from '../geos/geos.ts';
import { nearestAnywhere, nearestOf } from '../sifting/nearest.ts';
import { Sifter } from '../sifting/sifter.ts';
import { distanceSides, presentRows } from '../sifting/spatial.ts';
import { membershipOf } from '../zones/membership.ts';

/** Which feature of another source belongs to a feature by its place: the first zone that it meets, or the nearest feature. */
export const PLACED_BY = ['within', 'nearest'] as const;
export type PlacedBy = (typeof PLACED_BY)[number];

/** For each feature the one of another source that belongs to it by place. */
export interface Placed {
  /** The row of the other source; -1 where there is none. */
  rows: Int32Array;
  /** How far it is, in metres on the ellipsoid; NaN where there is none. */
  metres: Float64Array<ArrayBuffer>;
  /** How many features lie in several zones, of which the first is taken. */
  several: number;
}

/** From this distance on farther ones are tried. */
const FIRST_TRY = 100;

/**
 * Finds for each feature the one of another source that belongs to it by place: of several zones, and of several as near, the first row.
 * @param most the nearest is at most so many metres away; null: however far
 * @throws FilterError where zones are asked for and the other source has no polygons
 */
export function placedBy(own: FeatureTable, other: FeatureTable, by: PlacedBy, most: number | null, geos: Geos | null): Placed {
  if (by === 'within') {
    const { firstOf, zonesOf } = membershipOf(own, other, geos);
    const several = zonesOf.reduce((sum, zones) => sum + (zones > 1 ? 1 : 0), 0);
    return { rows: firstOf, metres: Float64Array.from(firstOf, (row) => (row < 0 ? NaN : 0)), several };
  }
  const sifter = new Sifter(own, 0, CRS84, geos);
  sifter.operands = new Map([['SOURCE other', { key: 'other', table: other, rows: null }]]);
  const sides = distanceSides(sifter, operandRef('SOURCE', 'other'));
  const present = presentRows(own);
  const placed: Placed = { rows: new Int32Array(own.rows).fill(-1), metres: new Float64Array(own.rows).fill(NaN), several: 0 };
  for (let row = 0; row < own.rows; row++) {
    if (!has(present, row) || (sides.lost && has(sides.lost, row))) continue;
    const nearest = most === null ? nearestAnywhere(sides, row, FIRST_TRY) : nearestOf(sides, row, most);
    if (!nearest || nearest.other < 0) continue;
    placed.rows[row] = nearest.other;
    // To the millimetre; what is measured says no more.
    placed.metres[row] = Math.round(nearest.distance * 1000) / 1000;
  }
  return placed;
}

/** The values of a column of the other source beside the features; of null the distances, in metres. */
export function placedColumn({ rows, metres }: Placed, of: Column | null, name: string): Column {
  if (of === null) return columnOfNumbers(name, metres.slice());
  const [{ type, chunks, dictionary }] = takeColumns([of], rows);
  return { name, type, chunks, dictionary };
}
