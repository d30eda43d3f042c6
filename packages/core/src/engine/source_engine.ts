import type { Dimension } from '../display/features_at.ts';
import type { PlaneName } from '../display/plane.ts';
import type { DisplayTile } from '../display/tile_bytes.ts';
import type { ColumnSchema, Value } from '../features/column.ts';
import type { Box, GeometryType } from '../features/geometry.ts';
import type { Mask } from '../features/mask.ts';
import type { Group, MatchColumn } from '../filters/tree.ts';
import type { SpreadOfGroup } from '../profiles/boxes.ts';
import type { Figures } from '../profiles/column_profile.ts';
import type { GroupOfFeatures } from '../profiles/groups.ts';
import type { Pairs } from '../profiles/pairs.ts';
import type { Histogram, ValueCount } from '../profiles/profile.ts';
import type { TimeCounts } from '../profiles/time_counts.ts';
import type { BoundCurve } from '../sifting/bound_curve.ts';
import type { Emptiness } from '../sifting/emptiness.ts';
import type { Finding } from '../sifting/findings.ts';
import type { Side } from '../sifting/movable.ts';
import type { Reason } from '../sifting/why.ts';
import type { BreakMethod } from '../styles/breaks.ts';
import type { Geometry } from 'geojson';
import type { Amount } from './amount.ts';

/**
 * What tells a feature from all others of its source, as long as that stays in the state it is in. Where a source has masks, keys
 * are the numbers of their bits.
 */
export type FeatureKey = number | string;

/** The features that a tree keeps, or those that only one condition of it leaves out; of those the ones named, if any are. */
export interface Selection {
  tree: Group;
  nearMissesOf?: string;
  among?: FeatureKey[];
}

/** The order of the values of a column, blanks last. */
export interface SortColumn {
  column: string;
  descending: boolean;
}
/** Where features are the same in one column, the next one decides; at last, or by none, the order of the source. */
export type Order = SortColumn[];

/** What not every source can be asked. */
export const ABILITIES = ['masks', 'tiles', 'places', 'curve', 'emptiness', 'findings', 'matches'] as const;
export type Ability = (typeof ABILITIES)[number];

/** What there is to be asked about. */
export interface SourceSchema {
  columns: readonly ColumnSchema[];
  features: Amount;
  geometryTypes: Partial<Record<GeometryType, number>>;
}

/** What a row of the stack says, as `StackRow` does. */
export interface StackAmounts {
  id: string;
  reach: Amount;
  left: Amount;
  unknown: Amount;
  alone: Amount;
}

export interface Sifted {
  total: Amount;
  kept: Amount;
  /** Features for which the whole filter is unknown. */
  unknown: Amount;
  rows: StackAmounts[];
  /** Features that would be kept without this condition or group, by its id. */
  without: Record<string, Amount>;
  /** Features that only this condition leaves out, by its id. */
  nearMisses: Record<string, Amount>;
  /** The selection, one bit a feature; null for a source without masks. */
  mask: Mask | null;
}

/** Columns that conditions show of what they are about; their cells follow those of the source's own columns. */
export interface MatchOnShow {
  condition: string;
  shows: MatchColumn;
  name: string;
  type: ColumnSchema['type'];
}

export interface PageFeature {
  key: FeatureKey;
  cells: Value[];
}

export interface Page {
  total: Amount;
  matches: MatchOnShow[];
  features: PageFeature[];
}

/** What can be told of many features at once. */
export type Aggregation =
  /** Every distinct value of a column. */
  | { kind: 'values'; column: string }
  /** Counts in so many bins of one width. */
  | { kind: 'histogram'; column: string; bins: number }
  /** One column in a few numbers. */
  | { kind: 'figures'; column: string }
  /** Counts along a column of times. */
  | { kind: 'times'; column: string }
  /** Figures of a column for every combination of values of one or two others; of null: how many there are. */
  | { kind: 'groups'; by: string[]; of: string | null }
  /** Counts of two columns in a grid of so many bins at most. */
  | { kind: 'pairs'; x: string; y: string; most: [number, number] }
  /** How a column spreads for each value of another; of null: of all features. */
  | { kind: 'boxes'; of: string; by: string | null }
  /** Where the kept features lie; across the 180° meridian east is more than 180. */
  | { kind: 'extent' }
  /** Bounds for classes of a column, of all features. */
  | { kind: 'breaks'; column: string; method: BreakMethod; count: number };
export type AggregationKind = Aggregation['kind'];
export type AggregationOf<K extends AggregationKind> = Extract<Aggregation, { kind: K }>;

/** What is answered to each. */
export interface Aggregates {
  values: ValueCount[];
  /** Null for a column without numbers or times. */
  histogram: Histogram | null;
  figures: { all: Figures; kept: Figures };
  /** Null for a column without times. */
  times: TimeCounts | null;
  groups: GroupOfFeatures[];
  /** Null where one of the columns has no number or time. */
  pairs: Pairs | null;
  boxes: SpreadOfGroup[];
  extent: Box | null;
  breaks: number[];
}

/** One feature, and why it is kept or not. */
export interface Explained {
  key: FeatureKey;
  kept: boolean;
  cells: Value[];
  /** West, south, east, north in degrees; null without a place on the map. */
  box: Box | null;
  geometryType: string;
  reasons: Reason[];
}

/** A place of the map, and how far round it is looked. */
export interface PlaceOnMap {
  plane: PlaneName;
  /** Metres of the plane. */
  x: number;
  y: number;
  reach: number;
  /** Whose values tell the features apart; null for none. */
  nameColumn: string | null;
}

export interface FeaturesThere {
  total: number;
  /** The distance is metres of the plane, 0 within an area. */
  features: { key: FeatureKey; kept: boolean; dimension: Dimension; distance: number; name: Value }[];
}

/** A text that was found in a column. */
export interface FoundText {
  key: FeatureKey;
  /** Where the feature stands in the order asked for. */
  place: number;
  column: string;
  value: Exclude<Value, null>;
}

/** A feature with all that it is, in longitude and latitude. */
export interface Feature extends PageFeature {
  geometry: Geometry | null;
}

/**
 * All that can be asked of a source, wherever its features are. Conditions are checked before they get here, columns that do not
 * exist are refused (FilterError), and so is what the source cannot do (CannotError). Every question ends with the signal's
 * reason once that is aborted.
 */
export interface SourceEngine {
  readonly schema: SourceSchema;
  readonly abilities: ReadonlySet<Ability>;

  /** The numbers along the stack. */
  sift(selection: Selection, signal?: AbortSignal): Promise<Sifted>;
  /** How many features each of the trees keeps. */
  counts(trees: readonly Group[], signal?: AbortSignal): Promise<Amount[]>;
  /** Features of a selection from a place in an order on. */
  page(selection: Selection, order: Order, offset: number, limit: number, signal?: AbortSignal): Promise<Page>;
  /** The same, of keys only: all at once, so that a range is of one moment. */
  keys(selection: Selection, order: Order, offset: number, limit: number, signal?: AbortSignal): Promise<FeatureKey[]>;
  /** Where a feature stands in an order; -1 for one that is not in the selection. */
  place(selection: Selection, order: Order, key: FeatureKey, signal?: AbortSignal): Promise<number>;
  /**
   * Features that hold a text in one of some columns, whatever its case and accents; the first of them from a place in an order on.
   * Numbers and times are looked at as they are written.
   */
  search(
    selection: Selection,
    order: Order,
    wanted: { text: string; columns: string[]; from: number; limit: number },
    signal?: AbortSignal,
  ): Promise<FoundText[]>;
  /** All features of a selection in the source's order, some at a time. */
  batches(selection: Selection, size: number, signal?: AbortSignal): AsyncIterable<Feature[]>;
  aggregate<K extends AggregationKind>(selection: Selection, aggregation: AggregationOf<K>, signal?: AbortSignal): Promise<Aggregates[K]>;
  explain(tree: Group, key: FeatureKey, signal?: AbortSignal): Promise<Explained>;
  /** How many features would be kept at every place of one bound; null where there is no bound to move. Ability `curve`. */
  curve(tree: Group, condition: string, side: Side, signal?: AbortSignal): Promise<BoundCurve | null>;
  /** Why nothing is kept; null where something is. Ability `emptiness`. */
  emptiness(tree: Group, signal?: AbortSignal): Promise<Emptiness | null>;
  /**
   * What of the conditions is probably not meant, with a change that mends it. Ability `findings`.
   * @param today days since 1970-01-01 where the as-of day is another; null otherwise
   */
  findings(tree: Group, today: number | null, signal?: AbortSignal): Promise<Finding[]>;
  /** What is drawn in a tile of a plane. Ability `tiles`. */
  tile(z: number, x: number, y: number, plane: PlaneName, signal?: AbortSignal): Promise<DisplayTile>;
  /**
   * What lies at a place of the map, what is drawn on top first; of very many only some. Ability `places`.
   */
  there(selection: Selection, place: PlaceOnMap, signal?: AbortSignal): Promise<FeaturesThere>;
  /** West, south, east, north of features in degrees; null for one without a place on the map. Ability `places`. */
  boxes(keys: readonly FeatureKey[], signal?: AbortSignal): Promise<(Box | null)[]>;
}

/** Asked of a source that cannot tell. */
export class CannotError extends Error {
  constructor(ability: Ability) {
    super(`This source cannot be asked for its ${ability}`);
  }
}
