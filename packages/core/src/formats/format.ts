import type { CrsClue } from '../crs/crs.ts';
import type { FeatureTable } from '../features/table.ts';
import type { Input } from './input.ts';
import type { Writing } from './writing.ts';

/** What a reader was given beside the file. */
export interface ReadOptions {
  /** Name of the layer to read, of those that `layers` lists. */
  layer?: string;
  /** Columns of a table that hold x (longitude, easting) and y (latitude, northing), where the names do not tell. */
  longitude?: string;
  latitude?: string;
  /** The column of a table that holds well-known text. */
  wkt?: string;
  /** A table is taken without geometry, whatever its columns are called. */
  bare?: boolean;
  /** Stop after so many features: for a look at what is there. */
  most?: number;
  /** Called now and then with the features and bytes read so far; may throw Cancelled. */
  progress?: (features: number, bytes: number) => void;
}

/** Something that was left out or changed on the way in, and where. */
export interface Remark {
  kind: 'refused' | 'repaired' | 'invalid';
  /** "Row 12", "Feature 3 (line 8)". */
  where: string;
  reason: string;
}

/** What was read, and what the person should know about it. */
export interface ReadResult {
  table: FeatureTable;
  crs: CrsClue;
  notes: string[];
  /** Refused features and repairs one by one; at most LONGEST_REPORT of them, the notes have the counts. */
  remarks: Remark[];
  /** Text encoding, where the format leaves it open. */
  encoding?: string;
  /** Why these coordinates cannot be longitude and latitude, where they were to be. */
  implausible?: string;
}

export const LONGEST_REPORT = 10_000;

/** One layer of a file, as far as can be told without reading it. */
export interface LayerInfo {
  name: string;
  features: number | null;
  /** Geometry type by the format's own word; null when it does not say. */
  geometry: string | null;
  /** A table without geometry. */
  attributesOnly: boolean;
}

/**
 * One file format: all that the program knows of it. A new one is a folder and an entry in the registry. What is known
 * before a file is read stands here; the readers are loaded when they are needed.
 */
export interface Format {
  name: string;
  label: string;
  /** Where the label is too long. */
  short?: string;
  extensions: string[];
  mediaType: string;
  /**
   * Whether a file is of this format by its first bytes.
   * @param text the same bytes as Latin-1, without a mark of the byte order and white space before it
   */
  signature?: (head: Uint8Array, text: string) => boolean;
  /** Its files are opened for those in them, like any archive. */
  archive?: true;
  /** Only written. */
  writtenOnly?: true;
  /** Any text can be taken for it: in an archive a file of another ending is looked at first. */
  anyText?: true;
  /** The layers in a file; formats that hold one name it after the file. */
  layers(input: Input): Promise<LayerInfo[]>;
  read(input: Input, options: ReadOptions): Promise<ReadResult>;
  /** How it is written; missing for formats that are only read. */
  writing?: Writing;
}

/** The single layer of a file, by the file's name. */
export function onlyLayer(input: Input): Promise<LayerInfo[]> {
  const name = input.name.replace(/\.[^.]*$/, '');
  return Promise.resolve([{ name, features: null, geometry: null, attributesOnly: false }]);
}
