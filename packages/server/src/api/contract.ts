import {
  canonicalExpr,
  COLUMN_TYPES,
  isBuffer,
  isExpr,
  isGeometry,
  lengthUnit,
  MATCH_COLUMNS,
  positionsIn,
  type AreaShape,
  type BoundCurve,
  type Crs,
  type CutReport,
  type Derivation,
  DIFFERENCE_PARTS,
  type Difference,
  type Emptiness,
  type Expr,
  type Figures,
  type Finding,
  type Group,
  type Loss,
  type MatchColumn,
  type Measure,
  type Reason,
  type Remark,
  type TimeCounts,
  type TreeNode,
  type TypeOffer,
} from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import { z } from 'zod';

/** What the interface and the server say to each other. Every request body is one of these schemas. */

const expr = z.custom<Expr>((value) => isExpr(value), 'This is not a CQL2 expression').transform(canonicalExpr);
const condition = z.object({
  kind: z.literal('condition'),
  id: z.string().min(1).max(64),
  expr,
  off: z.boolean().optional(),
  shows: z.array(z.enum(MATCH_COLUMNS)).optional(),
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
/** Characters that no name or text of a line holds: they cannot be seen, and some end a text in the database. */
const line = (most: number) =>
  z
    .string()
    .trim()
    .max(most)
    .regex(/^\P{Cc}*$/u, 'holds a character that cannot be seen');
const name = line(200).min(1);

const columnInfo = z.object({
  name: z.string(),
  type: z.enum(COLUMN_TYPES),
  role: z.enum(['id', 'lon', 'lat']).optional(),
  nulls: z.number(),
  empty: z.number(),
  distinct: z.number(),
  min: z.union([z.number(), z.string(), z.boolean()]).nullable(),
  max: z.union([z.number(), z.string(), z.boolean()]).nullable(),
  /** Name and description for the reader. */
  title: z.string().nullable(),
  description: z.string().nullable(),
  hidden: z.boolean(),
  derivation: z.custom<Derivation>().nullable(),
  codeList: z.number().nullable(),
});
export type ColumnInfo = z.infer<typeof columnInfo>;

const sourceInfo = z.object({
  id: z.number(),
  name: z.string(),
  fileName: z.string(),
  format: z.string(),
  layer: z.string().nullable(),
  encoding: z.string().nullable(),
  crs: z.custom<Crs>(),
  rows: z.number(),
  /** `ground`: the land that the map is drawn on, without sieves of its own. */
  role: z.enum(['layer', 'ground', 'candidate', 'older']),
  takenAt: z.string(),
  /** Versions that were in use before, latest first. */
  older: z.array(z.object({ id: z.number(), takenAt: z.string(), rows: z.number(), fileName: z.string() })),
  /** West, south, east, north in degrees; null when no feature has a geometry. */
  extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
  geometryTypes: z.record(z.string(), z.number()),
  notes: z.array(z.string()),
  invalidShapes: z.number(),
  /** The geometry in use: as it came, or the copy in which invalid shapes are repaired. */
  shapes: z.enum(['original', 'repaired']),
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
  /** Values of the conditions that the name mentioned when it was given by hand. */
  mentions: z.array(z.string()),
  /** Counts the changes of name and conditions. */
  version: z.number().int(),
});
export type SieveInfo = z.infer<typeof sieveInfo>;

function withinTheWorld(geometry: Geometry): boolean {
  return positionsIn(geometry).every(([lon, lat]) => Math.abs(lon) <= 180 && Math.abs(lat) <= 90);
}

/** A geometry in longitude and latitude, or all within a distance of one. */
const areaShape = z.custom<AreaShape>(
  (value) =>
    isExpr(value) &&
    ((isGeometry(value) && withinTheWorld(value)) ||
      (isBuffer(value) && withinTheWorld(value.args[0]) && value.args[1] > 0 && lengthUnit(value.args[2] ?? 'm') !== null)),
  'not a shape in longitude and latitude',
);
const areaInfo = z.object({ id: z.number(), name, shape: areaShape });
export type AreaInfo = z.infer<typeof areaInfo>;
export const newArea = areaInfo.omit({ id: true });
export type NewArea = z.infer<typeof newArea>;
export const areaChange = newArea.partial();
export type AreaChange = z.infer<typeof areaChange>;
/** A change, and what it was made from: it is refused where that is something else by now. */
export const areaChangeRequest = areaChange.extend({ from: areaChange.optional() });

/** A shape that is valid, and what was wrong with the one given; null when nothing was. */
export interface ValidAnswer {
  shape: Geometry;
  repaired: string | null;
}
export const shapeRequest = z.object({ tree: z.lazy(() => group), row: z.number().int().min(0).nullable() });
/** West, south, east, north in degrees. */
const box = z.tuple([z.number(), z.number(), z.number(), z.number()]);
export const nearbyRequest = z.object({ box });
export interface NearbyAnswer {
  shapes: Geometry[];
}
/** A place of the map and how far off a feature may lie, in web Mercator metres. */
export const thereRequest = z.lazy(() => selection.extend({ x: z.number(), y: z.number(), reach: z.number().min(0) }));
/** What lies at a place of the map, the topmost first, of very many only some. */
export interface ThereAnswer {
  total: number;
  features: { row: number; kept: boolean }[];
}
export const boxesRequest = z.object({ rows: z.array(z.number().int().min(0)).max(1000) });
/** Where features lie, in degrees; null for one without a place on the map. */
export interface BoxesAnswer {
  boxes: (z.infer<typeof box> | null)[];
}
/** Where all features of a tree lie. */
export interface ExtentAnswer {
  extent: z.infer<typeof box> | null;
}
/** A round shape as a polygon, and how far its edge is from the true one at most, in metres. */
export interface BufferedAnswer {
  geometry: Geometry;
  error: number;
}
export const bufferedRequest = z.object({
  geometry: z.custom<Geometry>((value) => isExpr(value) && isGeometry(value) && withinTheWorld(value), 'not a shape'),
  metres: z.number().positive().max(5_000_000),
});

const codeListInfo = z.object({
  id: z.number(),
  name: z.string(),
  /** Code and meaning, in the order given. */
  entries: z.array(z.tuple([z.string(), z.string()])),
});
export type CodeListInfo = z.infer<typeof codeListInfo>;

/** A sieve published at a link. */
const feedInfo = z.object({
  /** The part of the link that cannot be guessed. */
  id: z.string(),
  sieveId: z.number(),
  madeAt: z.string(),
  /** It does not follow its sieve. */
  frozen: z.boolean(),
});
export type FeedInfo = z.infer<typeof feedInfo>;
export const newFeed = z.object({ frozen: z.boolean() });

export const workspaceState = z.object({
  name: z.string(),
  /** Null: today. */
  asOf: isoDay.nullable(),
  today: isoDay,
  sources: z.array(sourceInfo),
  sieves: z.array(sieveInfo),
  areas: z.array(areaInfo),
  codeLists: z.array(codeListInfo),
  feeds: z.array(feedInfo),
  /** Where others reach the feeds; null: at the address of this page. */
  feedsAt: z.string().nullable(),
});
export type WorkspaceState = z.infer<typeof workspaceState>;

export const workspaceChange = z.object({ name: name.optional(), asOf: isoDay.nullable().optional() });
export type WorkspaceChange = z.infer<typeof workspaceChange>;
export const workspaceChangeRequest = workspaceChange.extend({ from: workspaceChange.optional() });
export const sourceChange = z.object({ name, shapes: z.enum(['original', 'repaired']) }).partial();
export const columnChange = z
  .object({
    title: line(200).nullable(),
    description: z
      .string()
      .trim()
      .max(2000)
      .regex(/^[^\0]*$/, 'holds a character that cannot be seen')
      .nullable(),
    hidden: z.boolean(),
    codeList: z.number().int().positive().nullable(),
  })
  .partial();
export type ColumnChange = z.infer<typeof columnChange>;
export const columnChangeRequest = columnChange.extend({ from: columnChange.optional() });
export const derivedColumnRequest = z.object({
  name,
  derivation: z.object({
    kind: z.literal('typed'),
    from: z.string(),
    as: z.enum(['number', 'boolean', 'date', 'datetime']),
    decimal: z.enum(['point', 'comma']),
    order: z.enum(['dmy', 'mdy']),
  }),
});
export const offersRequest = z.object({ column: z.string() });
export const crsQuery = z.object({ find: z.string().max(100) });
export const codeListRequest = z.object({
  name,
  entries: z
    .array(z.tuple([z.string(), z.string()]))
    .min(1)
    .max(100_000),
});
export const codeListOfColumns = z.object({ name, code: z.string(), meaning: z.string() });

export const newSieve = sieveInfo
  .omit({ id: true, version: true })
  .extend({ id: z.number().int().positive().optional(), mentions: z.array(z.string()).default([]) });
export type NewSieve = z.input<typeof newSieve>;
export const sieveChange = sieveInfo.pick({ name: true, tree: true, colour: true, visible: true, mentions: true }).partial();
export type SieveChange = z.infer<typeof sieveChange>;
/** A change, and the version of the sieve that it was made from. */
export const sieveChangeRequest = sieveChange.extend({ from: z.number().int().optional() });
/** The answer to a change that was made from an older version: what the sieve has become meanwhile. */
export interface SieveConflict extends ErrorAnswer {
  current: SieveInfo;
}

export const uploadQuery = z.object({
  name: z.string().min(1).max(255),
  /** An upload to add the file to, so that the parts of a shapefile are found together. */
  into: z.uuid().optional(),
});

/** What the person says of a file where it does not say itself. */
const reading = z.object({
  crs: z.string().nullable(),
  longitude: z.string().nullable(),
  latitude: z.string().nullable(),
  wkt: z.string().nullable(),
});
export const readingChoice = reading.partial();
export type ReadingChoice = z.infer<typeof readingChoice>;
export const layerChoice = readingChoice.extend({ file: z.string(), layer: z.string(), name });
export type LayerChoice = z.infer<typeof layerChoice>;
export const lookRequest = z.object({ files: z.array(z.string()).min(1).max(200), reading: readingChoice });
export const importRequest = z.object({ layers: z.array(layerChoice).min(1).max(200) });

export const versionRequest = z.object({ upload: z.uuid(), layer: layerChoice });
export const compareRequest = z.object({ key: z.string() });
export const partRequest = compareRequest.extend({ part: z.enum(DIFFERENCE_PARTS) });

/** How another version of a source differs from the one in use, and what that does to its sieves. */
export interface VersionAnswer {
  versionId: number;
  fileName: string;
  rows: { before: number; after: number };
  /** Columns that could match the features, best first; the one used is among them. Empty when none does. */
  keys: string[];
  key: string | null;
  difference: Difference | null;
  sieves: { id: number; before: number | null; after: number | null; problem: string | null }[];
}

/** What was recognised in a file, from its first features. */
export interface LayerLook {
  file: string;
  layer: string;
  format: string;
  /** Features in all; null when only reading the whole file would tell. */
  features: number | null;
  attributesOnly: boolean;
  /** Features looked at, and whether those are all. */
  looked: number;
  complete: boolean;
  geometryTypes: Record<string, number>;
  crs: Crs | null;
  /** Set when the coordinate system has to be chosen, with systems that would fit the coordinates. */
  crsProblem: string | null;
  likely: { code: number; name: string; area: string; extent: [number, number, number, number] }[];
  encoding: string | null;
  extent: [number, number, number, number] | null;
  notes: string[];
  /** First and last day that a date column of the features looked at holds. */
  period: { column: string; from: string; to: string } | null;
  columns: { name: string; type: ColumnInfo['type'] }[];
  rows: Cell[][];
  /** Geometries of the features looked at, at most 2,000, in longitude and latitude. */
  shapes: unknown[];
  /** Why it cannot be read; everything else is empty then. */
  error: string | null;
  /** For a table whose coordinates cannot be told by name: its columns. */
  askColumns: string[] | null;
}

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
/** Which rows stand from one place on; all at once, so that a range is of one moment. */
export const rowNumbersRequest = selection.extend({
  order,
  offset: z.number().int().min(0),
  count: z.number().int().min(0),
});
export const placeRequest = selection.extend({ order, row: z.number().int().min(0) });
export const whyRequest = z.object({ tree: group, row: z.number().int().min(0) });
export const valuesRequest = z.object({ tree: group, column: z.string() });
export const curveRequest = z.object({ tree: group, condition: z.string(), side: z.enum(['low', 'high']) });
export const featureRequest = z.object({ row: z.number().int().min(0) });
export const treeRequest = z.object({ tree: group });
export const countsRequest = z.object({ trees: z.array(group).min(1).max(20) });
export const figuresRequest = z.object({ tree: group, column: z.string() });
export const histogramRequest = z.object({ tree: group, column: z.string(), bins: z.number().int().min(1).max(400) });
/** Lines and polygons cut to what a condition of the tree is about; parts below the tolerance are told as slivers. */
const cut = z
  .object({ condition: z.string(), tolerance: z.number().min(0) })
  .nullable()
  .default(null);
export type Cut = z.infer<typeof cut>;
const columnChoice = z.object({ name: z.string(), as: name, codes: z.enum(['code', 'meaning', 'both']) });
const metres = z.number().positive().max(1_000_000);
const shapeChoice = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('as-is') }),
  z.object({ kind: z.literal('centroid') }),
  z.object({ kind: z.literal('inside') }),
  z.object({ kind: z.literal('buffer'), metres }),
  z.object({ kind: z.literal('simplify'), metres }),
  z.object({ kind: z.literal('none') }),
]);
/** One layer of an extract: the features that a tree keeps, and what becomes of them. */
const extractLayer = z.object({
  sourceId: z.number().int().positive(),
  tree: group,
  name,
  columns: z.array(columnChoice).max(10_000),
  shape: shapeChoice,
  /** Code of a system, `EPSG:25832`; null for that of the source. */
  crs: z.string().nullable(),
  order,
  cut,
  colour: z.string().regex(/^#[0-9a-f]{6}$/i),
  /** Rows picked by hand, of those that are kept; null for all. */
  picks: z
    .array(z.number().int().min(0))
    .max(1_000_000, 'More than 1,000,000 features cannot go by number; use a condition that keeps them')
    .nullable()
    .default(null),
  /** How those came to be picked, as in "those picked by hand", which they were unless it is said. */
  pickedAs: z.string().trim().max(500).nullable().default(null),
});
export type ExtractLayer = z.infer<typeof extractLayer>;
/** A layer as a new source of its name. */
export const subsetRequest = extractLayer;
export const extractRequest = z.object({
  title: name,
  format: z.string(),
  layers: z.array(extractLayer).min(1).max(50),
  /** An area that every layer is limited to, and whether what reaches out of it is cut off. */
  within: z.object({ area: z.string(), cut: z.boolean(), tolerance: z.number().min(0) }).nullable(),
  /** A zip archive with the files and the note. */
  zip: z.boolean(),
  coordinates: z.enum(['columns', 'wkt']).nullable(),
  guarded: z.boolean(),
});
export type ExtractRequest = z.infer<typeof extractRequest>;

/** A map to be put on a page; lengths on the page in points. */
export const pageRequest = z.object({
  paper: z.enum(['a4', 'a3']),
  landscape: z.boolean(),
  title: name,
  sentence: z.string().max(5000),
  legend: z.array(z.object({ name: z.string(), count: z.string(), colour: z.string(), path: z.string() })).max(200),
  scale: z.string(),
  bar: z.object({ points: z.number().positive(), label: z.string() }),
  system: z.string(),
  date: z.string(),
  /** The map as PNG, base64. */
  picture: z.base64(),
});
export type PageRequest = z.infer<typeof pageRequest>;

/** Something that was handed over. */
export interface ExtractInfo {
  id: string;
  title: string;
  madeAt: string;
  format: string;
  features: number;
  of: number;
  files: { name: string; bytes: number; sha256: string }[];
  again: { id: string; differences: string[] } | null;
}
export interface ExtractsAnswer {
  extracts: ExtractInfo[];
}

/** All rows of a layer, for the clipboard. */
export interface RowsOfLayer {
  columns: string[];
  rows: Cell[][];
}
/** One feature as texts. */
export interface FeatureTexts {
  geojson: string;
  wkt: string;
}

/** What an extract would be, before it is made. */
export interface PreviewAnswer {
  layers: {
    name: string;
    kept: number;
    of: number;
    columns: string[];
    rows: Cell[][];
    shapes: string[];
    /** What the format does not hold as it is. */
    losses: Loss[];
    error: string | null;
  }[];
  files: string[];
  /** Estimated from the first features. */
  bytes: number;
  /** An extract of the same name that is there already: when it was made. */
  namesake: string | null;
}

type Cell = number | string | boolean | null;

/** Head of the answer to a sift request; the mask's bytes follow it (see `sift_frame.ts`). */
export interface SiftHead {
  total: number;
  kept: number;
  unknown: number;
  rows: { id: string; reach: number; left: number; unknown: number; alone: number }[];
  /** Features that only this condition leaves out, by condition. */
  nearMisses: Record<string, number>;
  /** Features that would be kept without this condition or group. */
  without: Record<string, number>;
  /** What is probably not meant, with a change that mends it. */
  findings: Finding[];
}
export interface RowsAnswer {
  total: number;
  /** Columns that conditions show, whose cells follow those of the source's own. */
  matches: { condition: string; shows: MatchColumn; name: string; type: ColumnInfo['type'] }[];
  rows: { row: number; cells: Cell[] }[];
}
export interface FeatureAnswer {
  row: number;
  kept: boolean;
  cells: Cell[];
  /** West, south, east, north in degrees; null without a geometry. */
  box: [number, number, number, number] | null;
  geometryType: string;
  reasons: Reason[];
}
export interface CurveAnswer {
  curve: BoundCurve | null;
}
export interface EmptinessAnswer {
  emptiness: Emptiness | null;
}
export interface CountsAnswer {
  kept: number[];
}
export interface TimesAnswer {
  /** Null for a column without times. */
  times: TimeCounts | null;
}
export interface FiguresAnswer {
  all: Figures;
  kept: Figures;
}
/** A column in numbers. Times are ISO text. */
export interface ProfileAnswer {
  rows: number;
  nulls: number;
  empty: number;
  distinct: number;
  min: Cell;
  max: Cell;
  mean: number | null;
  median: Cell;
  sum: number | null;
  histogram: HistogramAnswer['histogram'];
  /** Every distinct value with its count, most frequent first. */
  values: { value: string | number | boolean; count: number }[];
  /** Longest time without a value, of a column of dates: the days before and after. */
  gap: { from: string; to: string; days: number } | null;
}
export const profileRequest = z.object({ column: z.string() });
export interface OffersAnswer {
  offers: TypeOffer[];
}
export interface RemarksAnswer {
  remarks: Remark[];
}
export interface CrsAnswer {
  systems: { code: number; name: string; area: string }[];
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
  result: {
    sourceId?: number;
    sourceIds?: number[];
    version?: VersionAnswer;
    /** Rows of a part of a comparison, and the source that they are of. */
    part?: { sourceId: number; rows: number[] };
    measure?: Measure;
    cut?: CutReport;
    looks?: LayerLook[];
    extract?: ExtractInfo;
    features?: number;
    bytes?: number;
  } | null;
}
export interface ErrorAnswer {
  error: string;
  /** Refused because another window has changed the same meanwhile. */
  elsewhere?: true;
}

/** What can be asked of a source, each as a POST to `/sources/:id/` and its name. */
export const QUESTIONS = {
  rows: rowsRequest,
  rowNumbers: rowNumbersRequest,
  place: placeRequest,
  why: whyRequest,
  values: valuesRequest,
  histogram: histogramRequest,
  curve: curveRequest,
  emptiness: treeRequest,
  counts: countsRequest,
  figures: figuresRequest,
  times: figuresRequest,
  profile: profileRequest,
  offers: offersRequest,
  shape: shapeRequest,
  nearby: nearbyRequest,
  feature: featureRequest,
  there: thereRequest,
  boxes: boxesRequest,
  extent: treeRequest,
} as const;
export type QuestionName = keyof typeof QUESTIONS;
export type Question<K extends QuestionName> = z.infer<(typeof QUESTIONS)[K]>;

/** What is answered to each. */
export interface Answers {
  rows: RowsAnswer;
  rowNumbers: { rows: number[] };
  place: { place: number };
  why: FeatureAnswer;
  values: ValuesAnswer;
  histogram: HistogramAnswer;
  curve: CurveAnswer;
  emptiness: EmptinessAnswer;
  counts: CountsAnswer;
  figures: FiguresAnswer;
  times: TimesAnswer;
  profile: ProfileAnswer;
  offers: OffersAnswer;
  shape: ValidAnswer;
  nearby: NearbyAnswer;
  feature: FeatureTexts;
  there: ThereAnswer;
  boxes: BoxesAnswer;
  extent: ExtentAnswer;
}
