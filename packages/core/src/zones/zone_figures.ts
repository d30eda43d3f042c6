import { checkpoint } from '../checkpoint.ts';
import { columnOfNumbers } from '../derive/column_of_values.ts';
import { sortKeyAt, valueAt, type Column, type ColumnType } from '../features/column.ts';
import { has, type Mask } from '../features/mask.ts';
import { takeColumns } from '../features/subset.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { FilterError } from '../filters/filter_error.ts';
import { exactSum } from '../profiles/column_profile.ts';
import { quantile } from '../profiles/quantile.ts';
import { measuredShapes } from '../sifting/measured_shapes.ts';
import { AREA_UNITS, areaUnit, LENGTH_UNITS, lengthUnit } from '../space/units.ts';
import type { Membership } from './membership.ts';
import { checkSpread, isOfPart, type ZonePart } from './zone_parts.ts';

/** What can be told of the features in a zone. */
export const ZONE_FIGURES = ['count', 'share', 'sum', 'mean', 'median', 'min', 'max', 'deviation', 'distinct', 'area', 'length'] as const;
export type ZoneFigureKind = (typeof ZONE_FIGURES)[number];

/**
 * What becomes of a feature in several zones: it counts in each of them, in the first of them only, or in each by the part of it that
 * lies there, points in equal parts.
 */
export const IN_SEVERAL = ['each', 'first', 'part'] as const;
export type InSeveral = (typeof IN_SEVERAL)[number];

/** A figure of the features in each zone. */
export interface ZoneFigure {
  kind: ZoneFigureKind;
  /** The column of the features that it is of; null for counts, shares, areas and lengths. */
  column: string | null;
  /** A column of numbers that each feature weighs; null where all weigh the same. Of sums and means only. */
  weight: string | null;
  /** The unit of areas and lengths; null for others. */
  unit: string | null;
  several: InSeveral;
  /** Only the features of some values count; none: whatever their values are. A share is then of all that is kept in the zone. */
  part?: ZonePart;
}

/** The type of a figure's column. Throws a FilterError where the figure cannot be of that column. */
export function zoneFigureType(columns: readonly { name: string; type: ColumnType }[], figure: ZoneFigure): ColumnType {
  const { kind, column: name, weight, unit, several, part } = figure;
  const refuse = (message: string, hint: string | null = null) => {
    throw new FilterError(message, null, hint);
  };
  const columnOf = (wanted: string) => {
    const column = columns.find((one) => one.name === wanted);
    if (!column) throw new FilterError(`There is no column ${wanted} to sum up`);
    return column;
  };
  if (part) checkSpread(columnOf(part.column), part.by);
  if (weight !== null) {
    if (kind !== 'sum' && kind !== 'mean') refuse(`A ${kind} is not weighted`, 'Weigh a sum or a mean');
    if (columnOf(weight).type !== 'number') refuse(`${weight} holds no numbers to weigh by`);
  }
  if (several === 'part' && !['count', 'sum', 'mean', 'area', 'length'].includes(kind))
    refuse(`A ${kind} cannot be taken in parts`, 'Count what lies in several zones in each, or in the first');
  if (kind === 'area' || kind === 'length') {
    const known = unit === null ? null : kind === 'area' ? areaUnit(unit) : lengthUnit(unit);
    const units = Object.keys(kind === 'area' ? AREA_UNITS : LENGTH_UNITS);
    if (known === null) refuse(`${unit ?? 'No unit'} is no unit of ${kind}`, `Take one of ${units.join(', ')}`);
    return 'number';
  }
  if (kind === 'count' || kind === 'share') return 'number';
  if (name === null) throw new FilterError(`Of which column the ${kind} is, is not said`);
  const { type } = columnOf(name);
  if (kind === 'distinct') return 'number';
  if (kind === 'min' || kind === 'max') {
    if (type !== 'number' && type !== 'date' && type !== 'datetime') refuse(`${name} holds no numbers or times`);
    return type;
  }
  if (type !== 'number') refuse(`${name} holds no numbers`, 'Count its different values, or make a typed column of it');
  return 'number';
}

/**
 * A figure of the features in each zone, beside the rows of the zones. A sum of nothing is 0, a mean, a middle or an end of nothing is
 * blank; blanks of the features are left out.
 * @param kept the features that count; null: all. A share is of those among all features of the zone
 * @throws FilterError where the figure cannot be of that column
 */
export function zoneFigure(features: FeatureTable, membership: Membership, kept: Mask | null, figure: ZoneFigure, name: string): Column {
  zoneFigureType(features.columns, figure);
  const { kind, several, part } = figure;
  const { zones } = membership;
  const column = figure.column === null ? null : columnNamed(features, figure.column)!;
  const isKept = (row: number) => kept === null || has(kept, row);
  const isOf = part ? isOfPart(columnNamed(features, part.column)!, features.rows, part) : null;
  const counts = isOf ? (row: number) => isKept(row) && isOf(row) : isKept;
  if (kind === 'min' || kind === 'max') {
    const sign = kind === 'min' ? 1 : -1;
    const rows = new Int32Array(zones).fill(-1);
    for (let zone = 0; zone < zones; zone++) {
      let best = Infinity;
      for (const row of membersOf(membership, zone, several)) {
        const key = counts(row) ? sign * sortKeyAt(column!, row) : NaN;
        if (!(key < best)) continue;
        [best, rows[zone]] = [key, row];
      }
    }
    const [{ type, chunks, dictionary }] = takeColumns([column!], rows);
    return { name, type, chunks, dictionary };
  }
  const measured = kind === 'area' || kind === 'length' ? measuredShapes(features, kind, unitOf(figure)) : null;
  const weights = figure.weight === null ? null : columnNamed(features, figure.weight)!;
  const out = new Float64Array(zones);
  for (let zone = 0; zone < zones; zone++) {
    checkpoint();
    const members = membersOf(membership, zone, several);
    if (kind === 'share') {
      const [own, all] = [members.filter(counts).length, isOf ? members.filter(isKept).length : members.length];
      out[zone] = all === 0 ? NaN : own / all;
      continue;
    }
    const own = members.filter(counts);
    const partIn = several === 'part' ? membership.sharedPartOf : membership.partOf;
    const parts = several === 'part' || measured ? own.map((row) => partIn(row, zone)) : null;
    if (kind === 'count') out[zone] = parts ? total(parts) : own.length;
    else if (kind === 'area' || kind === 'length') out[zone] = total(own.map((row, i) => parts![i] * measured![row]));
    else if (kind === 'distinct')
      out[zone] = new Set(own.map((row) => valueAt(column!, row)).filter((value) => value !== null && value !== '')).size;
    else
      out[zone] = ofNumbers(
        kind,
        own.map((row) => sortKeyAt(column!, row)),
        weightsOf(own, weights, parts),
      );
  }
  return columnOfNumbers(name, out);
}

/** Metres, or square metres, in the unit of a figure that has been checked. */
const unitOf = ({ kind, unit }: ZoneFigure): number =>
  kind === 'area' ? AREA_UNITS[areaUnit(unit ?? '')!] : LENGTH_UNITS[lengthUnit(unit ?? '')!];

/** The features of a zone that it is asked about: of those in several zones only where it is the first, if that is wanted. */
function membersOf(membership: Membership, zone: number, several: InSeveral): number[] {
  const { starts, features, firstOf } = membership;
  const own = Array.from(features.subarray(starts[zone], starts[zone + 1]));
  return several === 'first' ? own.filter((row) => firstOf[row] === zone) : own;
}

function weightsOf(rows: readonly number[], weights: Column | null, parts: readonly number[] | null): number[] | null {
  if (!weights) return parts ? [...parts] : null;
  return rows.map((row, i) => sortKeyAt(weights, row) * (parts?.[i] ?? 1));
}

/** @param weights of each value; null where all weigh the same. What has no weight is left out */
function ofNumbers(kind: 'sum' | 'mean' | 'median' | 'deviation', values: readonly number[], weights: readonly number[] | null): number {
  if (weights) {
    const there = values.flatMap((value, i) => (Number.isNaN(value) || Number.isNaN(weights[i]) ? [] : [{ value, weight: weights[i] }]));
    const sum = total(there.map(({ value, weight }) => value * weight));
    if (kind === 'sum') return sum;
    const weight = total(there.map((one) => one.weight));
    return weight === 0 ? NaN : sum / weight;
  }
  const ascending = Float64Array.from(values.filter((value) => !Number.isNaN(value))).sort();
  if (kind === 'sum') return total(ascending);
  if (ascending.length === 0) return NaN;
  if (kind === 'median') return quantile(ascending, 0.5);
  const mean = total(ascending) / ascending.length;
  if (kind === 'mean') return mean;
  // Of a sample: what is known of one value alone is nothing.
  return ascending.length < 2 ? NaN : Math.sqrt(total(ascending.map((value) => (value - mean) ** 2)) / (ascending.length - 1));
}

/** A sum whose error does not grow with how many there are; the same numbers in any order give the same sum. */
function total(values: ArrayLike<number>): number {
  return exactSum(Float64Array.from(values).sort());
}
