import type { FeatureTable } from '../features/table.ts';

/** What a reader was given beside the bytes. */
export interface ReadOptions {
  /** Columns that hold longitude and latitude, where the names do not tell. */
  longitude?: string;
  latitude?: string;
  /** Called now and then with the features and bytes read so far; may throw Cancelled. */
  progress?: (features: number, bytes: number) => void;
}

/** What was read, and what the person should know about it. */
export interface ReadResult {
  table: FeatureTable;
  /** Coordinate reference system of the coordinates. */
  crs: string;
  notes: string[];
}

export type Bytes = AsyncIterable<Uint8Array>;

/** One file format. A new one is a folder and an entry in the registry. */
export interface Format {
  name: string;
  label: string;
  extensions: string[];
  mediaType: string;
  read(bytes: Bytes, options: ReadOptions): Promise<ReadResult>;
  /** Text of a file with these rows of the table, in pieces. */
  write(table: FeatureTable, rows: Uint32Array): Iterable<string>;
}

/** WGS 84 longitude and latitude in degrees (OGC:CRS84), the axis order of GeoJSON. */
export const CRS84 = 'OGC:CRS84';
