import type { Crs } from '../crs/crs.ts';

/** A column of what is handed over. */
export interface ColumnChoice {
  name: string;
  /** Its name in the file. */
  as: string;
  /** For a column with a code list: the codes, what they mean instead, or both beside each other. */
  codes: 'code' | 'meaning' | 'both';
}

/** What becomes of the shapes. Distances are in metres. */
export type ShapeChoice =
  | { kind: 'as-is' }
  /** The centre of the area, length or points; it can lie outside the shape. */
  | { kind: 'centroid' }
  /** A point that surely lies on the shape. */
  | { kind: 'inside' }
  | { kind: 'buffer'; metres: number }
  /** With fewer vertices, no place of the outline farther from the new one than this. */
  | { kind: 'simplify'; metres: number }
  | { kind: 'none' };

/** How kept features become a layer that is handed over. */
export interface Recipe {
  columns: readonly ColumnChoice[];
  shape: ShapeChoice;
  /** Null for that of the source. */
  crs: Crs | null;
  /** Null for the order of the source. */
  order: { column: string; descending: boolean } | null;
}

/** What making a layer by a recipe did that its reader should know. */
export interface MadeReport {
  /** Values without a meaning in their code list, which stay as codes, by column. */
  unmeant: { column: string; values: number }[];
  /** For round shapes: how far at most an edge lies from the true one, in metres. */
  error: number | null;
  /** Shapes of which nothing was left. */
  lost: number;
  /** Shapes with heights that the new ones do not have. */
  flattened: number;
}
