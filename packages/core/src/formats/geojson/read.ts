import { TableBuilder } from '../../features/table_builder.ts';
import { CRS84, type Bytes, type ReadOptions, type ReadResult } from '../format.ts';
import { ReadError } from '../read_error.ts';
import { checkedGeometry, type Oddities } from './geometry.ts';
import { FeatureScanner, type Piece } from './scanner.ts';

const GEOMETRY_TYPE = /^(Point|LineString|Polygon|Multi(Point|LineString|Polygon)|GeometryCollection)$/;

/**
 * Reads GeoJSON (RFC 7946), newline-delimited GeoJSON and GeoJSON text sequences (RFC 8142).
 * Throws a ReadError with feature and line at the first thing that cannot be read.
 */
export async function readGeoJson(bytes: Bytes, options: ReadOptions): Promise<ReadResult> {
  const builder = new TableBuilder();
  const odd: Oddities = { closedRings: 0, shortLines: 0 };
  const scanner = new FeatureScanner((piece) => takePiece(piece, builder, odd));
  let size = 0;
  for await (const chunk of bytes) {
    scanner.push(chunk);
    size += chunk.length;
    options.progress?.(builder.rows, size);
  }
  scanner.finish();
  const notes: string[] = [];
  if (odd.closedRings > 0)
    notes.push(`${odd.closedRings} polygon rings did not end where they begin; they were closed.`);
  if (odd.shortLines > 0) notes.push(`${odd.shortLines} lines have a single position; they count as that position.`);
  return { table: builder.finish(), crs: CRS84, notes };
}

function takePiece(piece: Piece, builder: TableBuilder, odd: Oddities): void {
  const where = `Feature ${builder.rows + 1} (line ${piece.line})`;
  const value = parse(piece, where);
  if (piece.kind === 'feature') return addFeature(value, where, builder, odd);
  if (value.type === 'FeatureCollection') {
    if (!piece.collection) throw new ReadError(`The FeatureCollection on line ${piece.line} has no “features” array`);
    return checkCrs(value);
  }
  if (piece.collection)
    throw new ReadError(
      `The object on line ${piece.line} has “features” but its type is ${JSON.stringify(value.type) ?? 'missing'}`,
      'Its type should be "FeatureCollection"',
    );
  if (value.type === 'Feature') return addFeature(value, where, builder, odd);
  if (typeof value.type === 'string' && GEOMETRY_TYPE.test(value.type))
    return builder.addFeature(checkedGeometry(value, where, odd), null);
  throw new ReadError(
    `The object on line ${piece.line} is not GeoJSON: its type is ${JSON.stringify(value.type) ?? 'missing'}`,
    'A GeoJSON file holds a FeatureCollection, a Feature or a geometry',
  );
}

function parse(piece: Piece, where: string): Record<string, unknown> {
  try {
    return JSON.parse(piece.text) as Record<string, unknown>;
  } catch (error) {
    throw new ReadError(`${where} is not valid JSON: ${(error as Error).message}`);
  }
}

function addFeature(feature: Record<string, unknown>, where: string, builder: TableBuilder, odd: Oddities): void {
  if (feature.type !== 'Feature')
    throw new ReadError(`${where} has the type ${JSON.stringify(feature.type) ?? 'missing'}, not "Feature"`);
  const { properties, id } = feature;
  if (
    properties !== null &&
    properties !== undefined &&
    (typeof properties !== 'object' || Array.isArray(properties))
  ) {
    throw new ReadError(`${where}: “properties” is not an object`);
  }
  const known = typeof id === 'string' || typeof id === 'number' ? id : undefined;
  builder.addFeature(
    checkedGeometry(feature.geometry, where, odd),
    (properties ?? null) as Record<string, unknown> | null,
    known,
  );
}

/** GeoJSON of 2008 could name another system; RFC 7946 allows WGS 84 only. */
function checkCrs(collection: Record<string, unknown>): void {
  const crs = collection.crs as { properties?: { name?: unknown } } | null | undefined;
  const name = crs?.properties?.name;
  if (typeof name !== 'string' || /CRS84|EPSG:{1,2}(\d*:)?4326/i.test(name)) return;
  throw new ReadError(
    `The file says that its coordinates are in ${name}`,
    'Convert it to longitude and latitude (WGS 84), as RFC 7946 has it',
  );
}
