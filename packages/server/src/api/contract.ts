import { COLUMN_TYPES, isExpr, type Expr, type Group, type TreeNode } from '@clean-sieve/core';
import { z } from 'zod';

/** What the interface and the server say to each other. Every request body is one of these schemas. */

const expr = z.custom<Expr>((value) => isExpr(value), 'This is not a CQL2 expression');
const condition = z.object({
  kind: z.literal('condition'),
  id: z.string().min(1).max(64),
  expr,
  off: z.boolean().optional(),
});
const treeNode: z.ZodType<TreeNode> = z.lazy(() => z.union([condition, group]));
const group: z.ZodType<Group> = z.object({
  kind: z.literal('group'),
  id: z.string().min(1).max(64),
  combine: z.enum(['all', 'any', 'none']),
  children: z.array(treeNode).max(1000),
  off: z.boolean().optional(),
});
export const treeSchema = group;

export const isoDay = z.iso.date();
const name = z.string().trim().min(1).max(200);

const columnInfo = z.object({
  name: z.string(),
  type: z.enum(COLUMN_TYPES),
  role: z.enum(['id', 'lon', 'lat']).optional(),
  nulls: z.number(),
  empty: z.number(),
  distinct: z.number(),
  min: z.union([z.number(), z.string(), z.boolean()]).nullable(),
  max: z.union([z.number(), z.string(), z.boolean()]).nullable(),
});
export type ColumnInfo = z.infer<typeof columnInfo>;

const sourceInfo = z.object({
  id: z.number(),
  name: z.string(),
  fileName: z.string(),
  format: z.string(),
  crs: z.string(),
  rows: z.number(),
  /** `ground`: the land that the map is drawn on, without sieves of its own. */
  role: z.enum(['layer', 'ground']),
  /** West, south, east, north in degrees; null when no feature has a geometry. */
  extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
  geometryTypes: z.record(z.string(), z.number()),
  notes: z.array(z.string()),
  columns: z.array(columnInfo),
});
export type SourceInfo = z.infer<typeof sourceInfo>;

const sieveInfo = z.object({
  id: z.number(),
  sourceId: z.number(),
  /** Null: named by its conditions. */
  name: z.string().nullable(),
  tree: group,
  /** Index into the palette. */
  colour: z.number().int().min(0).max(7),
  visible: z.boolean(),
});
export type SieveInfo = z.infer<typeof sieveInfo>;

export const workspaceState = z.object({
  name: z.string(),
  /** Null: today. */
  asOf: isoDay.nullable(),
  today: isoDay,
  sources: z.array(sourceInfo),
  sieves: z.array(sieveInfo),
});
export type WorkspaceState = z.infer<typeof workspaceState>;

export const workspaceChange = z.object({ name: name.optional(), asOf: isoDay.nullable().optional() });
export const sourceChange = z.object({ name });
export const newSieve = sieveInfo.omit({ id: true }).extend({ id: z.number().int().positive().optional() });
export type NewSieve = z.infer<typeof newSieve>;
export const sieveChange = sieveInfo.pick({ name: true, tree: true, colour: true, visible: true }).partial();
export type SieveChange = z.infer<typeof sieveChange>;

export const importQuery = z.object({
  name: z.string().min(1).max(255),
  lon: z.string().optional(),
  lat: z.string().optional(),
});

/** Which features of a source: those that a tree keeps, or those that only this one condition of it leaves out. */
export const selection = z.object({ tree: group, nearMissesOf: z.string().optional() });
export type Selection = z.infer<typeof selection>;

const order = z.object({ column: z.string(), descending: z.boolean() }).nullable();
export type Order = z.infer<typeof order>;
export const rowsRequest = selection.extend({
  order,
  offset: z.number().int().min(0),
  limit: z.number().int().min(1).max(500),
});
export type RowsRequest = z.infer<typeof rowsRequest>;
export const placeRequest = selection.extend({ order, row: z.number().int().min(0) });
export const whyRequest = z.object({ tree: group, row: z.number().int().min(0) });
export const valuesRequest = z.object({ tree: group, column: z.string() });
export const histogramRequest = z.object({ tree: group, column: z.string(), bins: z.number().int().min(1).max(400) });
export const extractRequest = z.object({ tree: group, format: z.string(), name });
export const subsetRequest = z.object({ tree: group, name });

type Cell = number | string | boolean | null;

/** Head of the answer to a sift request; the mask's bytes follow it (see `sift_frame.ts`). */
export interface SiftHead {
  total: number;
  kept: number;
  unknown: number;
  rows: { id: string; reach: number; left: number; unknown: number; alone: number }[];
  /** Features that only this condition leaves out, by condition. */
  nearMisses: Record<string, number>;
}
export interface RowsAnswer {
  total: number;
  rows: { row: number; cells: Cell[] }[];
}
export interface FeatureAnswer {
  row: number;
  kept: boolean;
  cells: Cell[];
  /** West, south, east, north in degrees; null without a geometry. */
  box: [number, number, number, number] | null;
  geometryType: string;
  reasons: {
    id: string;
    outcome: 'pass' | 'fail' | 'unknown';
    value: Cell;
    margin: number | null;
    unit: 'days' | 'm' | '' | null;
  }[];
}
export interface ValuesAnswer {
  values: { value: string | number | boolean; count: number; kept: number }[];
}
export interface HistogramAnswer {
  histogram: { low: number; high: number; all: number[]; kept: number[] } | null;
}
export interface JobState {
  id: string;
  label: string;
  state: 'running' | 'done' | 'failed' | 'cancelled';
  /** Work done of all of it, 0 to 1, and the same in words. */
  share: number;
  progress: string;
  error: string | null;
  result: { sourceId?: number; file?: string; features?: number; bytes?: number } | null;
}
export interface ErrorAnswer {
  error: string;
}
