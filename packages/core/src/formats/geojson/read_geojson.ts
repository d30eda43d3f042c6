import type { Geometry } from 'geojson';
import type { CrsClue } from '../../crs/crs.ts';
import type { ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { parseJson } from '../../features/exact_json.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';
import { checkedGeometry } from './geojson_geometry.ts';
import { FeatureScanner, type Piece } from './scanner.ts';

const GEOMETRY_TYPE = /^(Point|LineString|Polygon|Multi(Point|LineString|Polygon)|GeometryCollection)$/;

/**
 * Reads GeoJSON (RFC 7946), newline-delimited GeoJSON and GeoJSON text sequences (RFC 8142). A “crs” member, as GeoJSON of
 * 2008 had it, is followed.
 * Throws a ReadError with feature and line at the first thing that cannot be read.
 */
export async function readGeoJson(input: Input, options: ReadOptions): Promise<ReadResult> {
  const reading: Reading = { taking: new Taking(options), crs: { kind: 'crs84' } };
  const { taking } = reading;
  const scanner = new FeatureScanner((piece) => takePiece(piece, reading));
  let size = 0;
  for await (const chunk of input.stream()) {
    scanner.push(chunk);
    size += chunk.length;
    options.progress?.(taking.builder.rows, size);
    if (taking.full) return taking.result(reading.crs);
  }
  scanner.finish();
  return taking.result(reading.crs);
}

interface Reading {
  taking: Taking;
  crs: CrsClue;
}

function takePiece(piece: Piece, reading: Reading): void {
  const { taking } = reading;
  if (taking.full) return;
  const where = `Feature ${taking.builder.rows + 1} (line ${piece.line})`;
  const value = parse(piece, where);
  if (piece.kind === 'feature') return addFeature(value, where, taking);
  if (value.type === 'FeatureCollection') {
    if (!piece.collection) throw new ReadError(`The FeatureCollection on line ${piece.line} has no “features” array`);
    reading.crs = crsOf(value);
    return;
  }
  if (piece.collection)
    throw new ReadError(
      `The object on line ${piece.line} has “features” but its type is ${JSON.stringify(value.type) ?? 'missing'}`,
      'Its type should be "FeatureCollection"',
    );
  if (value.type === 'Feature') return addFeature(value, where, taking);
  if (typeof value.type === 'string' && GEOMETRY_TYPE.test(value.type)) return taking.feature(checkedGeometry(value, where), null, where);
  throw new ReadError(
    `The object on line ${piece.line} is not GeoJSON: its type is ${JSON.stringify(value.type) ?? 'missing'}`,
    'A GeoJSON file holds a FeatureCollection, a Feature or a geometry',
  );
}

function parse(piece: Piece, where: string): Record<string, unknown> {
  try {
    return parseJson(piece.text) as Record<string, unknown>;
  } catch (error) {
    throw new ReadError(`${where} is not valid JSON: ${(error as Error).message}`);
  }
}

function addFeature(feature: Record<string, unknown>, where: string, taking: Taking): void {
  if (feature.type !== 'Feature') throw new ReadError(`${where} has the type ${JSON.stringify(feature.type) ?? 'missing'}, not "Feature"`);
  const { properties, id } = feature;
  if (properties !== null && properties !== undefined && (typeof properties !== 'object' || Array.isArray(properties))) {
    throw new ReadError(`${where}: “properties” is not an object`);
  }
  const known = typeof id === 'string' || typeof id === 'number' ? id : undefined;
  const geometry: Geometry | null = checkedGeometry(feature.geometry, where);
  taking.feature(geometry, (properties ?? null) as Record<string, unknown> | null, where, known);
}

function crsOf(collection: Record<string, unknown>): CrsClue {
  const crs = collection.crs as { properties?: { name?: unknown } } | null | undefined;
  const name = crs?.properties?.name;
  if (typeof name !== 'string' || /CRS84/i.test(name)) return { kind: 'crs84' };
  const code = /EPSG:{1,2}(?:[\d.]*:)?(\d+)$/i.exec(name)?.[1];
  if (code) return code === '4326' ? { kind: 'crs84' } : { kind: 'epsg', code: Number(code) };
  throw new ReadError(
    `The file says that its coordinates are in ${name}`,
    'Convert it to longitude and latitude (WGS 84), as RFC 7946 has it',
  );
}
