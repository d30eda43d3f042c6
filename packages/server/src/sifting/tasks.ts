import type { Box, Expr, Group, Side } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import type { FeedCrs } from '../feeds/params.ts';
import type { ExtractLayer, ExtractRequest, Order, Selection } from '../api/contract.ts';

/** The features of a feed: those that a tree keeps, or a fixed set of rows as bits in base64. */
interface Published {
  tree: Group;
  rows: string | null;
  /** Columns that are given. */
  columns: string[];
}

/** What the sifting thread can be asked. Every task names its source and the as-of day. */
export type SiftTask = { sourceId: number; asOf: number } & (
  | ({ kind: 'sift'; today: number | null } & Selection)
  | ({ kind: 'rows'; order: Order; offset: number; limit: number } & Selection)
  | ({ kind: 'rowNumbers'; order: Order; offset: number; count: number } & Selection)
  | ({ kind: 'place'; order: Order; row: number } & Selection)
  | { kind: 'why'; tree: Group; row: number }
  | { kind: 'values'; tree: Group; column: string }
  | { kind: 'histogram'; tree: Group; column: string; bins: number }
  | { kind: 'curve'; tree: Group; condition: string; side: Side }
  | { kind: 'emptiness'; tree: Group }
  | { kind: 'counts'; trees: Group[] }
  | { kind: 'figures'; tree: Group; column: string }
  | { kind: 'times'; tree: Group; column: string }
  | { kind: 'profile'; column: string }
  | { kind: 'offers'; column: string }
  | { kind: 'pairs'; code: string; meaning: string }
  | { kind: 'display' }
  | { kind: 'check'; tree: Group }
  | { kind: 'preview'; tree: Group; layer: ExtractLayer; request: Omit<ExtractRequest, 'layers'> }
  | ({ kind: 'items'; filter: Expr | null; offset: number; limit: number; system: FeedCrs } & Published)
  | ({ kind: 'item'; row: number; system: FeedCrs } & Published)
  | ({ kind: 'tile'; z: number; x: number; y: number; name: string } & Published)
  | { kind: 'feature'; row: number }
  | { kind: 'rowsOfLayer'; tree: Group; layer: ExtractLayer; request: Omit<ExtractRequest, 'layers'> }
  | { kind: 'kept'; tree: Group }
  | { kind: 'forget' }
  /** Shapes of features: of these rows, or of all that a tree keeps, as one; or of those in a box, one by one. */
  | { kind: 'shape'; tree: Group; row: number | null }
  | { kind: 'nearby'; box: Box }
  /** A shape made valid, and what was wrong with it; source and day do not matter. */
  | { kind: 'valid'; shapes: Geometry[] }
  | { kind: 'buffered'; geometry: Geometry; metres: number }
  /** The areas have changed; source and day do not matter. */
  | { kind: 'areas' }
);
