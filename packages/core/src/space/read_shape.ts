import { convert } from 'geo-coordinates-parser';
import { toPoint } from 'mgrs';
import type { Feature, FeatureCollection, Geometry } from 'geojson';
import { buffer, isBuffer, type AreaShape } from '../filters/areas.ts';
import { isBox, isCall, isGeometry } from '../filters/ast.ts';
import { positionsIn } from '../operators/shape_operands.ts';
import { FilterError } from '../filters/filter_error.ts';
import { parseFilter } from '../filters/parser.ts';
import { checkedGeometry } from '../formats/geojson/geojson_geometry.ts';
import { toLonLat, type Crs } from '../crs/crs.ts';
import { cellAt, shapeOfSquare, utm } from '../grids/grid.ts';
import { squareOfReference } from '../grids/national.ts';
import { shapeOfBox } from './box.ts';
import { Shape } from './shape.ts';
import type { LengthUnit } from './units.ts';

/** A text that is no shape, and what would be one. */
export class ShapeError extends Error {}

/** A distance round a place that the text names. */
export interface Round {
  distance: number;
  unit: LengthUnit;
}

const WKT = /^\s*(?:SRID=\d+;)?\s*(POINT|LINESTRING|POLYGON|MULTIPOINT|MULTILINESTRING|MULTIPOLYGON|GEOMETRYCOLLECTION|BUFFER|BBOX)\b/i;
/** Grid zone, 100 km square, and up to five digits each way (NGA.STND.0037, "MGRS"). */
const MGRS = /^\d{1,2}\s*[C-HJ-NP-X]\s*[A-HJ-NP-Z]{2}\s*(\d\s*){0,10}$/i;

/**
 * Reads what a person types or pastes for a shape: WKT, GeoJSON, or a place in degrees (latitude first, decimal or with
 * minutes and seconds), as a zone of UTM with easting and northing (29N 512000 5160000), or as an MGRS, British or Irish
 * grid reference, which stands for its square.
 * @param round what a place or line is widened by; without it a place is a point. It counts from the middle of a square
 * @param projected system of eastings and northings that stand alone
 * Throws a ShapeError that says what can be written.
 */
export function readShape(text: string, round: Round | null, projected: Crs | null = null): AreaShape {
  const trimmed = text.trim();
  if (trimmed === '') throw new ShapeError('Write a shape: WKT, GeoJSON, or a place as in 46.6012, -12.0954');
  const shape = trimmed.startsWith('{')
    ? ofGeoJson(trimmed)
    : WKT.test(trimmed)
      ? ofWkt(trimmed.replace(/^SRID=\d+;/i, ''))
      : place(trimmed, projected);
  const geometry = 'op' in shape ? shape.args[0] : shape;
  for (const [lon, lat] of positionsIn(geometry))
    if (!(Math.abs(lon) <= 180 && Math.abs(lat) <= 90))
      throw new ShapeError(
        `${lon} ${lat} is outside longitude −180…180 and latitude −90…90; shapes are in degrees, longitude first in WKT and GeoJSON`,
      );
  if (round === null || 'op' in shape) return shape;
  const reference = MGRS.test(trimmed) || squareOfReference(trimmed) !== null;
  return buffer(reference ? middleOf(shape) : shape, round.distance, round.unit);
}

/** Four numbers and nothing else, which can be a box in one order or another; null for anything else. */
export function fourNumbers(text: string): number[] | null {
  const parts = text.trim().split(/[\s,;]+/);
  const numbers = parts.map(Number);
  return parts.length === 4 && parts.every((part) => part !== '') && numbers.every(Number.isFinite) ? numbers : null;
}

function ofWkt(text: string): AreaShape {
  try {
    const { expr } = parseFilter(`S_INTERSECTS(geometry, ${text})`);
    const shape = isCall(expr) ? expr.args[1] : null;
    if (shape !== null && isBox(shape)) return shapeOfBox(shape);
    if (shape !== null && (isGeometry(shape) || isBuffer(shape))) return shape;
  } catch (error) {
    if (!(error instanceof FilterError)) throw error;
    throw new ShapeError(error.hint ? `${error.message}. ${error.hint}` : error.message);
  }
  throw new ShapeError('This is not a geometry');
}

function ofGeoJson(text: string): Geometry {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new ShapeError(`This is not valid JSON: ${(error as Error).message}`);
  }
  const parts = geometriesOf(value as Geometry | Feature | FeatureCollection);
  if (parts.length === 0) throw new ShapeError('There is no geometry in this GeoJSON');
  if (parts.length === 1) return parts[0];
  const polygons = parts.every((part) => part.type === 'Polygon' || part.type === 'MultiPolygon');
  return polygons
    ? { type: 'MultiPolygon', coordinates: parts.flatMap((part) => (part.type === 'Polygon' ? [part.coordinates] : part.coordinates)) }
    : { type: 'GeometryCollection', geometries: parts };
}

function geometriesOf(value: Geometry | Feature | FeatureCollection): Geometry[] {
  if (value.type === 'FeatureCollection') return value.features.flatMap(geometriesOf);
  if (value.type === 'Feature') return geometriesOf(value.geometry);
  try {
    const geometry = checkedGeometry(value, 'The shape');
    return geometry === null ? [] : [geometry];
  } catch (error) {
    throw new ShapeError((error as Error).message);
  }
}

/** A place: the square of a grid reference, or a point. */
function place(text: string, projected: Crs | null): Geometry {
  if (MGRS.test(text)) return squareOfMgrs(text.replaceAll(/\s/g, '').toUpperCase());
  const square = squareOfReference(text);
  const shape = square && shapeOfSquare(square);
  if (shape) return shape;
  if (fourNumbers(text))
    throw new ShapeError(
      `Four numbers can be a box in one order or another. Write BBOX(${fourNumbers(text)!.join(', ')}) if they are west, south, east, north`,
    );
  const zoned = /^(\d{1,2})\s*([NS])\s+(\d+(?:\.\d+)?)[\s,;]+(\d+(?:\.\d+)?)$/i.exec(text);
  if (zoned && Number(zoned[1]) >= 1 && Number(zoned[1]) <= 60)
    return pointIn(utm(Number(zoned[1]), zoned[2].toUpperCase() === 'S'), Number(zoned[3]), Number(zoned[4]));
  const plain = /^(-?\d+(?:\.\d+)?)[\s,;]+(-?\d+(?:\.\d+)?)$/.exec(text);
  if (plain) {
    const [first, second] = [Number(plain[1]), Number(plain[2])];
    // What can be no latitude and longitude is an easting and a northing of the source's own system.
    if (projected && (Math.abs(first) > 90 || Math.abs(second) > 180)) return pointIn(projected, first, second);
    return { type: 'Point', coordinates: [second, first] };
  }
  // Without a mark or a direction, the parser would guess.
  if (!/[°º˚'′’"″”NSEWO]/i.test(text)) throw noShape();
  try {
    const { decimalLatitude, decimalLongitude } = convert(text, 9);
    return { type: 'Point', coordinates: [decimalLongitude, decimalLatitude] };
  } catch {
    throw noShape();
  }
}

const noShape = () =>
  new ShapeError(
    'This is no shape and no place. Write WKT, GeoJSON, a grid reference, or a place, latitude first, as in 46.6012, -12.0954 or 46°36′04″N 12°05′43″W',
  );

function pointIn(crs: Crs, x: number, y: number): Geometry {
  const [lon, lat] = toLonLat(crs)(x, y);
  if (!Number.isFinite(lon) || !Number.isFinite(lat)) throw new ShapeError(`${x} ${y} lies outside ${crs.label}`);
  return { type: 'Point', coordinates: [lon, lat].map((value) => Number(value.toFixed(9))) };
}

function squareOfMgrs(reference: string): Geometry {
  const digits = /\d*$/.exec(reference)![0].length;
  if (digits % 2 !== 0) throw new ShapeError('A grid reference has as many digits to the east as to the north');
  const [lon, lat] = toPoint(reference);
  const cell = cellAt({ kind: 'mgrs', size: 10 ** (5 - digits / 2) }, lon, lat);
  if (!cell) throw new ShapeError(`${reference} is no square of MGRS`);
  return cell.shape;
}

/** The middle of a shape, which a distance round a grid reference counts from. */
function middleOf(shape: Geometry): Geometry {
  const { box } = new Shape(shape);
  return { type: 'Point', coordinates: [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2] };
}
