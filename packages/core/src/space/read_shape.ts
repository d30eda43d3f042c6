import { convert } from 'geo-coordinates-parser';
import { toPoint } from 'mgrs';
import type { Feature, FeatureCollection, Geometry } from 'geojson';
import { buffer, isBuffer, type AreaShape } from '../filters/areas.ts';
import { isCall, isGeometry } from '../filters/ast.ts';
import { positionsIn } from '../filters/check.ts';
import { FilterError } from '../filters/filter_error.ts';
import { parseFilter } from '../filters/parser.ts';
import { checkedGeometry } from '../formats/geojson/geometry.ts';
import type { LengthUnit } from './units.ts';

/** A text that is no shape, and what would be one. */
export class ShapeError extends Error {}

/** A distance round a place that the text names. */
export interface Round {
  distance: number;
  unit: LengthUnit;
}

const WKT =
  /^\s*(?:SRID=\d+;)?\s*(POINT|LINESTRING|POLYGON|MULTIPOINT|MULTILINESTRING|MULTIPOLYGON|GEOMETRYCOLLECTION|BUFFER)\b/i;
/** Grid zone, 100 km square, and up to five digits each way (NGA.STND.0037, "MGRS"). */
const MGRS = /^\d{1,2}\s*[C-HJ-NP-X]\s*[A-HJ-NP-Z]{2}\s*(\d\s*){0,10}$/i;

/**
 * Reads what a person types or pastes for a shape: WKT, GeoJSON, or a place in degrees (latitude first, decimal or with
 * minutes and seconds) or as an MGRS reference, which stands for the middle of its square.
 * @param round what a place or line is widened by; without it a place is a point
 * Throws a ShapeError that says what can be written.
 */
export function readShape(text: string, round: Round | null): AreaShape {
  const trimmed = text.trim();
  if (trimmed === '') throw new ShapeError('Write a shape: WKT, GeoJSON, or a place as in 46.6012, -12.0954');
  const shape = trimmed.startsWith('{') ? ofGeoJson(trimmed) : WKT.test(trimmed) ? ofWkt(trimmed.replace(/^SRID=\d+;/i, '')) : place(trimmed); // prettier-ignore
  const geometry = 'op' in shape ? shape.args[0] : shape;
  for (const [lon, lat] of positionsIn(geometry))
    if (!(Math.abs(lon) <= 180 && Math.abs(lat) <= 90))
      throw new ShapeError(`${lon} ${lat} is outside longitude −180…180 and latitude −90…90; shapes are in degrees, longitude first in WKT and GeoJSON`); // prettier-ignore
  return round === null || 'op' in shape ? shape : buffer(shape, round.distance, round.unit);
}

function ofWkt(text: string): AreaShape {
  try {
    const { expr } = parseFilter(`S_INTERSECTS(geometry, ${text})`);
    const shape = isCall(expr) ? expr.args[1] : null;
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
    ? { type: 'MultiPolygon', coordinates: parts.flatMap((part) => (part.type === 'Polygon' ? [part.coordinates] : part.coordinates)) } // prettier-ignore
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

function place(text: string): Geometry {
  if (MGRS.test(text)) {
    const digits = /\d*$/.exec(text.replaceAll(/\s/g, ''))![0].length;
    if (digits % 2 !== 0) throw new ShapeError('A grid reference has as many digits to the east as to the north');
    return { type: 'Point', coordinates: toPoint(text.replaceAll(/\s/g, '').toUpperCase()) };
  }
  const plain = /^(-?\d+(?:\.\d+)?)[\s,;]+(-?\d+(?:\.\d+)?)$/.exec(text);
  if (plain) return { type: 'Point', coordinates: [Number(plain[2]), Number(plain[1])] };
  try {
    const { decimalLatitude, decimalLongitude } = convert(text, 9);
    return { type: 'Point', coordinates: [decimalLongitude, decimalLatitude] };
  } catch {
    throw new ShapeError('This is no shape and no place. Write WKT, GeoJSON, an MGRS reference, or a place, latitude first, as in 46.6012, -12.0954 or 46°36′04″N 12°05′43″W'); // prettier-ignore
  }
}
