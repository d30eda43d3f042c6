import { parquetMetadataAsync, parquetReadObjects, type FileMetaData, type SchemaElement } from 'hyparquet';
import { compressors } from 'hyparquet-compressors';
import type { Geometry } from 'geojson';
import type { CrsClue } from '../../crs/crs.ts';
import type { ReadOptions, ReadResult } from '../format.ts';
import { geometryOfWkb } from '../geometry/wkb.ts';
import type { Input } from '../input.ts';
import { printJson } from '../../features/exact_json.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';
import { walkFooter, walkPages } from './page_bounds.ts';
import { ThriftError } from './thrift_bounds.ts';

/** The "geo" metadata of GeoParquet 1.1 (OGC 24-013), as far as it is used. */
interface GeoMetadata {
  primary_column: string;
  columns: Record<string, { encoding: string; crs?: ProjJson | null; covering?: { bbox?: Record<string, string[]> } }>;
}
interface ProjJson {
  id?: { authority: string; code: number | string };
}

/** Rows are decoded in batches of this many, so that memory holds one batch beside the columns. */
const BATCH = 65_536;

/** Instants are kept as numbers until their column says whether they are UTC. */
const PARSERS = {
  timestampFromMilliseconds: (millis: bigint) => ({ millis: Number(millis) }),
  timestampFromMicroseconds: (micros: bigint) => ({ millis: Number(micros) / 1000 }),
  timestampFromNanoseconds: (nanos: bigint) => ({ millis: Number(nanos / 1000n) / 1000 }),
  dateFromDays: (days: number) => ({ day: new Date(days * 86_400_000).toISOString().slice(0, 10) }),
};

/** Reads GeoParquet 1.1, in well-known binary or the nested encodings; also plain Parquet with the geometry type of the format. */
export async function readGeoParquet(input: Input, options: ReadOptions): Promise<ReadResult> {
  const bytes = await input.bytes();
  const file = {
    byteLength: bytes.length,
    slice: (from: number, to?: number) => Promise.resolve(bytes.buffer.slice(from, to)),
  };
  const taking = new Taking(options);
  refuseDamaged(input.name, () => walkFooter(bytes));
  const metadata = await parquetMetadataAsync(file, { geoparquet: false });
  refuseDamaged(input.name, () => walkPages(bytes, metadata));
  const geo = geoOf(metadata, input.name);
  const primary = geo.columns[geo.primary_column];
  const top = topColumns(metadata.schema);
  const covering = new Set(Object.values(primary.covering?.bbox ?? {}).map(([column]) => column));
  const plain = top.filter(({ name }) => !(name in geo.columns) && !covering.has(name));
  plain.forEach(({ name }) => taking.builder.column(name));
  for (const name of Object.keys(geo.columns))
    if (name !== geo.primary_column) taking.notes.push(`The second geometry column ${name} was left out.`);
  const total = Math.min(Number(metadata.num_rows), options.most ?? Infinity);
  for (let from = 0; from < total; from += BATCH) {
    const rows = await parquetReadObjects({
      file,
      metadata,
      compressors,
      geoparquet: false,
      parsers: PARSERS,
      columns: [geo.primary_column, ...plain.map(({ name }) => name)],
      rowStart: from,
      rowEnd: Math.min(total, from + BATCH),
      utf8: false,
    });
    for (const row of rows) {
      const where = `Row ${taking.builder.rows + 1}`;
      const properties = Object.fromEntries(plain.map((column) => [column.name, valueOf(row[column.name], column)]));
      taking.feature(geometryOf(row[geo.primary_column], primary.encoding), properties, where);
    }
  }
  return taking.result(crsOf(primary.crs));
}

function refuseDamaged(name: string, walk: () => void): void {
  try {
    walk();
  } catch (error) {
    if (error instanceof ThriftError) throw new ReadError(`${name} is damaged: a part of it ${error.message}`, 'Fetch or make it anew');
    throw error;
  }
}

function geoOf(metadata: FileMetaData, name: string): GeoMetadata {
  const text = metadata.key_value_metadata?.find(({ key }) => key === 'geo')?.value;
  if (!text) throw new ReadError(`${name} is Parquet, but says nothing about geometries`, 'GeoParquet has an entry “geo” in its metadata');
  return JSON.parse(text) as GeoMetadata;
}

/** Columns at the top of the schema, in order: a group counts as one. */
function topColumns(schema: SchemaElement[]): SchemaElement[] {
  const out: SchemaElement[] = [];
  let at = 1;
  const skip = (): void => {
    const children = schema[at++].num_children ?? 0;
    for (let c = 0; c < children; c++) skip();
  };
  while (at < schema.length) {
    out.push(schema[at]);
    skip();
  }
  return out;
}

function crsOf(crs: ProjJson | null | undefined): CrsClue {
  // Absent means OGC:CRS84 by the standard; null means that nobody knows.
  if (crs === undefined) return { kind: 'crs84' };
  if (!crs?.id) return { kind: 'unknown' };
  const { authority, code } = crs.id;
  if (authority === 'OGC' && String(code) === 'CRS84') return { kind: 'crs84' };
  return authority === 'EPSG' ? { kind: 'epsg', code: Number(code) } : { kind: 'unknown' };
}

function geometryOf(value: unknown, encoding: string): Geometry | null {
  if (value === null || value === undefined) return null;
  if (value instanceof Uint8Array) return geometryOfWkb(value);
  const types: Record<string, Geometry['type']> = {
    point: 'Point',
    linestring: 'LineString',
    polygon: 'Polygon',
    multipoint: 'MultiPoint',
    multilinestring: 'MultiLineString',
    multipolygon: 'MultiPolygon',
  };
  const type = types[encoding.toLowerCase()];
  if (!type) throw new ReadError(`The geometry encoding ${encoding} is not read here`);
  return { type, coordinates: nested(value) } as Geometry;
}

function nested(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(nested);
  const { x, y, z } = value as { x: number; y: number; z?: number };
  return z === undefined || z === null || Number.isNaN(z) ? [x, y] : [x, y, z];
}

function valueOf(value: unknown, column: SchemaElement): unknown {
  if (value === null || value === undefined) return null;
  if (typeof value === 'bigint') return value;
  if (typeof value === 'object' && 'day' in value) return value.day;
  if (typeof value === 'object' && 'millis' in value) return instantText(value.millis as number, column);
  if (value instanceof Uint8Array) return new TextDecoder().decode(value);
  if (typeof value === 'object') return printJson(value);
  return value;
}

function instantText(millis: number, { logical_type: logical }: SchemaElement): string {
  const text = new Date(millis).toISOString();
  const adjusted = logical?.type !== 'TIMESTAMP' || logical.isAdjustedToUTC;
  return adjusted ? text : text.slice(0, -1);
}
