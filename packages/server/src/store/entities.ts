import { defineEntity, type InferEntity, p } from '@mikro-orm/core';
import type { AreaShape, ColumnSummary, ColumnType, Crs, Derivation, ExtractNote, Group, Remark, Style, View } from '@clean-sieve/core';
import type { ExtractRequest, FetchedFrom, ReadingChoice } from '../api/contract.ts';

export const Workspace = defineEntity({
  name: 'Workspace',
  properties: {
    id: p.integer().primary(),
    name: p.string(),
    /** ISO day that relative dates count from; null is today. */
    asOf: p.string().nullable(),
  },
});

/**
 * `ground`: the land that the map is drawn on. `candidate`, `older`: versions of another source, not in use. `making`: not whole
 * yet, and seen by nobody; what is left of it at a start was never finished.
 */
export type SourceRole = 'layer' | 'ground' | 'candidate' | 'older' | 'making';

export const Source = defineEntity({
  name: 'Source',
  properties: {
    id: p.integer().primary(),
    workspace: () => p.manyToOne(Workspace),
    name: p.string(),
    fileName: p.string(),
    format: p.string(),
    /** Name of the layer in the file. */
    layer: p.string().nullable(),
    encoding: p.string().nullable(),
    crs: p.json<Crs>(),
    rowCount: p.integer(),
    role: p.string().$type<SourceRole>(),
    /** The source that this one is another version of; null for a source of its own. */
    versionOf: p.integer().nullable(),
    /** When it came in, ISO 8601. */
    takenAt: p.string(),
    extent: p.json<[number, number, number, number] | null>().nullable(),
    geometryTypes: p.json<Record<string, number>>(),
    notes: p.json<string[]>(),
    /** SHA-256 of the file; null for a source that was taken from another. */
    hash: p.string().nullable(),
    /** What was said of the file where it does not say itself. */
    reading: p.json<ReadingChoice>().nullable(),
    /** For features of a service: where they were fetched from. */
    fetchedFrom: p.json<FetchedFrom>().nullable(),
    /** Refused features and repairs, one by one. */
    remarks: p.json<Remark[]>().lazy(),
    /** Invalid shapes as they came, and which geometry is in use: that, or the copy in which they are repaired. */
    invalidShapes: p.integer(),
    shapes: p.string().$type<'original' | 'repaired'>(),
    style: p.json<Style>().nullable(),
    view: p.json<View>().nullable(),
    /** Drawn below everything else, as part of the ground. */
    below: p.boolean().default(false),
    columns: () => p.oneToMany(SourceColumn).mappedBy('source'),
  },
});

export const SourceColumn = defineEntity({
  name: 'SourceColumn',
  properties: {
    id: p.integer().primary(),
    source: () => p.manyToOne(Source).deleteRule('cascade'),
    ordinal: p.integer(),
    name: p.text(),
    type: p.string().$type<ColumnType>(),
    role: p.string().nullable(),
    summary: p.json<ColumnSummary>(),
    /** Name and description for the reader; null where the column's own name serves. */
    title: p.string().nullable(),
    description: p.text().nullable(),
    hidden: p.boolean(),
    /** Another one whenever its values are stored anew. */
    stamp: p.string(),
    /** For a derived column: what it was made of. */
    derivation: p.json<Derivation>().nullable(),
    codeList: () => p.manyToOne(CodeList).nullable().deleteRule('set null'),
    /** Packed bytes and offsets of the distinct texts; null for other types. */
    dictionary: p.uint8array().lazy().nullable(),
  },
});

/** Codes and what they mean. */
export const CodeList = defineEntity({
  name: 'CodeList',
  properties: {
    id: p.integer().primary(),
    workspace: () => p.manyToOne(Workspace),
    name: p.string(),
    entries: p.json<[string, string][]>(),
  },
});

/** A named shape that conditions use by its name. */
export const Area = defineEntity({
  name: 'Area',
  properties: {
    id: p.integer().primary(),
    workspace: () => p.manyToOne(Workspace),
    name: p.string(),
    /** In longitude and latitude. */
    shape: p.json<AreaShape>(),
  },
});

/** The values of one column in up to 65,536 consecutive rows. */
export const RowGroup = defineEntity({
  name: 'RowGroup',
  properties: {
    id: p.integer().primary(),
    column: () => p.manyToOne(SourceColumn).deleteRule('cascade'),
    ordinal: p.integer(),
    rowCount: p.integer(),
    nulls: p.integer(),
    min: p.double().nullable(),
    max: p.double().nullable(),
    values: p.uint8array().lazy(),
  },
});

/** The geometries of up to 65,536 consecutive rows with their R-tree. */
export const GeometryGroup = defineEntity({
  name: 'GeometryGroup',
  tableName: 'geometry',
  properties: {
    id: p.integer().primary(),
    source: () => p.manyToOne(Source).deleteRule('cascade'),
    variant: p.string().$type<'original' | 'repaired'>(),
    ordinal: p.integer(),
    rowCount: p.integer(),
    shapes: p.uint8array().lazy(),
  },
});

export const Sieve = defineEntity({
  name: 'Sieve',
  properties: {
    id: p.integer().primary(),
    source: () => p.manyToOne(Source).deleteRule('cascade'),
    name: p.string().nullable(),
    tree: p.json<Group>(),
    colour: p.integer(),
    visible: p.boolean(),
    style: p.json<Style>().nullable(),
    view: p.json<View>().nullable(),
    /** Values of the conditions that the name mentioned when it was given by hand. */
    mentions: p.json<string[]>(),
    /** Counts the changes of name and conditions, so that a change made from an older state is noticed. */
    version: p.integer().default(1),
  },
});

/** Something handed over, with its files in a folder of its own by its id. */
export const Extract = defineEntity({
  name: 'Extract',
  properties: {
    id: p.string().primary(),
    workspace: () => p.manyToOne(Workspace),
    title: p.string(),
    madeAt: p.string(),
    format: p.string(),
    features: p.integer(),
    of: p.integer(),
    files: p.json<{ name: string; bytes: number; sha256: string }[]>(),
    /** Whether it is what an earlier one was, made again: that one's id and how it differs. */
    again: p.json<{ id: string; differences: string[] }>().nullable(),
    request: p.json<ExtractRequest>().lazy(),
    note: p.json<ExtractNote>().lazy(),
  },
});

/** The header that a service wants to see, by the address of its landing page. It is told to nobody but that service. */
export const ServiceKeyRow = defineEntity({
  name: 'ServiceKey',
  properties: {
    address: p.text().primary(),
    header: p.text(),
    value: p.text(),
  },
});

export type SourceRow = InferEntity<typeof Source>;
export type SourceColumnRow = InferEntity<typeof SourceColumn>;
export type SieveRow = InferEntity<typeof Sieve>;
/** A sieve published at a link. */
export const Feed = defineEntity({
  name: 'Feed',
  properties: {
    /** The part of the link that cannot be guessed. */
    id: p.string().primary(),
    sieve: () => p.manyToOne(Sieve).deleteRule('cascade'),
    madeAt: p.string(),
    /** Identifier of its collection, which stays whatever the sieve is called later. */
    collection: p.string(),
    /** What it holds for good; null where it follows its sieve. */
    frozen: p.json<FrozenFeed>().nullable(),
  },
});

/** The features of a feed that does not follow its sieve. */
export interface FrozenFeed {
  /** The version of the source, by when it came in. */
  takenAt: string;
  /** Which of its features, a bit each, base64. */
  rows: string;
  kept: number;
  name: string;
  sentence: string;
}

export type FeedRow = InferEntity<typeof Feed>;
export type ExtractRow = InferEntity<typeof Extract>;
export type AreaRow = InferEntity<typeof Area>;

export const ENTITIES = [Workspace, Source, SourceColumn, CodeList, Area, RowGroup, GeometryGroup, Sieve, Extract, Feed, ServiceKeyRow];
