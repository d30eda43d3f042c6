import type { Geometry, Position } from 'geojson';
import { isPlainName } from './lexer.ts';

const KEYWORDS = /^(and|or|not|like|between|in|is|null|true|false|div)$/i;

/** The name of a column in CQL2 text, in double quotes where it needs them. */
export function printName(name: string): string {
  return isPlainName(name) && !KEYWORDS.test(name) ? name : `"${name.replaceAll('"', '""')}"`;
}

/** A text in CQL2 text, read back as the same. */
export function printText(text: string): string {
  // A backslash before a quote would be read as its escape, so such a text is spelled by its code points.
  if (/\\('|$)/.test(text)) return `CODEPOINTS(${[...text].map((c) => c.codePointAt(0)).join(', ')})`;
  return `'${text.replaceAll("'", "''")}'`;
}

/** A number in CQL2 text, read back as the same double. */
export function printNumber(value: number): string {
  if (value === 0) return Object.is(value, -0) ? '-0' : '0';
  const size = Math.abs(value);
  // Only these have an exponent; well-known text holds many numbers, and looking for one in each takes its time.
  return size >= 1e21 || size < 1e-6 ? String(value).replace('e', 'E') : String(value);
}

function printPosition(position: Position): string {
  let text = printNumber(position[0]);
  for (let i = 1; i < position.length; i++) text += ` ${printNumber(position[i])}`;
  return text;
}
const printLine = (line: Position[]) => `(${line.map(printPosition).join(', ')})`;
const printRings = (rings: Position[][]) => `(${rings.map(printLine).join(', ')})`;

/**
 * Well-known text as CQL2 uses it (OGC 06-103r4, clause 7): with heights, marked by Z, where every position has one, else
 * without.
 */
export function printGeometry(geometry: Geometry): string {
  const heights = heightsIn(geometry);
  return printShape(heights === 'some' ? flat(geometry) : geometry, heights === 'all' ? ' Z ' : '');
}

function printShape(geometry: Geometry, mark: string): string {
  const word = geometry.type.toUpperCase();
  const parts = geometry.type === 'GeometryCollection' ? geometry.geometries : geometry.coordinates;
  if (parts.length === 0) return `${word} EMPTY`;
  switch (geometry.type) {
    case 'Point':
      return `${word}${mark}(${printPosition(geometry.coordinates)})`;
    case 'LineString':
      return word + mark + printLine(geometry.coordinates);
    case 'Polygon':
    case 'MultiLineString':
      return word + mark + printRings(geometry.coordinates);
    case 'MultiPoint':
      return `${word}${mark}(${geometry.coordinates.map((position) => `(${printPosition(position)})`).join(', ')})`;
    case 'MultiPolygon':
      return `${word}${mark}(${geometry.coordinates.map(printRings).join(', ')})`;
    case 'GeometryCollection':
      return `${word}${mark}(${geometry.geometries.map((member) => printShape(member, mark)).join(', ')})`;
  }
}

/** Calls with each position of a shape. */
function eachPosition(geometry: Geometry, visit: (position: Position) => void): void {
  const go = (value: unknown[]): void => {
    if (typeof value[0] === 'number') visit(value as Position);
    else for (const item of value) go(item as unknown[]);
  };
  if (geometry.type === 'GeometryCollection') for (const member of geometry.geometries) eachPosition(member, visit);
  else go(geometry.coordinates);
}

function heightsIn(geometry: Geometry): 'all' | 'some' | 'none' {
  let [positions, heights] = [0, 0];
  eachPosition(geometry, (position) => {
    positions++;
    if (position.length > 2) heights++;
  });
  return heights === 0 ? 'none' : heights === positions ? 'all' : 'some';
}

/** The shape without heights. */
function flat(geometry: Geometry): Geometry {
  const copy = structuredClone(geometry);
  eachPosition(copy, (position) => position.splice(2));
  return copy;
}
