import {
  ALIKE_TELLS,
  canonicalExpr,
  BREAK_METHODS,
  COLUMN_TYPES,
  isBuffer,
  isExpr,
  isGeometry,
  isPlaneName,
  lengthUnit,
  MATCH_COLUMNS,
  MOST_CLASSES,
  RUN_CLASSES,
  positionsIn,
  RAMPS,
  SEVERAL_ROWS,
  IN_SEVERAL,
  PLACED_BY,
  ZONE_FIGURES,
  SPREADS,
  TOTALS,
  TWO_WAY_RAMPS,
  type Alike,
  type BlankCause,
  type ColumnProfile,
  type ColumnType,
  type Aggregates,
  type Aggregation,
  type AggregationKind,
  type Amount,
  type AreaShape,
  type BoundCurve,
  type Chart,
  type Classing,
  type Crs,
  type CutReport,
  type DecidedBy,
  type Derivation,
  DIFFERENCE_PARTS,
  type Difference,
  type Emptiness,
  type Explained,
  type Expr,
  type FeatureKey,
  type FeaturesThere,
  type Finding,
  type FoundText,
  type Group,
  type KeyPair,
  type LikenessOffer,
  type Loss,
  type MatchReport,
  type Measure,
  type Page,
  type PlaneName,
  type Remark,
  type Sifted,
  type StackOfCombinations,
  type Style,
  type TableLayout,
  type TreeNode,
  type TypeOffer,
  type TypedDerivation,
  type Value,
  type View,
  type ZoneAccount,
  type ZoneFigure,
  type NearTold,
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

const cellValue = z.union([z.number(), z.string(), z.boolean()]);
const classing: z.ZodType<Classing> = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('values'),
    column: z.string(),
    classes: z
      .array(
        z.object({ value: cellValue, mark: z.object({ colour: z.number().int().min(0).max(7), shape: z.number().int().min(0).max(7) }) }),
      )
      .max(MOST_CLASSES),
  }),
  z.object({
    kind: z.literal('steps'),
    column: z.string(),
    method: z.enum([...BREAK_METHODS, 'own', 'continuous']),
    bounds: z
      .array(z.number())
      .max(RUN_CLASSES - 1)
      .refine((bounds) => bounds.every((bound, i) => i === 0 || bounds[i - 1] < bound), 'do not ascend'),
    ramp: z.enum([...RAMPS, ...TWO_WAY_RAMPS]),
    middle: z
      .number()
      .int()
      .min(0)
      .max(RUN_CLASSES - 2)
      .nullable(),
    patterned: z.boolean().optional(),
  }),
]);
/** How features are drawn; null: in the one colour and shape. */
const style: z.ZodType<Style | null> = z
  .object({
    classing: classing.nullable(),
    hidden: z.array(z.number().int().min(0).max(255)).max(70),
    opacity: z.number().min(0.1).max(1),
    size: z.number().min(0.25).max(5).optional(),
    label: z.string().max(10_000).nullable().optional(),
    sizeBy: z.string().max(10_000).nullable().optional(),
  })
  .nullable();

const columnName = z.string().max(10_000);
const chosen = columnName.nullable();
const chart: z.ZodType<Chart> = z
  .discriminatedUnion('kind', [
    z.object({ kind: z.literal('bars'), column: chosen }),
    z.object({ kind: z.literal('share'), column: chosen }),
    z.object({ kind: z.literal('histogram'), column: chosen }),
    z.object({ kind: z.literal('times'), column: chosen }),
    z.object({ kind: z.literal('scatter'), x: chosen, y: chosen }),
    z.object({ kind: z.literal('boxes'), of: chosen, by: chosen }),
    z.object({ kind: z.literal('groups'), by: chosen, and: chosen, of: chosen }),
  ])
  .and(z.object({ id: z.string().min(1).max(64) }));
const someColumns = z.array(columnName).max(10_000);
const layout: z.ZodType<TableLayout> = z.object({
  sort: z.array(z.object({ column: z.string(), descending: z.boolean() })).max(8),
  pinned: someColumns,
  order: someColumns,
  hidden: someColumns,
  widths: z.record(z.string(), z.number().min(30).max(4000)),
  totals: z.enum(TOTALS).nullable(),
});
/** What is looked at beside the map; null: as it comes. */
const view: z.ZodType<View | null> = z
  .object({ charts: z.array(chart).max(40).nullable(), table: layout.nullable(), hover: someColumns.nullable(), maps: chosen })
  .nullable();

/** What tells a feature from all others of its source. */
const featureKey: z.ZodType<FeatureKey> = z.union([z.number().int().min(0), z.string().max(1000)]);

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

/** Where a source was fetched from, so that it can be fetched again. */
const fetchedFrom = z.object({
  /** Of the landing page. */
  address: z.string(),
  collection: z.string(),
  /** CQL2 text, with the shapes of areas in the place of their names. */
  filter: z.string().nullable(),
  leftOut: z.array(z.string()),
  askedAt: z.string(),
  /** Features that the service said there are, and that came. */
  matched: z.number().nullable(),
  came: z.number(),
  /**
   * Of a live source, whose features are not stored: what names its answer as long as the program runs; null where it has not been
   * asked since that began. With its conditions, and where each was decided.
   */
  live: z
    .object({
      held: z.uuid().nullable(),
      conditions: z.array(z.object({ text: z.string(), by: z.enum(['there', 'both', 'here']) })),
      /** Of a large table: how many rows were wanted of it, taken by chance, and how many there were to take from. */
      sample: z.object({ wanted: z.number(), of: z.number() }).optional(),
    })
    .optional(),
});
export type FetchedFrom = z.infer<typeof fetchedFrom>;

const sourceInfo = z.object({
  id: z.number(),
  name: z.string(),
  fileName: z.string(),
  format: z.string(),
  layer: z.string().nullable(),
  encoding: z.string().nullable(),
  crs: z.custom<Crs>(),
  /** All that there are, and those that are here: fewer where only a sample is held. */
  rows: z.number(),
  held: z.number(),
  /** `ground`: the land that the map is drawn on, without sieves of its own. */
  role: z.enum(['layer', 'ground', 'candidate', 'older']),
  takenAt: z.string(),
  /** Versions that were in use before, latest first. */
  older: z.array(z.object({ id: z.number(), takenAt: z.string(), rows: z.number(), fileName: z.string() })),
  /** West, south, east, north in degrees; null when no feature has a geometry. */
  extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
  geometryTypes: z.record(z.string(), z.number()),
  notes: z.array(z.string()),
  /** Null for one that did not come from a service. */
  fetchedFrom: fetchedFrom.nullable(),
  invalidShapes: z.number(),
  /** The geometry in use: as it came, or the copy in which invalid shapes are repaired. */
  shapes: z.enum(['original', 'repaired']),
  /** How it is drawn where it is looked at as a whole. */
  style,
  view,
  /** Drawn below everything else, as part of the ground. */
  below: z.boolean(),
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
  style,
  view,
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
/** With an identity it is one that was removed and comes back. */
export const newArea = areaInfo.partial({ id: true });
export type NewArea = z.infer<typeof newArea>;
export const areaChange = areaInfo.omit({ id: true }).partial();
export type AreaChange = z.infer<typeof areaChange>;
/** A change, and what it was made from: it is refused where that is something else by now. */
export const areaChangeRequest = areaChange.extend({ from: areaChange.optional() });

/** A shape that is valid, and what was wrong with the one given; null when nothing was. */
export interface ValidAnswer {
  shape: Geometry;
  repaired: string | null;
}
/** West, south, east, north in degrees. */
const box = z.tuple([z.number(), z.number(), z.number(), z.number()]);
export const nearbyRequest = z.object({ box });
export interface NearbyAnswer {
  shapes: Geometry[];
}
/** What the map is drawn on. */
export const planeName = z.custom<PlaneName>((name) => typeof name === 'string' && isPlaneName(name), 'is no plane of the map');
/** A place of the map and how far off a feature may lie, in metres of its plane. */
export const thereRequest = z.lazy(() =>
  selection.extend({ plane: planeName, x: z.number(), y: z.number(), reach: z.number().min(0), nameColumn: z.string().nullable() }),
);
/** What is written beside the features of a selection in a box. */
export const labelsRequest = z.lazy(() => selection.extend({ box, column: z.string() }));
export interface LabelsAnswer {
  /** Of a selection with more in the box, only some, spread over it. */
  labels: { key: FeatureKey; lon: number; lat: number; value: string | number | boolean }[];
  total: number;
}
export const boxesRequest = z.object({ keys: z.array(featureKey).max(1000) });
/** Where features lie, in degrees; null for one without a place on the map. */
export interface BoxesAnswer {
  boxes: (z.infer<typeof box> | null)[];
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
  /** Address of the simulated service that goes with the demo, where it runs. */
  simulatedAt: z.string().nullable(),
});
export type WorkspaceState = z.infer<typeof workspaceState>;

export const workspaceChange = z.object({ name: name.optional(), asOf: isoDay.nullable().optional() });
export type WorkspaceChange = z.infer<typeof workspaceChange>;
export const workspaceChangeRequest = workspaceChange.extend({ from: workspaceChange.optional() });
export const sourceChange = z.object({ name, shapes: z.enum(['original', 'repaired']), style, view, below: z.boolean() }).partial();
export type SourceChange = z.infer<typeof sourceChange>;
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
const typed: z.ZodType<TypedDerivation> = z.object({
  kind: z.literal('typed'),
  from: columnName,
  as: z.enum(['number', 'boolean', 'date', 'datetime']),
  decimal: z.enum(['point', 'comma']),
  order: z.enum(['dmy', 'mdy']),
  unit: line(40).optional(),
  units: z
    .array(z.object({ text: line(40), times: z.string().max(40) }))
    .max(100)
    .optional(),
  pattern: line(200).optional(),
  firstYear: z.number().int().min(1).max(9900).optional(),
  words: z.object({ yes: z.array(line(200)).max(200), no: z.array(line(200)).max(200) }).optional(),
  instead: z
    .array(z.tuple([z.string().min(1), z.string().max(10_000)]))
    .max(100_000)
    .optional(),
});
/** How a text column would be read, before it is. */
export const typedLookRequest = z.object({ derivation: typed });
export interface TypedLook {
  present: number;
  fitting: number;
  /** Texts that cannot be converted, the most frequent first, cut off; and how many there are, in how many rows. */
  misfits: { value: string; count: number }[];
  misfitTexts: number;
  misfitRows: number;
  instead: number;
  losesZeros: boolean;
  /** What stands beside the numbers, the most frequent first. */
  units: { text: string; rows: number }[];
  /** The first features whose text can be converted, and whose cannot. */
  samples: { key: FeatureKey; text: string; value: Cell }[];
  /** Of the values; null where there are none. */
  profile: ColumnProfile | null;
}
/** @property replaces how the column is read, where it is there and changed; null for a new one */
export const typedColumnRequest = z.object({ name, derivation: typed, replaces: typed.nullable() });
export type TypedColumnRequest = z.infer<typeof typedColumnRequest>;
const likeness = z.object({ spaces: z.boolean(), case: z.boolean(), accents: z.boolean(), zeros: z.boolean() });
const alike: z.ZodType<Alike> = z.object({
  columns: z.array(columnName).max(100),
  like: likeness,
  blanks: z.boolean(),
  within: z.number().min(0).max(1_000_000).nullable(),
});
/** Which features are alike, before it is told in columns. */
export const alikeLookRequest = z.object({ alike });
export interface AlikeLook {
  rows: number;
  groups: number;
  /** Features in groups, and in the largest of them. */
  features: number;
  largest: number;
  /** Features that cannot be compared. */
  unknown: number;
  /** The first groups: some of their features, and how many each has. */
  samples: { size: number; features: { key: FeatureKey; values: Cell[] }[] }[];
  /** The columns whose values the samples have. */
  columns: string[];
}
export type AlikeLookRequest = z.infer<typeof alikeLookRequest>;
/** What is told of the features that are alike. */
export const alikeRequest = z.object({
  alike,
  columns: z
    .array(z.object({ name, tells: z.enum(ALIKE_TELLS) }))
    .min(1)
    .max(3),
});
export type AlikeRequest = z.infer<typeof alikeRequest>;
const formula = z.object({ expr, unit: line(40).nullable() });
export type Formula = z.infer<typeof formula>;
const computedColumn = formula.extend({ name });
export type ComputedColumn = z.infer<typeof computedColumn>;
/** @property replaces what the column is computed by, where it is there and changed; null for a new one */
export const computedColumnRequest = computedColumn.extend({ replaces: formula.nullable() });
export type ComputedColumnRequest = z.infer<typeof computedColumnRequest>;
/** What an expression gives, before it is kept. */
export const computedLookRequest = z.object({ expr });
export interface ComputedLook {
  type: ColumnType;
  profile: ColumnProfile;
  blanks: BlankCause[];
  /** The first features that have a value, and the first that have none, with the cells that it is computed of. */
  samples: { key: FeatureKey; given: Cell[]; value: Cell }[];
  /** Columns that it is computed of. */
  from: string[];
}
const keyPair = z.object({ own: columnName, other: columnName });
const keysAlike = {
  /** The source that columns are taken from. */
  table: z.number().int().positive(),
  pairs: z.array(keyPair).max(8),
  like: likeness,
};
/** How a source and a table fit together, before anything is joined; with no pairs those that are likely are tried. */
export const joinLookRequest = z.object(keysAlike);
export type JoinLookRequest = z.infer<typeof joinLookRequest>;
export interface JoinLook {
  /** The pairs that the report is of. */
  pairs: KeyPair[];
  /** Null where no columns are likely to hold the same key. */
  report: MatchReport | null;
  offers: LikenessOffer[];
}
/** Columns of a table that are to stand beside the features of the same key. */
export const joinRequest = z.object({
  ...keysAlike,
  pairs: keysAlike.pairs.min(1),
  columns: z
    .array(z.object({ column: columnName.nullable(), name, several: z.enum(SEVERAL_ROWS) }))
    .min(1)
    .max(200),
});
export type JoinRequest = z.infer<typeof joinRequest>;
const byPlace = {
  table: z.number().int().positive(),
  by: z.enum(PLACED_BY),
  /** The nearest is at most so many metres away; null: however far. */
  most: z.number().positive().max(2.1e7).nullable(),
};
/** How many features find another by their place, before columns of those are taken. */
export const placedLookRequest = z.object(byPlace);
export type PlacedLookRequest = z.infer<typeof placedLookRequest>;
export interface PlacedLook {
  rows: number;
  found: number;
  /** In several zones, of which the first is taken. */
  several: number;
  /** The farthest of the nearest, in metres; null where there is none. */
  farthest: number | null;
}
/** Columns of the feature that belongs to each by its place. */
export const placedRequest = z.object({
  ...byPlace,
  columns: z
    .array(z.object({ column: columnName.nullable(), name }))
    .min(1)
    .max(200),
});
export type PlacedRequest = z.infer<typeof placedRequest>;
const zoneFigure: z.ZodType<ZoneFigure> = z.object({
  kind: z.enum(ZONE_FIGURES),
  column: columnName.nullable(),
  weight: columnName.nullable(),
  unit: z.string().max(10).nullable(),
  several: z.enum(IN_SEVERAL),
  part: z
    .object({
      column: columnName,
      by: z.enum(SPREADS),
      values: z.array(z.union([z.number(), z.string(), z.boolean(), z.null()])).max(1000),
      others: z.boolean(),
    })
    .optional(),
});
/** Whose features are summed up: a source, all of them or what a sieve keeps. */
const zonedOf = z.object({ source: z.number().int().positive(), sieve: z.number().int().positive().nullable() });
export const zonedLookRequest = z.object({ features: zonedOf });
export type ZonedLookRequest = z.infer<typeof zonedLookRequest>;
/** How features and zones lie to each other, before anything is summed up. */
export interface ZonedLook {
  zones: number;
  account: ZoneAccount;
}
/** The values that features are told apart by, before figures are spread over them. */
export const spreadLookRequest = z.object({ features: zonedOf, column: columnName, by: z.enum(SPREADS) });
export type SpreadLookRequest = z.infer<typeof spreadLookRequest>;
export interface SpreadLook {
  /** The most frequent ones, ascending, with how many features have each. */
  values: { value: Value; rows: number }[];
  /** Different values in all. */
  distinct: number;
  rows: number;
}
/** Figures of features beside the zones that they lie in, each with what it is shown as. */
export const zonedRequest = z.object({
  features: zonedOf,
  figures: z
    .array(z.object({ name, figure: zoneFigure, title: line(200).nullable().default(null), unit: line(40).nullable().default(null) }))
    .min(1)
    .max(400),
  /** Columns that are computed of the figures and the zones' own, such as rates. */
  computed: z
    .array(computedColumn.extend({ title: line(200).nullable().default(null) }))
    .max(400)
    .default([]),
});
export type ZonedRequest = z.infer<typeof zonedRequest>;
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

export const newSieve = sieveInfo.omit({ id: true, version: true }).extend({
  id: z.number().int().positive().optional(),
  mentions: z.array(z.string()).default([]),
  style: style.default(null),
  view: view.default(null),
});
export type NewSieve = z.input<typeof newSieve>;
export const sieveChange = sieveInfo
  .pick({ name: true, tree: true, colour: true, visible: true, style: true, view: true, mentions: true })
  .partial();
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
  /** A table that is taken without geometry. */
  bare: z.boolean(),
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
  /** Derived columns that cannot be made of the version, and why. */
  lost: { name: string; problem: string }[];
  sieves: { id: number; before: number | null; after: number | null; problem: string | null }[];
}

/** A header that a service wants to see: a token or a key. */
const serviceKey = z.object({
  header: z
    .string()
    .regex(/^[\w!#$%&'*+.^`|~-]{1,100}$/, 'The name of a header is letters, digits and hyphens, as in Authorization')
    .refine((name) => !/^(host|content-length|connection|transfer-encoding|accept|cookie)$/i.test(name), 'That header is set otherwise'),
  value: z
    .string()
    .min(1)
    .max(8000)
    .regex(/^[\x20-\x7e]+$/, 'A key is of plain letters, digits and signs'),
});
export const surveyRequest = z.object({ address: z.string().min(1).max(2000), key: serviceKey.nullable() });

export const keyRequest = z.object({ address: z.url() });

const serviceCollection = z.object({
  id: z.string(),
  title: z.string(),
  description: z.string(),
  /** West, south, east, north in degrees. */
  extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
  /** From and to, ISO 8601; null is open. */
  period: z.tuple([z.string().nullable(), z.string().nullable()]).nullable(),
  systems: z.array(z.string()),
  storage: z.string().nullable(),
  items: z.url(),
  queryables: z.url(),
});
/** A collection of features that a service has. */
export type ServiceCollection = z.infer<typeof serviceCollection>;

/** What there is at an address. */
export interface ServiceSurvey {
  /** The address of the landing page. */
  address: string;
  title: string;
  description: string;
  conformance: string[];
  collections: ServiceCollection[];
  /** The collection whose own address was given. */
  chosen: string | null;
  /** Whether a key is kept for it. */
  hasKey: boolean;
}

/** Features of a collection that are asked for; `filter` is CQL2 text about the columns of its features. */
const serviceQuery = z.object({
  /** Of the landing page. */
  address: z.url(),
  conformance: z.array(z.string()),
  collection: serviceCollection,
  filter: z.string().max(100_000).nullable(),
});
export const serviceLookRequest = serviceQuery.extend({
  /** The columns as an earlier look has told them: the features are not looked at once more then. */
  known: z.array(z.object({ name: z.string(), type: z.enum(COLUMN_TYPES) })).nullable(),
});
export type ServiceLookRequest = z.infer<typeof serviceLookRequest>;
export type ServiceQuery = z.infer<typeof serviceQuery>;

/** What would come of a collection, from its first features and its own count. */
export interface ServiceLook {
  /** Null where the columns were known. */
  look: LayerLook | null;
  /** Features that the service says would come; null where it does not say. */
  matched: number | null;
  /** How many there are without conditions, where the features were looked at and the service says so. */
  all: number | null;
  /** Why the conditions cannot be asked; there is no count then. */
  problem: string | null;
  /** The conditions that all have to hold, and where each is decided. */
  conditions: { text: string; by: DecidedBy }[];
  /** What could be counted: how many are kept, and of each condition how many are left after it and unknown. */
  stack: { kept: number | null; rows: { left: number | null; unknown: number | null }[] } | null;
}

/** Of what is live in a database: so many rows come, taken by chance; null for all. */
const sampleSize = z.number().int().min(1).max(2_000_000).nullable();

export const fetchRequest = serviceQuery.extend({
  name,
  /** Columns that are left out; what the first features do not show comes in. */
  leftOut: z.array(z.string()),
  /** Goes on where an earlier try has stopped. */
  into: z.uuid().nullable(),
  /** Nothing is stored: it is asked anew whenever the program begins, and whenever that is wanted. */
  live: z.boolean().default(false),
  sample: sampleSize.default(null),
});
/** What a live source is asked for from now on; without it as before. */
export const askRequest = fetchRequest.pick({ filter: true, leftOut: true }).extend({ sample: sampleSize }).partial();
export type AskRequest = z.infer<typeof askRequest>;
export type FetchRequest = z.infer<typeof fetchRequest>;
/** What of a collection comes, and as what. */
export type WantedPart = Pick<FetchRequest, keyof ServiceQuery | 'leftOut' | 'live' | 'sample'>;

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
export const selection = z.object({
  tree: group,
  nearMissesOf: z.string().optional(),
  /** Of those only these; to ask about features picked by hand. */
  among: z.array(featureKey).max(1_000_000, 'More than 1,000,000 features cannot be asked about one by one').optional(),
});

const sortColumn = z.object({ column: z.string(), descending: z.boolean() });
const order = z.array(sortColumn).max(8);
export const rowsRequest = selection.extend({
  order,
  offset: z.number().int().min(0),
  limit: z.number().int().min(1).max(500),
});
/** Which features stand from one place on; all at once, so that a range is of one moment. */
export const keysRequest = selection.extend({
  order,
  offset: z.number().int().min(0),
  count: z.number().int().min(0),
});
export const placeRequest = selection.extend({ order, key: featureKey });
export const searchRequest = selection.extend({
  order,
  wanted: z.object({
    text: z.string().min(1).max(1000),
    columns: z.array(columnName).min(1).max(10_000),
    from: z.number().int().min(0),
    limit: z.number().int().min(1).max(100),
  }),
});
export const explainRequest = z.object({ tree: group, key: featureKey });
const ofColumn = { column: z.string() };
const bins = z.number().int().min(1).max(400);
const aggregation: z.ZodType<Aggregation> = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('values'), ...ofColumn }),
  z.object({ kind: z.literal('histogram'), ...ofColumn, bins }),
  z.object({ kind: z.literal('figures'), ...ofColumn }),
  z.object({ kind: z.literal('times'), ...ofColumn }),
  z.object({ kind: z.literal('groups'), by: z.array(z.string()).min(1).max(2), of: z.string().nullable() }),
  z.object({ kind: z.literal('pairs'), x: z.string(), y: z.string(), most: z.tuple([bins, bins]) }),
  z.object({ kind: z.literal('boxes'), of: z.string(), by: z.string().nullable() }),
  z.object({ kind: z.literal('extent') }),
  z.object({ kind: z.literal('breaks'), ...ofColumn, method: z.enum(BREAK_METHODS), count: z.number().int().min(2).max(9) }),
]);
/** Which class each feature is of, by a classing. */
export const classesRequest = z.object({ classing: z.union([classing, z.object({ kind: z.literal('sizes'), column: z.string() })]) });
/** What is drawn of the whole table that a source is a sample of: what a tree keeps, with the class of each by a classing. */
export const wholeTileAsk = z.object({ plane: planeName, tree: group, classing: classing.nullable() });
export type WholeTileAsk = z.infer<typeof wholeTileAsk>;
export const aggregateRequest = selection.extend({ aggregation });
/** Several aggregations at once, each of one of some trees. */
export const aggregatesRequest = z.object({
  trees: z.array(group).min(1).max(100),
  asked: z.array(selection.omit({ tree: true }).extend({ of: z.number().int().min(0), aggregation })).max(100),
});
export const curveRequest = z.object({ tree: group, condition: z.string(), side: z.enum(['low', 'high']) });
export const featureRequest = z.object({ key: featureKey });
export const treeRequest = z.object({ tree: group });
export const countsRequest = z.object({ trees: z.array(group).min(1).max(20) });
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
  order: sortColumn.nullable(),
  cut,
  colour: z.string().regex(/^#[0-9a-f]{6}$/i),
  /** How it is drawn, with the key to that, for the note; null or not said: in one colour. */
  drawn: z
    .object({ style, legend: z.array(z.object({ label: z.string().max(10_000), colour: z.string().max(40) })).max(300) })
    .nullable()
    .optional(),
  /** Features picked by hand, of those that are kept; null for all. */
  picks: z
    .array(featureKey)
    .max(1_000_000, 'More than 1,000,000 features cannot be handed over one by one; use a condition that keeps them')
    .nullable()
    .default(null),
  /** How those came to be picked, as in "those picked by hand", which they were unless it is said. */
  pickedAs: z.string().trim().max(500).nullable().default(null),
});
export type ExtractLayer = z.infer<typeof extractLayer>;
/** A source that is not brought in but made, of whatever kind. */
export const madeSourceRequest = z.discriminatedUnion('kind', [
  /** What a tree keeps of another source, as it is now. */
  z.object({ kind: z.literal('kept'), name, layer: extractLayer }),
  /** The cells of a grid that a box meets; `crs` is the code of the system in which squares and hexagons are regular. */
  z.object({
    kind: z.literal('grid'),
    name,
    grid: z.object({
      kind: z.enum(['square', 'hexagon', 'graticule', 'mgrs', 'british', 'irish']),
      size: z.number().positive(),
      crs: z.string().nullable(),
    }),
    box,
  }),
]);
export type MadeSourceRequest = z.infer<typeof madeSourceRequest>;
export type MadeSourceKind = MadeSourceRequest['kind'];
export type MadeSourceOf<K extends MadeSourceKind> = Extract<MadeSourceRequest, { kind: K }>;
export const extractRequest = z.object({
  title: name,
  format: z.string(),
  layers: z.array(extractLayer).min(1).max(50),
  /** An area, by its name, that every layer is limited to, and whether what reaches out of it is cut off. */
  within: z.object({ area: z.union([z.string(), z.number().int()]), cut: z.boolean(), tolerance: z.number().min(0) }).nullable(),
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
    kept: Amount;
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
export interface SiftHead extends Omit<Sifted, 'mask'> {
  /** What is probably not meant, with a change that mends it. */
  findings: Finding[];
  /** What of sources of which a sample is held was asked for, as far as it is near to this one. */
  near: NearTold[];
}
/** What of sources is being asked for at the moment, as far as it is near to others. */
export interface AsksAnswer {
  asks: JobState[];
}
/** The numbers of a stack, exactly, as far as they could be counted. */
export interface WholeCounts {
  total: number;
  kept: number;
  unknown: number;
  without?: StackOfCombinations['without'];
  nearMisses?: StackOfCombinations['nearMisses'];
  rows: (Omit<StackOfCombinations['rows'][number], 'alone'> & { alone?: number })[];
  /** Rows that came over to be decided. */
  came: number;
  /** Of each condition, by its id, where it was decided. */
  decided: Record<string, DecidedBy>;
}
export interface CurveAnswer {
  curve: BoundCurve | null;
}
export interface EmptinessAnswer {
  emptiness: Emptiness | null;
}
export interface CountsAnswer {
  kept: Amount[];
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
  histogram: Aggregates['histogram'];
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
    computed?: ComputedLook;
    typed?: TypedLook;
    alike?: AlikeLook;
    join?: JoinLook;
    zoned?: ZonedLook;
    spread?: SpreadLook;
    placed?: PlacedLook;
    looks?: LayerLook[];
    survey?: ServiceSurvey;
    service?: ServiceLook;
    /** The numbers of a stack over all that a source holds a sample of; null where they cannot be told. */
    counts?: WholeCounts | null;
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
  keys: keysRequest,
  place: placeRequest,
  search: searchRequest,
  explain: explainRequest,
  aggregate: aggregateRequest,
  aggregates: aggregatesRequest,
  curve: curveRequest,
  emptiness: treeRequest,
  counts: countsRequest,
  profile: profileRequest,
  offers: offersRequest,
  shape: selection,
  nearby: nearbyRequest,
  feature: featureRequest,
  there: thereRequest,
  boxes: boxesRequest,
  labels: labelsRequest,
} as const;
export type QuestionName = keyof typeof QUESTIONS;
export type Question<K extends QuestionName> = z.infer<(typeof QUESTIONS)[K]>;

/** What is answered to each. */
export interface Answers {
  rows: Page;
  keys: { keys: FeatureKey[] };
  place: { place: number };
  search: { found: FoundText[] };
  explain: Explained;
  aggregate: { aggregate: Aggregates[AggregationKind] };
  /** In the order asked for; one that cannot be told says why. */
  aggregates: { answers: ({ aggregate: Aggregates[AggregationKind] } | { refused: string })[] };
  curve: CurveAnswer;
  emptiness: EmptinessAnswer;
  counts: CountsAnswer;
  profile: ProfileAnswer;
  offers: OffersAnswer;
  shape: ValidAnswer;
  nearby: NearbyAnswer;
  feature: FeatureTexts;
  there: FeaturesThere;
  boxes: BoxesAnswer;
  labels: LabelsAnswer;
}
