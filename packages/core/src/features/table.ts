import type { Geometry } from 'geojson';
import type { Crs } from '../crs/crs.ts';
import { CHUNK_ROWS, valueAt, type Column, type Value } from './column.ts';
import { GEOMETRY_TYPES, type GeometryChunk, type GeometryType } from './geometry.ts';

/** The features of a source, by column. Row numbers run from 0 in the order of the file they came from. */
export interface FeatureTable {
  rows: number;
  columns: Column[];
  geometry: GeometryChunk[];
  /** The system that the coordinates are in. */
  crs: Crs;
}

/** The column of a name, written exactly so. */
export function columnNamed(table: FeatureTable, name: string): Column | undefined {
  return table.columns.find((column) => column.name === name);
}

/** Geometry of a row in the table's own system; null where it has none. */
export function geometryAt(table: FeatureTable, row: number): Geometry | null {
  return table.geometry[Math.floor(row / CHUNK_ROWS)].geometryAt(row % CHUNK_ROWS);
}

/** How many features of each geometry type there are; types that do not occur are left out. */
export function geometryTypeCounts(table: FeatureTable): Partial<Record<GeometryType, number>> {
  const counts = new Array<number>(GEOMETRY_TYPES.length).fill(0);
  for (const chunk of table.geometry) for (const type of chunk.types) counts[type]++;
  return Object.fromEntries(GEOMETRY_TYPES.map((type, i) => [type, counts[i]] as const).filter(([, n]) => n > 0));
}

/** The values of one feature in column order. */
export function valuesAt(table: FeatureTable, row: number): [Column, Value][] {
  return table.columns.map((column) => [column, valueAt(column, row)]);
}
