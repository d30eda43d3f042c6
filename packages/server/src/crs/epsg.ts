import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import proj4 from 'proj4';
import type { Geometry, Position } from 'geojson';
import { isBox, isCall, isGeometry, isInterval, type Expr } from '@clean-sieve/core';

const require = createRequire(import.meta.url);

interface Definition {
  code: string;
  name: string;
  proj4: string | null;
}

/** Definition of an EPSG coordinate reference system; throws an Error that names the code when it cannot be used. */
export function epsgDefinition(name: string): Definition {
  const code =
    /^(?:EPSG:|urn:ogc:def:crs:EPSG:[^:]*:|http:\/\/www\.opengis\.net\/def\/crs\/EPSG\/[^/]*\/)?(\d{4,6})$/i.exec(
      name,
    )?.[1];
  if (!code) throw new Error(`${name} is not a coordinate system code; write it as in EPSG:4326`);
  try {
    const file = require.resolve(`epsg-index/s/${code}.json`);
    return JSON.parse(readFileSync(file, 'utf8')) as Definition;
  } catch {
    throw new Error(`EPSG:${code} is not in the EPSG list`);
  }
}

/** Converts positions of the system to longitude and latitude (WGS 84, degrees). */
export function toLonLat(name: string): (position: Position) => Position {
  if (/^(OGC:)?CRS84$|CRS84$/i.test(name)) return (position) => position;
  const { proj4: definition, code } = epsgDefinition(name);
  if (!definition) throw new Error(`EPSG:${code} cannot be converted to longitude and latitude`);
  // The grid that a definition asks for is not at hand; without it the transformation would be off by up to 100 m.
  if (/nadgrids=(?!@null)/.test(definition))
    throw new Error(`EPSG:${code} needs a datum shift grid that does not ship with this program`);
  const converter = proj4(definition, 'EPSG:4326');
  return ([x, y, ...rest]) => {
    const [lon, lat] = converter.forward([x, y]);
    if (!Number.isFinite(lon) || !Number.isFinite(lat))
      throw new Error(`${x} ${y} lies outside the area of EPSG:${code}`);
    return [lon, lat, ...rest];
  };
}

/** The expression with every geometry literal converted, vertex by vertex. */
export function convertLiterals(expr: Expr, convert: (position: Position) => Position): Expr {
  if (typeof expr !== 'object') return expr;
  if (Array.isArray(expr)) return expr.map((item) => convertLiterals(item, convert));
  if (isGeometry(expr)) return convertGeometry(expr, convert);
  if (isBox(expr)) return convertBox(expr.bbox, convert);
  if (isInterval(expr)) return expr;
  if (isCall(expr)) return { op: expr.op, args: expr.args.map((arg) => convertLiterals(arg, convert)) };
  return expr;
}

function convertGeometry(geometry: Geometry, convert: (position: Position) => Position): Geometry {
  const deep = (value: unknown): unknown =>
    typeof (value as number[])[0] === 'number' ? convert(value as Position) : (value as unknown[]).map(deep);
  if (geometry.type === 'GeometryCollection')
    return { ...geometry, geometries: geometry.geometries.map((member) => convertGeometry(member, convert)) };
  return { ...geometry, coordinates: deep(geometry.coordinates) } as Geometry;
}

/** A box of another system is a polygon in longitude and latitude, its sides no longer along the axes. */
function convertBox(bbox: number[], convert: (position: Position) => Position): Expr {
  const [west, south, east, north] = bbox.length === 6 ? [0, 1, 3, 4].map((i) => bbox[i]) : bbox;
  const corners = [[west, south], [east, south], [east, north], [west, north], [west, south]]; // prettier-ignore
  return { type: 'Polygon', coordinates: [corners.map(convert)] };
}
