/** Charts that can stand below the map; a column that is null is chosen by what the source has. */
export type Chart = { id: string } & (
  | { kind: 'bars'; column: string | null }
  | { kind: 'share'; column: string | null }
  | { kind: 'histogram'; column: string | null }
  | { kind: 'times'; column: string | null }
  | { kind: 'scatter'; x: string | null; y: string | null }
  | { kind: 'boxes'; of: string | null; by: string | null }
  | { kind: 'groups'; by: string | null; and: string | null; of: string | null }
);
export type ChartKind = Chart['kind'];
export type ChartOf<K extends ChartKind> = Extract<Chart, { kind: K }>;

export const TOTALS = ['sum', 'mean', 'median', 'min', 'max'] as const;
export type Total = (typeof TOTALS)[number];

/** How the table of a sieve or a source is laid out; columns that are not named stand as they do in the source. */
export interface TableLayout {
  /** The first decides; the next ones where the ones before are the same. */
  sort: { column: string; descending: boolean }[];
  /** Columns that stay in sight, in this order. */
  pinned: string[];
  /** Columns in the order chosen; others follow. */
  order: string[];
  /** Columns that are not shown. */
  hidden: string[];
  /** Widths in pixels that were chosen by hand. */
  widths: Record<string, number>;
  /** The figure below each column of numbers; null: none. */
  totals: Total | null;
}

/** What is looked at beside the map, and how: kept with a sieve, or with a source that is looked at as a whole. Null: not chosen. */
export interface View {
  charts: Chart[] | null;
  table: TableLayout | null;
  /** Columns that a resting pointer tells. */
  hover: string[] | null;
  /** The column of which each class has a small map. */
  maps: string | null;
}

export const PLAIN_VIEW: View = { charts: null, table: null, hover: null, maps: null };
export const PLAIN_LAYOUT: TableLayout = { sort: [], pinned: [], order: [], hidden: [], widths: {}, totals: null };
